// The drawing sheet on the part page: drawing, picking, and changing curves. Mixed into the part page.
import { clicksOf, curveFrom, leastOf, turnedOn, typedAmounts } from './gestures.js';
import { asAmount } from './recipe.js';
import { asText, fromText } from './slots.js';

const PREVIEW_ID = 'curve being drawn';
const UNITS_OF = { length: null, angle: 'deg', ratio: '', count: '' };

/** A value of an object by a path such as `by.0`, and the object with another value there. */
const at = (object, path) => path.split('.').reduce((o, key) => o?.[key], object);
function withValue(object, path, value) {
  // What Alpine hands out is a proxy, which only a round trip through JSON copies.
  const copy = JSON.parse(JSON.stringify(object));
  const keys = path.split('.');
  const last = keys.pop();
  keys.reduce((o, key) => o[key], copy)[last] = value;
  return copy;
}

export const sheetPage = ({ parts, raw, descriptions, PLANES }) => ({
  sheetStep: null,
  sheetTool: 'edit',
  sheetExtras: null,
  picks: [],
  showPolygon: false,
  showComb: false,
  drawGuide: false,
  typed: '',
  sheetError: '',
  curveKinds: descriptions.curves,
  changeKinds: descriptions.changes,
  reshapeTo: { points: 8, degree: 3, curvature: false },

  openSheet(id) {
    if (this.sheetStep === id) return;
    this.sheetStep = id;
    this.picks = [];
    this.setSheetTool(this.step(id).make.drawing.curves?.length ? 'edit' : 'through_points');
    this.refresh();
    this.$nextTick(() => {
      this.showOnSheet();
      parts.sheet.fit();
    });
  },
  closeSheet() {
    if (!this.sheetStep) return;
    if (parts.sheet.pending.length) this.setPending([], []);
    this.sheetStep = null;
    this.pickOnSheet(null);
    this.refresh();
  },
  setSheetTool(kind) {
    const { sheet } = parts;
    if (sheet.pending.length && kind !== this.sheetTool) this.dropCurve();
    this.sheetTool = sheet.tool = kind;
    sheet.hover = null;
    if (!['edit', 'trim', 'split'].includes(kind)) this.pickOnSheet(null);
    sheet.draw();
  },
  drawingOffset() {
    return this.drawingStep()?.offset ?? 0;
  },
  drawingStep() {
    return this.step(this.sheetStep)?.make.drawing;
  },
  kindTool() {
    return this.curveKinds.find((k) => k.kind === this.sheetTool);
  },
  showOnSheet() {
    const { sheet } = parts;
    // Drawn from what stands behind Alpine's proxies: every point of every line is read for every picture.
    sheet.drawing = raw(this.drawings).find((d) => d.step === this.sheetStep) ?? null;
    sheet.frame = sheet.drawing?.frame;
    sheet.preview = null;
    if (sheet.drawing) {
      const drawn = sheet.drawing.curves.find((c) => c.id === PREVIEW_ID);
      sheet.drawing = { ...sheet.drawing, curves: sheet.drawing.curves.filter((c) => c !== drawn) };
      if (drawn && sheet.pending.length) {
        sheet.preview = drawn.line.map((p) => this.flatten(p));
        // Only the server knows where a formula or a pinned point lies.
        if (clicksOf(this.sheetTool) > 2) sheet.pending = sheet.pending.map((p, i) => drawn.points[i] ?? p);
      }
    }
    if (this.picks.length && !document.activeElement?.closest('.coordinates')) this.readTyped();
    const extras = raw(this.sheetExtras);
    sheet.extras = extras?.step === this.sheetStep ? extras : null;
    this.redrawSheet();
  },
  redrawSheet() {
    const { sheet } = parts;
    sheet.polygon = this.showPolygon;
    sheet.comb = this.showComb;
    sheet.picks = raw(this.picks);
    if (!sheet.handleDrag) sheet.handles = this.sheetStep && this.sheetTool === 'edit' ? this.handlesShown() : [];
    sheet.draw();
  },
  flatten(p) {
    const f = parts.sheet.frame;
    if (!f) return [p[0], p[2]];
    const d = [p[0] - f.origin[0], p[1] - f.origin[1], p[2] - f.origin[2]];
    return [d[0] * f.x[0] + d[1] * f.x[1] + d[2] * f.x[2], d[0] * f.y[0] + d[1] * f.y[1] + d[2] * f.y[2]];
  },
  planeWord() {
    const plane = this.drawingStep()?.plane ?? 'xz';
    return PLANES[plane] ?? ['across', 'up'];
  },
  planeOptions() {
    const before =
      this.recipe?.steps.slice(
        0,
        this.recipe.steps.findIndex((s) => s.id === this.sheetStep),
      ) ?? [];
    const made = before
      .filter((s) => s.make.plane)
      .flatMap((s) => {
        const planes = this.helpers.find((h) => h.step === s.id)?.planes ?? [null];
        const label = (k) => (planes.length > 1 ? `${s.name} / ${k + 1}` : s.name);
        return planes.map((_, k) => ({ value: `${s.id}\n${k + 1}`, label: label(k) }));
      });
    return [...Object.keys(PLANES).map((p) => ({ value: `main ${p}`, label: p.toUpperCase() })), ...made];
  },
  planeValue() {
    return asText(this.drawingStep()?.plane);
  },
  setPlane(text) {
    this.commit([{ edit: 'set_field', step: this.sheetStep, field: 'plane', value: fromText(text) }]);
  },
  setOffset(text) {
    this.commit([{ edit: 'set_field', step: this.sheetStep, field: 'offset', value: asAmount(text || '0') }]);
  },
  copyToPlanes() {
    // A drawing on one plane of a series goes to all the others of it.
    const plane = this.drawingStep().plane;
    const planes = this.helpers.find((h) => h.step === plane.step)?.planes ?? [];
    const others = planes.map((_, k) => String(k + 1)).filter((item) => item !== (plane.item ?? '1'));
    this.commit([
      { edit: 'copy_drawing', step: this.sheetStep, planes: others.map((item) => ({ step: plane.step, item })) },
    ]);
  },
  canCopyToPlanes() {
    const plane = this.drawingStep()?.plane;
    return (this.helpers.find((h) => h.step === plane?.step)?.planes?.length ?? 0) > 1;
  },

  // --- Drawing
  /** What a place on the sheet is in the recipe: a pin where it snapped to a guide, else its coordinates. */
  drawnPlace({ at: place, pin }) {
    return pin ? { pin, near: place } : place.map((v) => this.number(v));
  },
  setPending(points, places) {
    const { sheet } = parts;
    sheet.pending = places;
    sheet.amounts = points;
    if (points.length < 3) sheet.turned = 0;
    const key = `curve ${this.id}`;
    const kept = { step: this.sheetStep, tool: this.sheetTool, points, places };
    if (points.length) sessionStorage.setItem(key, JSON.stringify(kept));
    else sessionStorage.removeItem(key);
    sheet.draw();
  },
  /** A click: a place along a curve is brought onto it exactly, which only the server can. */
  async placeSnapped(snap) {
    let at = snap.at;
    if (snap.word === 'along') {
      const path = `/api/parts/${this.id}/nearest?step=${encodeURIComponent(this.sheetStep)}&x=${at[0]}&y=${at[1]}`;
      at = (await (await this.askServer(path)).json()).at ?? at;
    }
    this.place(this.drawnPlace({ ...snap, at }), at);
  },
  place(amounts, place) {
    const { sheet } = parts;
    const points = [...(sheet.amounts ?? []), amounts];
    this.setPending(points, [...sheet.pending, place]);
    this.sheetError = '';
    if (points.length >= clicksOf(this.sheetTool)) this.endCurve();
    else this.previewPending();
  },
  curveToBe(amounts, places) {
    const curve = { id: '', kind: this.sheetTool, ...curveFrom(this.sheetTool, amounts, places, this.unit()) };
    if (this.drawGuide) curve.guide = true;
    // An arc runs the way that the pointer went round; one whose end is a formula against the clock.
    if (curve.kind === 'arc_about' && places.length === 3) {
      const { sheet } = parts;
      sheet.turned = turnedOn(sheet.turned ?? 0, places);
      if (sheet.turned < 0 && amounts[2].every?.((a) => typeof a === 'number')) curve.way = 'clockwise';
    }
    return curve;
  },
  previewPending() {
    const { sheet } = parts;
    if (!sheet.pending.length && this.sheetTool !== 'tangent_arc') return;
    const [amounts, places] = [[...(sheet.amounts ?? [])], [...sheet.pending]];
    const last = places.at(-1);
    const hover = sheet.hover;
    if (hover && (!last || hover.at[0] !== last[0] || hover.at[1] !== last[1])) {
      amounts.push(this.drawnPlace(hover));
      places.push(hover.at);
    }
    if (places.length < leastOf(this.sheetTool)) {
      // Too little to show yet; but where lines from here would touch is known afterwards.
      parts.live.show([]);
      return;
    }
    const curve = { ...this.curveToBe(amounts, places), id: PREVIEW_ID };
    parts.live.show([{ edit: 'add_curve', step: this.sheetStep, curve }]);
  },
  async endCurve() {
    if (this.ending) return;
    const { sheet } = parts;
    const amounts = sheet.amounts ?? [];
    const needed = leastOf(this.sheetTool);
    if (amounts.length < needed) {
      this.sheetError = `Place at least ${needed} points, then press Enter.`;
      return;
    }
    // A second Enter while the first is being saved must not make the curve twice.
    this.ending = true;
    const kept = [amounts, sheet.pending];
    const { live } = parts;
    live.since = live.ticket + 1;
    const curve = this.curveToBe(amounts, sheet.pending);
    const done = await this.commit([{ edit: 'add_curve', step: this.sheetStep, curve }]);
    if (done) {
      this.setPending([], []);
      this.typed = '';
      this.showOnSheet();
      // What has values is shown at once, so that they can be typed exactly.
      if (curve.values) this.pickOnSheet({ curve: this.drawingStep().curves.at(-1).id });
    } else this.setPending(...kept);
    this.ending = false;
  },
  dropCurve() {
    this.setPending([], []);
    this.sheetError = '';
    this.refresh();
  },
  coordinateLabel() {
    return this.planeWord().join(', ');
  },
  coordinateHint() {
    return this.sheetTool === 'edit' ? 'pick a point' : `12, 40 or 25; 30 deg`;
  },
  async typeCoordinates() {
    const { sheet } = parts;
    const drawing = !!this.kindTool();
    if (!this.typed.trim() && drawing) return this.endCurve();
    const amounts = typedAmounts(this.typed, drawing ? sheet.amounts?.at(-1) : null, this.recipe.unit, asAmount);
    if (!amounts) {
      this.sheetError =
        'Write two values with a comma between, as in 12, 40 or 2*wall, 1 in; or from the last point a length; an angle.';
      return;
    }
    if (!drawing) {
      const { curve, index } = this.picks.at(-1) ?? {};
      if (index !== undefined)
        await this.commit([{ edit: 'move_point', step: this.sheetStep, curve, index, to: amounts }]);
      return;
    }
    const places = amounts.map((a) => (typeof a === 'number' ? a * this.unit() : NaN));
    const last = sheet.pending.at(-1) ?? [0, 0];
    this.place(
      amounts,
      places.map((v, i) => (Number.isFinite(v) ? v : last[i])),
    );
    this.typed = '';
  },
  sheetHint() {
    if (this.sheetTool === 'trim') return 'Click the part of a curve that is to go. Escape when done.';
    if (this.sheetTool === 'split') return 'Click where a curve is to be cut. Escape when done.';
    const kind = this.kindTool();
    if (kind) return `${kind.help} Shift keeps to the grid, Alt to nothing.`;
    return this.picks.some((p) => p.index !== undefined)
      ? 'Drag it, type where it goes, or press Delete. Shift picks several.'
      : 'Drag a point; double click a curve to add one; Shift picks several; drag the paper to move it.';
  },

  // --- Picking
  pickOnSheet(what, more = false) {
    if (!what) this.picks = [];
    else {
      const same = (p) => p.curve === what.curve && p.index === what.index;
      const kept = more ? this.picks.filter((p) => !same(p)) : [];
      this.picks = more && this.picks.some(same) ? kept : [...kept, what];
    }
    this.readTyped();
    this.redrawSheet();
  },
  /** The coordinates of the one point that is picked, as they stand in the recipe. */
  readTyped() {
    const point = this.picks.length === 1 && this.picks[0].index !== undefined ? this.picks[0] : null;
    const amounts = point ? this.drawn(point.curve)?.points[point.index] : null;
    this.typed = Array.isArray(amounts) ? amounts.join(', ') : '';
  },
  pickedPoint() {
    return this.picks.length > 0 && this.picks.every((p) => p.index !== undefined);
  },
  pickedCurve() {
    return this.picks.at(-1)?.curve;
  },
  pickedCurves() {
    return [...new Set(this.picks.map((p) => p.curve))];
  },
  drawn(id) {
    return this.drawingStep()?.curves?.find((c) => c.id === id);
  },
  shownCurve(id) {
    return this.drawings.find((d) => d.step === this.sheetStep)?.curves.find((c) => c.id === id);
  },
  moveEdit(step, { curve, index, to, pin }) {
    return { edit: 'move_point', step, curve, index, to: this.drawnPlace({ at: to, pin }) };
  },
  /** A click with a tool that works on one place of a curve. */
  cutAt(curve, place) {
    const away = place.map((v) => Number(v.toFixed(6)));
    if (this.sheetTool === 'trim') return this.addChange({ change: 'trim', curve, away });
    const taken = this.drawings.find((d) => d.step === this.sheetStep)?.curves.map((c) => c.id) ?? [];
    let n = 2;
    while (taken.includes(`${curve} part ${n}`)) n++;
    return this.addChange({ change: 'split', curve, at: away, second: `${curve} part ${n}` });
  },

  // --- Points
  addPointMid() {
    const curve = this.shownCurve(this.pickedCurve());
    if (!curve || curve.points.length < 2) return;
    const legs = curve.points
      .slice(1)
      .map((p, i) => [Math.hypot(p[0] - curve.points[i][0], p[1] - curve.points[i][1]), i]);
    const [, i] = legs.sort((a, b) => b[0] - a[0])[0];
    const [a, b] = [curve.points[i], curve.points[i + 1]];
    this.commit([
      { edit: 'add_point', step: this.sheetStep, curve: curve.id, at: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2] },
    ]);
  },
  removePoint() {
    // From the last on, so that the places of the others stay.
    const picks = [...this.picks].sort((a, b) => b.index - a.index);
    const edits = picks.map(({ curve, index }) => ({ edit: 'remove_point', step: this.sheetStep, curve, index }));
    this.pickOnSheet({ curve: picks[0].curve });
    this.commit(edits);
  },
  pickedPlaces() {
    return this.picks.map((p) => this.shownCurve(p.curve)?.points[p.index]).filter(Boolean);
  },
  centre() {
    const places = this.pickedPlaces();
    return [0, 1].map((k) => places.reduce((sum, p) => sum + p[k], 0) / places.length);
  },
  sameCurvePicked() {
    return this.pickedPoint() && this.pickedCurves().length === 1;
  },
  gather(to) {
    const points = this.picks.map((p) => p.index);
    const places = this.pickedPlaces();
    const curve = this.pickedCurve();
    const edit = (points, to) => this.commit([{ edit: 'gather_points', step: this.sheetStep, curve, points, to }]);
    if (to === 'place') return edit(points, { place: this.centre() });
    if (to === 'line') return edit(points.slice(1, -1), { line: [places[0], places.at(-1)] });
    return edit([points[0]], { midway: [points[1], points[2]] });
  },
  scalePoints(text) {
    const factor = Number(text);
    if (!Number.isFinite(factor)) {
      this.sheetError = 'Write a factor, such as 1.2 or 0.5.';
      return;
    }
    const points = this.picks.map((p) => p.index);
    this.commit([
      { edit: 'scale_points', step: this.sheetStep, curve: this.pickedCurve(), points, factor, about: this.centre() },
    ]);
  },
  isFrozen() {
    return this.picks.some((p) => this.drawn(p.curve)?.frozen?.includes(p.index));
  },
  toggleFrozen() {
    const curve = this.drawn(this.pickedCurve());
    const indices = this.picks.map((p) => p.index);
    const rest = (curve.frozen ?? []).filter((i) => !indices.includes(i));
    this.setCurve({ ...curve, frozen: this.isFrozen() ? rest : [...rest, ...indices].sort((a, b) => a - b) });
  },
  isPinned() {
    return this.picks.length === 1 && !!this.drawn(this.picks[0].curve)?.points[this.picks[0].index]?.pin;
  },
  pinWord() {
    const pin = this.drawn(this.picks[0].curve)?.points[this.picks[0].index]?.pin;
    return pin ? `pinned to ${this.step(pin.step)?.name ?? pin.step}` : '';
  },
  unpin() {
    const { curve, index } = this.picks[0];
    const place = this.shownCurve(curve).points[index].map((v) => this.number(v));
    this.commit([{ edit: 'move_point', step: this.sheetStep, curve, index, to: place }]);
  },
  weightOf() {
    return this.drawn(this.picks[0]?.curve)?.weights?.[this.picks[0].index] ?? 1;
  },
  async setWeight(text) {
    await this.settled;
    const { curve: id, index } = this.picks[0];
    const curve = this.drawn(id);
    const weights = curve.points.map((_, i) => curve.weights?.[i] ?? 1);
    weights[index] = asAmount(text);
    this.setCurve({ ...curve, weights });
  },

  // --- End handles of a through-point curve
  hasHandle(which) {
    return !!this.drawn(this.pickedCurve())?.[`${which}_handle`];
  },
  /** Adds a handle that reaches a third of the way to the next point, or takes it away. */
  toggleHandle(which) {
    const curve = this.drawn(this.pickedCurve());
    const field = `${which}_handle`;
    if (curve[field]) return this.setCurve({ ...curve, [field]: null });
    const points = this.shownCurve(curve.id).points;
    const [a, b] = which === 'start' ? [points[0], points[1]] : [points.at(-2), points.at(-1)];
    return this.setCurve({ ...curve, [field]: [0, 1].map((k) => this.number((b[k] - a[k]) / 3)) });
  },
  /** Handles to draw: where they begin and end. One that is a formula moves by typing only. */
  handlesShown() {
    const curve = this.pickedCurves().length === 1 ? this.drawn(this.pickedCurve()) : null;
    const points = curve && this.shownCurve(curve.id)?.points;
    if (curve?.kind !== 'through_points' || !points?.length) return [];
    return ['start', 'end'].flatMap((which) => {
      const handle = curve[`${which}_handle`];
      if (!handle?.every((a) => typeof a === 'number')) return [];
      const from = which === 'start' ? points[0] : points.at(-1);
      const sign = which === 'start' ? 1 : -1;
      return [{ which, from, to: from.map((v, k) => v + sign * handle[k] * this.unit()) }];
    });
  },
  handleEdit({ which, to }) {
    const curve = this.drawn(this.pickedCurve());
    const points = this.shownCurve(curve.id).points;
    const from = which === 'start' ? points[0] : points.at(-1);
    const sign = which === 'start' ? 1 : -1;
    const handle = to.map((v, k) => this.number(sign * (v - from[k])));
    return { edit: 'set_curve', step: this.sheetStep, curve: { ...curve, [`${which}_handle`]: handle } };
  },

  // --- Curves and changes
  setCurve(curve) {
    return this.commit([{ edit: 'set_curve', step: this.sheetStep, curve }]);
  },
  pickedKind() {
    return this.kindOfPicked()?.kind;
  },
  pickedKindWord() {
    return this.kindOfPicked()?.label ?? 'made by a change';
  },
  pickedKindValues() {
    return this.kindOfPicked()?.values ?? [];
  },
  pickedCloses() {
    return !!this.kindOfPicked()?.closes;
  },
  /** Whether a switch of the picked curve is on. */
  pickedIs(field) {
    return !!this.drawn(this.pickedCurve())?.[field];
  },
  kindOfPicked() {
    const curve = this.drawn(this.pickedCurve());
    return this.curveKinds.find((k) => k.kind === curve?.kind);
  },
  curveValue(value) {
    const given = this.drawn(this.pickedCurve())?.values?.[value.name];
    if (given !== undefined) return given;
    if (value.quantity === 'angle') return `${Number(((value.default * 180) / Math.PI).toFixed(6))} deg`;
    return value.quantity === 'length' ? this.number(value.default) : value.default;
  },
  async setCurveValue(value, text) {
    await this.settled;
    const curve = this.drawn(this.pickedCurve());
    this.setCurve({ ...curve, values: { ...curve.values, [value.name]: asAmount(text) } });
  },
  pickedKindChoices() {
    return this.kindOfPicked()?.choices ?? [];
  },
  curveChoice(choice) {
    return this.drawn(this.pickedCurve())?.[choice.name] ?? choice.options[0][0];
  },
  async setCurveChoice(choice, value) {
    await this.settled;
    this.setCurve({ ...this.drawn(this.pickedCurve()), [choice.name]: value });
  },
  valueLabel(value) {
    const word = value.name.replaceAll('_', ' ');
    const unit = UNITS_OF[value.quantity] ?? this.recipe.unit;
    return `${word[0].toUpperCase()}${word.slice(1)}${unit ? `, ${unit}` : ''}`;
  },
  toggleCurve(field) {
    const curve = this.drawn(this.pickedCurve());
    this.setCurve({ ...curve, [field]: !curve[field] });
  },
  reverseCurve() {
    this.commit([{ edit: 'reverse_curve', step: this.sheetStep, curve: this.pickedCurve() }]);
  },
  removeCurve() {
    const curves = this.pickedCurves().filter((id) => this.drawn(id));
    this.pickOnSheet(null);
    this.commit(curves.map((curve) => ({ edit: 'remove_curve', step: this.sheetStep, curve })));
  },
  reshape(to) {
    const curve = this.pickedCurve();
    this.pickOnSheet({ curve });
    return this.commit([{ edit: 'reshape_curve', step: this.sheetStep, curve, to }]);
  },
  async recast() {
    const { points, degree, curvature } = this.reshapeTo;
    const ends = curvature ? 'curvature' : 'tangent';
    const curve = this.pickedCurve();
    try {
      const path = `/api/parts/${this.id}/recast?step=${encodeURIComponent(this.sheetStep)}&curve=${encodeURIComponent(curve)}&points=${points}&degree=${degree}&ends=${ends}`;
      const { deviation } = await (await this.askServer(path)).json();
      if (await this.reshape({ recast: { points: Number(points), degree: Number(degree), ends } })) {
        this.say(`${curve} has ${points} points now; that cost ${this.lengthText(deviation)}.`, '', [
          'Undo',
          () => this.history('undo'),
        ]);
      }
    } catch (error) {
      this.sheetError = error.message;
    }
  },
  combOf(id) {
    return this.sheetExtras?.combs.find((c) => c.id === id);
  },
  curveFigures() {
    const tightest = this.combOf(this.pickedCurve())?.tightest;
    const curve = this.shownCurve(this.pickedCurve());
    const length = this.report?.steps
      .find((s) => s.step === this.sheetStep)
      ?.reached.find((r) => r.label === `Length of ${curve?.id}`);
    const out = [['Kind', curve?.closed ? 'closed' : 'open']];
    if (length) out.push(['Length', this.lengthText(length.value)]);
    if (tightest) out.push(['Smallest radius', this.lengthText(tightest[0])]);
    return out;
  },
  changes() {
    return this.drawingStep()?.changes ?? [];
  },
  describeChange(change) {
    return this.changeKinds.find((k) => k.change === change.change);
  },
  changeOf(change) {
    return [change.curve, change.with, change.to, ...(change.curves ?? [])].filter(Boolean).join(', ');
  },
  changeValues(change) {
    return this.describeChange(change).values.map((v) => ({ ...v, now: at(change, v.name) ?? '' }));
  },
  startChange(kind) {
    if (kind.picks === 'place') return this.setSheetTool(kind.change);
    const curves = this.pickedCurves();
    if (!curves.length) {
      this.sheetError = `${kind.label}: ${kind.help} Pick ${kind.picks === 'many' ? 'the curves' : 'a curve'} first.`;
      return;
    }
    const taken = this.drawings.find((d) => d.step === this.sheetStep)?.curves.map((c) => c.id) ?? [];
    let n = 1;
    while (taken.includes(`${kind.change} ${n}`)) n++;
    const change = { change: kind.change };
    if (kind.picks === 'many') change.curves = curves;
    else change.curve = curves[0];
    if (['fillet', 'chamfer'].includes(kind.change) && curves[1]) change.with = curves[1];
    if (kind.change === 'extend' && curves[1]) change.to = curves[1];
    if (['offset', 'smooth', 'join'].includes(kind.change)) change.id = `${kind.change} ${n}`;
    for (const v of kind.values) {
      if (v.name === 'by' && change.to) continue;
      const [field, index] = v.name.split('.');
      if (index === undefined) change[field] = v.default;
      else (change[field] ??= [])[index] = v.default;
    }
    // Of several curves picked for a mirror, a straight helping line at the end is what they are mirrored about.
    const last = this.drawn(curves.at(-1));
    if (kind.change === 'mirror' && curves.length > 1 && last?.guide) {
      change.curves = curves.slice(0, -1);
      change.line = curves.at(-1);
    }
    return this.addChange(change);
  },
  addChange(change) {
    return this.commit([{ edit: 'add_change', step: this.sheetStep, change }]);
  },
  async setChange(index, name, text) {
    // The change as it will be once what was typed before is saved.
    await this.settled;
    const change = withValue(this.changes()[index], name, asAmount(text));
    return this.commit([{ edit: 'set_change', step: this.sheetStep, index, change }]);
  },
  removeChange(index) {
    return this.commit([{ edit: 'remove_change', step: this.sheetStep, index }]);
  },
});
