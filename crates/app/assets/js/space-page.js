// The part in space: what lies under the pointer, what a click would pick, and points that are dragged there.
// Mixed into the part page.

import { figure } from './figures.js';
import { SHADES, centreOf, rampOf } from './shades.js';

const shareText = (v) => Number(Math.min(1, Math.max(0, v)).toFixed(4));

export const spacePage = (parts) => ({
  hoverWord: '',

  /** A name by lineage as people read it. */
  spoken(item) {
    return item.replace(/\{(.+?)\}/g, (_, id) => this.step(id)?.name ?? id);
  },

  /** What can be picked now: all, or with a card open what fits its slots and comes before its step. */
  wants() {
    if (!this.card) return null;
    const kinds = new Set(this.shownSlots().flatMap((s) => s.takes));
    return { kinds, steps: new Set(this.stepsBefore().map((s) => s.id)) };
  },

  hover(under) {
    const { handle, begin, net, pair, place, line, body, inner } = under;
    const name = (step) => this.step(step)?.name ?? 'New';
    const word = (step, item, kind) => (item ? this.rowLabel({ step, item }) : `${name(step)} · ${kind}`);
    let text = '';
    if (handle) text = `Point ${handle.userData.index + 1} of ${handle.userData.curve}: drag it`;
    else if (net) text = this.netHoverWord(net);
    else if (begin) text = `Section ${begin.index + 1} begins here: drag it round`;
    else if (pair) text = `Pairing line at ${this.pairPlace(pair)} of section ${pair.section + 1}: drag its end`;
    else if (place) text = word(place.step, place.item, 'point');
    else if (line) text = this.seamText(line) || word(line.step, line.item, line.kind);
    else if (body?.piece) text = `${this.spoken(body.piece.key)} · ${body.piece.kept ? 'stays' : 'goes'}`;
    else if (body) text = `${name(body.step)}: ${this.spoken(body.role)} · ${inner ? 'inner' : 'outer'} side`;
    if (handle?.userData.free) text += ', with Shift up and down';
    const slot = this.card && !handle && !begin && !net && !pair && this.slotFor(under);
    this.hoverWord = slot ? `Click for ${slot.label}: ${text}` : text;
    this.hovered = (place ?? line ?? body)?.step ?? null;
    this.lightUp(slot || !this.card ? under : {});
  },

  /** Shows what stands in the open card's slots, and what a click would put there. */
  lightUp({ place, line, body } = {}) {
    const lit = { places: place ? [place.at] : [], lines: line ? [line] : [] };
    const held = this.card ? this.card.description.slots.flatMap((s) => [this.card.draft[s.name]].flat()) : [];
    for (const value of held) {
      if (!value?.step) continue;
      const { lines, places } = parts.viewer.meant(value);
      lit.lines.push(...lines);
      lit.places.push(...places);
    }
    const face = this.card && body && !body.piece ? body : null;
    // Moving within the same thing draws nothing anew.
    const key = JSON.stringify([this.shown, lit.places, lit.lines.map((l) => [l.step, l.item]), face]);
    if (key === parts.lit) return;
    parts.lit = key;
    parts.viewer.light(lit, face);
  },

  clickInSpace(under, event) {
    if (under.net) {
      this.pickNet(under.net, event?.shiftKey);
      return;
    }
    if (this.card) {
      if (this.fillFrom(under)) this.lightUp();
      return;
    }
    if (under.line?.kind === 'edge' && this.seamOf(under.line)) {
      this.seamInView = { step: under.line.step, item: under.line.item };
      return;
    }
    const step = (under.place ?? under.line ?? under.body)?.step;
    if (step) this.pick(step);
  },

  /** Numbers and arrows of what the open card's step goes through. */
  showMarks() {
    const step = this.card && (this.card.fresh ? this.cardReport()?.step : this.card.id);
    const { marks, pairings } = parts.viewer.extras ?? {};
    parts.viewer.showMarks(step ? (marks ?? []).filter((m) => m.step === step) : []);
    parts.viewer.pairing.show(step ? (pairings ?? []).find((p) => p.step === step) : null);
  },

  // --- Seams: how two faces meet along an edge
  seamInView: null,
  allSeams() {
    return [...(this.report?.bodies ?? []).flatMap((b) => b.seams), ...(this.report?.open_seams ?? [])];
  },
  seamOf({ step, item }) {
    return this.allSeams().find((s) => s.items.some((r) => r.step === step && r.item === item));
  },
  seamText(line) {
    const seam = line.kind === 'edge' && !this.card ? this.seamOf(line) : null;
    return seam ? `Seam ${seam.edge}: ${seam.meets}, ${this.seamFigures(seam)} · click keeps it in view` : '';
  },
  /** The seam that is kept in view, as it is now. */
  seamNow() {
    return this.seamInView && this.seamOf(this.seamInView);
  },
  keepSeam(seam) {
    this.seamInView = { step: seam.items[0].step, item: seam.items[0].item };
    this.fly(seam.angle_at);
  },

  // --- Ways of looking at surfaces
  shade: 'plain',
  combs: false,
  nets: false,
  range: null,
  shades: () => SHADES,
  setShade(name) {
    this.shade = name;
    parts.viewer.shade(name);
    // Only figures come with more than what is there already.
    if (this.shadeNow().needs) this.refreshLooks();
  },
  shadeNow() {
    return SHADES.find((s) => s.name === this.shade);
  },
  looks() {
    const { needs } = this.shadeNow();
    return {
      curvature: needs === 'curvature',
      thickness: needs === 'thickness',
      combs: this.combs,
      nets: this.nets,
      pieces: this.choosesPieces(),
    };
  },
  refreshLooks() {
    parts.viewer.showsNets = this.nets;
    if (this.card) this.previewCard();
    else this.refresh().catch((error) => this.say(error.message, 'error'));
  },
  toggleLook(name) {
    this[name] = !this[name];
    this.refreshLooks();
  },
  rangeUnit() {
    return this.shadeNow().unit ?? '';
  },
  /** Where the middle colour lies in the range, as a share. */
  rangeCentre() {
    const [low, high] = this.range;
    return (centreOf(this.shadeNow(), this.range) - low) / (high - low);
  },
  centreText() {
    return this.rangeText(centreOf(this.shadeNow(), this.range));
  },
  ramp() {
    const [low, middle, high] = rampOf(this.shadeNow());
    return `linear-gradient(to right, ${low}, ${middle} ${this.rangeCentre() * 100}%, ${high})`;
  },
  rangeWords() {
    return this.shadeNow().words ?? '';
  },
  rangeText(value) {
    return Math.abs(value) < 1e-12
      ? '0'
      : value
          .toPrecision(this.shade === 'thickness' ? 3 : 2)
          .replace('e-', 'e−')
          .replace(/^-/, '−');
  },
  toothText() {
    const longest = this.shown && this.combs ? parts.viewer.longestTooth : null;
    return longest ? `longest tooth ${longest.toPrecision(3)} 1/mm` : '';
  },

  // --- Lines that join a loft's sections
  /** A line that came by itself is one drawn by hand from the first drag on: its other ends stay where they are. */
  movePairEnd(drag) {
    const { line, section } = drag.pair;
    const place = (section, { piece, share }) => ({
      section: section + 1,
      ...(piece ? { piece: piece + 1 } : {}),
      at: shareText(share),
    });
    const pairs = [...this.pairs()];
    drag.index ??= line.given ?? pairs.length;
    const places = pairs[drag.index]?.places ?? line.ends.map((end) => place(end.section, end));
    const others = places.filter((p) => p.section !== section + 1);
    pairs[drag.index] = { places: [...others, place(section, drag.to)].sort((a, b) => a.section - b.section) };
    this.card.draft.pairs = pairs;
    this.previewCard();
  },
  pairPlace: ({ piece, share }) => `${figure(share * 100, 1)} % of piece ${piece + 1}`,
  pairs() {
    return this.card.draft.pairs ?? [];
  },
  pairWord({ places }) {
    const share = ({ at }) => (typeof at === 'number' ? `${figure(at * 100, 1)} %` : at);
    return places.map((p) => `section ${p.section} at ${share(p)} of piece ${p.piece ?? 1}`).join(', ');
  },
  dropPair(index) {
    this.card.draft.pairs = this.pairs().filter((_, i) => i !== index);
    this.previewCard();
  },

  // --- Points of space curves
  /** The open card's list of points, if the dragged point belongs to it. */
  draggedList(drag) {
    return this.card?.description.slots.find(
      (s) => s.list && s.typed && Array.isArray(this.card.draft[s.name]?.[drag.index]),
    );
  },
  /** A point as it was typed, moved: what did not change keeps its formula. */
  movedPoint(slot, was, drag) {
    if (slot.typed === 2) {
      const on = this.card.draft.surface;
      const { body, share } = drag.over ?? {};
      if (!body || body.step !== on?.step || (on.item && on.item !== body.role)) return was;
      return share.map(shareText);
    }
    return was.map((amount, k) =>
      Math.abs(drag.to[k] - drag.from[k]) < 1e-9 ? amount : Number(this.number(drag.to[k]).toFixed(4)),
    );
  },
  draggingInSpace(drag) {
    if (drag.under) {
      this.draggingNet(drag);
      return;
    }
    if (drag.begin) {
      this.setBegin(drag.begin.index, shareText(drag.share));
      this.hoverWord = `Section ${drag.begin.index + 1} begins at ${figure(drag.share * 100, 1)} % of its length`;
      return;
    }
    if (drag.pair) {
      this.movePairEnd(drag);
      const { section } = drag.pair;
      this.hoverWord = `Section ${section + 1} is joined at ${this.pairPlace(drag.to)}`;
      return;
    }
    const slot = this.draggedList(drag);
    if (!slot) return;
    const rows = this.card.draft[slot.name];
    drag.was ??= rows[drag.index];
    this.card.draft[slot.name] = rows.map((row, i) => (i === drag.index ? this.movedPoint(slot, drag.was, drag) : row));
    const { unit } = this.recipe;
    this.hoverWord =
      slot.typed === 3
        ? `Point ${drag.index + 1}: ${drag.to.map((v) => Number(this.number(v).toFixed(3))).join(', ')} ${unit}`
        : `Point ${drag.index + 1}: ${this.card.draft[slot.name][drag.index].join(', ')}`;
    this.previewCard();
  },
  draggedInSpace(drag) {
    if ((!drag.begin && !drag.under && !drag.pair && !this.draggedList(drag)) || this.card.fresh) return;
    this.commit(this.cardEdits());
  },
});
