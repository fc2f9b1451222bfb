// What a card's slots can hold and how that is written in the recipe. Mixed into the part page.
import { asAmount, kindOf } from './recipe.js';

const MAIN = 'main ';
/** Lane of the lineage in which solids stand. */
const SOLIDS = 3;

/** A slot's value as a text for a list, and back. */
export const asText = (value) =>
  value === undefined || value === null
    ? ''
    : typeof value === 'string'
      ? MAIN + value
      : Array.isArray(value)
        ? value.join(', ')
        : value.item
          ? `${value.step}\n${value.item}`
          : value.step;

export function fromText(text) {
  if (!text) return undefined;
  if (text.startsWith(MAIN)) return text.slice(MAIN.length);
  const [step, item] = text.split('\n');
  return item ? { step, item } : { step };
}

/** Coordinates as typed, or null when they are not as many as are needed. */
export function typedPoint(text, count) {
  const parts = text.split(',').map((t) => t.trim());
  return parts.length === count && parts.every(Boolean) ? parts.map(asAmount) : null;
}

export const slots = (describe, parts) => ({
  dragged: null,

  /** Steps that may stand before the open card's step. */
  stepsBefore() {
    if (this.card.fresh) return this.recipe.steps;
    return this.recipe.steps.slice(
      0,
      this.recipe.steps.findIndex((s) => s.id === this.card.id),
    );
  },
  fits(slot, step) {
    // Of a kind that can make several things, what this one made counts.
    const lane = this.rows.find((r) => r.id === step.id)?.lane;
    const made = describe(kindOf(step)).makes.filter((kind, _, all) => {
      if (all.length === 1) return true;
      if (all.includes('curve')) return (kind === 'curve') !== (lane ?? 0) > 0;
      return lane === undefined || !all.includes('solid') || (kind === 'solid') === (lane === SOLIDS);
    });
    return made.some((kind) => slot.takes.includes(kind));
  },
  shownSlots() {
    return this.card.description.slots.filter((s) => this.holds(s.only_if));
  },
  /** Whether the open card lets one choose among pieces. */
  choosesPieces() {
    return !!this.card?.description.slots.some((s) => s.takes.includes('piece'));
  },
  shownValues() {
    return this.card.description.values.filter((v) => this.holds(v.only_if));
  },
  /** Whether the field of a condition is shown and has one of the values wanted: `filled`, `!filled`, `!x`, `a|b`. */
  holds(condition) {
    if (!condition) return true;
    const [field, wanted] = condition;
    const { slots, values } = this.card.description;
    if (![...slots, ...values].filter((f) => f.name === field).some((f) => this.holds(f.only_if))) return false;
    const value = this.card.draft[field];
    const filled = Array.isArray(value) ? value.length > 0 : !!value;
    if (wanted.endsWith('filled')) return filled !== wanted.startsWith('!');
    if (wanted.startsWith('!')) return String(value) !== wanted.slice(1);
    return wanted.split('|').includes(String(value));
  },
  /** Everything that can go into a slot: main planes and axes, then fitting steps with their single items. */
  slotOptions(slot) {
    const main = slot.main.map((m) => ({ value: MAIN + m.value, label: m.label.toUpperCase() }));
    const made = this.stepsBefore()
      .filter((s) => this.fits(slot, s) && !this.tooManyFaces(slot, s))
      .flatMap((s) => [{ value: s.id, label: s.name }, ...this.itemsOf(slot, s)]);
    const options = [...main, ...made];
    const now = slot.list ? null : this.card.draft[slot.name];
    // What was picked in space is in no list.
    if (now?.step && !options.some((o) => o.value === asText(now)))
      options.push({ value: asText(now), label: this.rowLabel(now) });
    return options;
  },
  itemsOf(slot, step) {
    const item = (id, label) => ({ value: `${step.id}\n${id}`, label: `${step.name} / ${label}` });
    const curves = this.drawings.find((d) => d.step === step.id)?.curves ?? [];
    if (slot.takes.includes('curve') && curves.length > 1) return curves.map((c) => item(c.id, c.id));
    const planes = this.helpers.find((h) => h.step === step.id)?.planes ?? [];
    if (slot.takes.includes('plane') && planes.length > 1) return planes.map((_, k) => item(String(k + 1), k + 1));
    return [];
  },
  slotEmpty(slot) {
    if (slot.least === 0) return 'Nothing';
    if (slot.one_face && this.stepsBefore().some((s) => this.tooManyFaces(slot, s))) return 'Pick a face in space';
    return this.slotOptions(slot).length ? 'Pick one, here or in the lineage' : 'Nothing fits yet: make one first';
  },
  slotValue(slot) {
    return asText(this.card.draft[slot.name]);
  },
  slotRows(slot) {
    return this.card.draft[slot.name] ?? [];
  },
  rowLabel(value) {
    if (Array.isArray(value)) return value.join(', ');
    // A main plane by its directions, or a piece by the sides on which it lies.
    if (typeof value === 'string') return /^[xyz]{1,2}$/.test(value) ? value.toUpperCase() : this.spoken(value);
    const name = this.step(value.step)?.name ?? value.step;
    if (!value.item) return name;
    // What an edge was made from is known by its step; only where several meet do they tell it apart.
    const item = value.item.replace(/^(edge|face) /, '');
    return `${name} / ${this.spoken(item.includes(' | ') ? item : item.replace(/^\{.+?\} \/ /, ''))}`;
  },
  /** The same in full. */
  rowTitle(value) {
    if (typeof value === 'string') return this.rowLabel(value);
    if (!value?.item) return '';
    return `${this.step(value.step)?.name ?? value.step} / ${this.spoken(value.item)}`;
  },
  fillSlot(slot, text) {
    this.card.draft[slot.name] = fromText(text);
    this.previewCard();
  },
  /** A list that asks for one more stands ready for another. */
  addChosen(slot, list) {
    this.addRow(slot, list.value);
    list.value = '';
  },
  addTypedIn(slot, field) {
    if (this.addTyped(slot, field.value)) field.value = '';
  },
  /** Whether a row was typed and not picked. */
  isTyped(row) {
    return Array.isArray(row);
  },
  isDragTarget({ name }, i) {
    const { dragged } = this;
    return dragged?.slot === name && dragged.over === i && dragged.index !== i;
  },
  addRow(slot, text) {
    this.addValue(slot, fromText(text));
  },
  /** Coordinates typed into a slot; gives whether they could be read. */
  addTyped(slot, text) {
    const value = typedPoint(text, slot.typed);
    if (!value)
      this.card.refusal =
        slot.typed === 2
          ? 'Write two shares with a comma between, as in 0.25, 0.5.'
          : 'Write three values with commas between, as in 10, 0, 2*wall.';
    else this.addValue(slot, value);
    return !!value;
  },
  addValue(slot, value) {
    if (!value) return;
    // What is chosen for one row most often holds for the next one too.
    const before = this.slotRows(slot).length - 1;
    if (slot.each && before >= 0) this.card.draft[slot.each.name] = [...this.eachList(slot), this.eachOf(slot, before)];
    this.card.draft[slot.name] = [...this.slotRows(slot), value].slice(-slot.most);
    this.previewCard();
  },
  setRow(slot, index, text) {
    const value = typedPoint(text, slot.typed);
    if (!value) return;
    this.card.draft[slot.name] = this.slotRows(slot).map((row, i) => (i === index ? value : row));
    this.previewCard();
  },
  /** What is chosen for a row by itself. */
  eachOf(slot, index) {
    return this.card.draft[slot.each.name]?.[index] ?? slot.each.choices[0].value;
  },
  eachList(slot) {
    return this.slotRows(slot).map((_, i) => this.eachOf(slot, i));
  },
  setEach(slot, index, value) {
    this.card.draft[slot.each.name] = this.eachList(slot).map((now, i) => (i === index ? value : now));
    this.previewCard();
  },
  setAll(slot, value) {
    this.card.draft[slot.each.name] = this.slotRows(slot).map(() => value);
    this.previewCard();
  },
  /** Gives a list the rows that stand at these places now; what is known of a row goes with it. */
  arrangeRows(slot, places) {
    const { draft } = this.card;
    const rows = this.slotRows(slot);
    if (slot.each) {
      const each = this.eachList(slot);
      draft[slot.each.name] = places.map((i) => each[i]);
    }
    draft[slot.name] = places.map((i) => rows[i]);
    if (slot.directed) {
      const now = (section) => places.indexOf(section - 1) + 1;
      draft.reversed = (draft.reversed ?? []).map(now).filter(Boolean);
      draft.begins = (draft.begins ?? []).map((b) => ({ ...b, section: now(b.section) })).filter((b) => b.section);
      const moved = (places) => places.map((p) => ({ ...p, section: now(p.section) })).filter((p) => p.section);
      draft.pairs = (draft.pairs ?? []).map(({ places }) => ({ places: moved(places) })).filter((p) => p.places.length);
    }
    this.previewCard();
  },
  moveRow(slot, index, to) {
    const places = this.slotRows(slot).map((_, i) => i);
    const [place] = places.splice(index, 1);
    places.splice(Math.max(0, to), 0, place);
    this.arrangeRows(slot, places);
  },
  dropRow(slot, index) {
    this.arrangeRows(
      slot,
      this.slotRows(slot)
        .map((_, i) => i)
        .filter((i) => i !== index),
    );
  },
  /** A row is dragged by its number to the place of another one. */
  rowGrip(event, slot, index) {
    const rowAt = (e) => {
      const row = document.elementFromPoint(e.clientX, e.clientY)?.closest('.slot-row');
      return row?.dataset.slot === slot.name ? Number(row.dataset.row) : null;
    };
    const move = (e) => {
      this.dragged = { slot: slot.name, index, over: rowAt(e) };
    };
    const up = (e) => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', up);
      const over = rowAt(e);
      this.dragged = null;
      if (over !== null && over !== index) this.moveRow(slot, index, over);
    };
    event.preventDefault();
    addEventListener('pointermove', move);
    addEventListener('pointerup', up);
  },
  /** Whether a list's row is a place and not something that runs one way or the other. */
  isPoint(row) {
    const step = this.step(row?.step);
    return Array.isArray(row) || (step && kindOf(step) === 'point') || /^(start|end) of /.test(row?.item ?? '');
  },
  isReversed(index) {
    return (this.card.draft.reversed ?? []).includes(index + 1);
  },
  toggleReversed(index) {
    const now = this.card.draft.reversed ?? [];
    this.card.draft.reversed = this.isReversed(index)
      ? now.filter((s) => s !== index + 1)
      : [...now, index + 1].sort((a, b) => a - b);
    this.previewCard();
  },
  /** Where a closed section begins; none lets it begin by itself. */
  setBegin(index, at) {
    const others = (this.card.draft.begins ?? []).filter((b) => b.section !== index + 1);
    this.card.draft.begins = at === undefined ? others : [...others, { section: index + 1, at }];
    this.previewCard();
  },
  beginOf(index) {
    return (this.card.draft.begins ?? []).find((b) => b.section === index + 1)?.at;
  },
  /** The slot that a pick would go into: the one in hand, else the first that has room, else one that it replaces. */
  slotFor(under) {
    const fitting = this.shownSlots().filter((s) => this.valueFor(s, under));
    const room = (s) => (s.list ? this.slotRows(s).length < s.most : !this.card.draft[s.name]);
    return fitting.find((s) => s.name === this.card.inHand) ?? fitting.find(room) ?? fitting[0];
  },
  /** What a slot would hold of what lies under the pointer or was picked in the lineage. */
  valueFor(slot, { step, place, line, body, share }) {
    const takes = (kind) => slot.takes.includes(kind);
    if (step) return this.fits(slot, step) && !this.tooManyFaces(slot, step) ? { step: step.id } : null;
    if (place) return takes('point') ? { step: place.step, item: place.item } : null;
    if (line) {
      const kind = line.kind === 'edge' ? 'curve' : line.kind;
      if (!takes(kind)) return null;
      const drawing = this.drawings.find((d) => d.step === line.step);
      const whole = line.kind === 'curve' && drawing?.one_chain && !line.guide;
      return whole || !line.item ? { step: line.step } : { step: line.step, item: line.item };
    }
    if (body?.piece) return takes('piece') ? body.piece.key : null;
    if (!body || !this.stepsBefore().some((s) => s.id === body.step)) return null;
    if (takes('place')) {
      const on = this.card.draft.surface;
      const same = on?.step === body.step && (!on.item || on.item === body.role);
      return same ? share.map((v) => Number(v.toFixed(4))) : null;
    }
    if (!takes('surface') && !takes('solid')) return null;
    return slot.faces && this.facesOf(body.step) > 1 ? { step: body.step, item: body.role } : { step: body.step };
  },
  /** Whether a step fits a slot but for its faces, of which one is to be picked. */
  tooManyFaces(slot, step) {
    return slot.one_face && this.fits(slot, step) && this.facesOf(step.id) > 1;
  },
  facesOf(step) {
    return parts.viewer.bodies.children.filter((m) => m.userData.step === step).length;
  },
  /** Puts what was picked into its slot; gives whether one took it. */
  fillFrom(under) {
    const slot = this.slotFor(under);
    if (!slot) return false;
    const value = JSON.parse(JSON.stringify(this.valueFor(slot, under)));
    // A piece that is chosen already is let be.
    const there = slot.takes.includes('piece') ? this.slotRows(slot).indexOf(value) : -1;
    if (there >= 0) this.dropRow(slot, there);
    else if (slot.list) this.addValue(slot, value);
    else {
      this.card.draft[slot.name] = value;
      this.card.inHand = null;
      this.previewCard();
    }
    return true;
  },
  /** What a fresh card begins with: the newest fitting shape that nothing was made from yet, or the one that is picked. */
  firstDraft(description) {
    const draft = Object.fromEntries(description.values.map((v) => [v.name, v.default]));
    for (const slot of description.slots) {
      if (slot.list) {
        draft[slot.name] ??= [];
        continue;
      }
      if (slot.least === 0) continue;
      // Of what is not shown it is not known how many faces it has.
      const fitting = this.recipe.steps.filter(
        (s) => this.fits(slot, s) && !(slot.one_face && this.facesOf(s.id) !== 1),
      );
      const taken = Object.values(draft).map((v) => v?.step);
      const unused = fitting.filter((s) => !taken.includes(s.id) && !this.rows.some((r) => r.parents.includes(s.id)));
      const best =
        fitting.find((s) => s.id === this.picked && !taken.includes(s.id)) ??
        unused.at(-1) ??
        fitting.filter((s) => !taken.includes(s.id)).at(-1);
      if (slot.main.length) draft[slot.name] = slot.main[slot.name === 'axis' ? slot.main.length - 1 : 0].value;
      else if (best) draft[slot.name] = { step: best.id };
    }
    return draft;
  },
  cardReady() {
    return this.shownSlots().every((s) =>
      s.list ? this.slotRows(s).length >= s.least : s.least === 0 || this.card.draft[s.name],
    );
  },
  /** The draft as the recipe takes it: without what belongs to another way of making it. */
  cleanDraft() {
    const { description, draft } = this.card;
    const shown = new Set([...this.shownSlots(), ...this.shownValues()].map((f) => f.name));
    const fields = [...new Set([...description.slots, ...description.values].map((f) => f.name))];
    const clean = Object.fromEntries(
      fields.filter((f) => shown.has(f) && draft[f] !== undefined).map((f) => [f, draft[f]]),
    );
    for (const slot of this.shownSlots())
      if (slot.each && draft[slot.each.name]?.length) clean[slot.each.name] = this.eachList(slot);
    for (const f of ['reversed', 'begins', 'pairs', 'changes', 'frozen'])
      if (draft[f]?.length || (draft[f] && !this.card.fresh)) clean[f] = draft[f];
    return clean;
  },
});
