// The part page: keeps the recipe, the open card and the sheet together. Geometry is asked of the server.
import Alpine from '/assets/vendor/alpine.js';
import { icon } from './icons.js';
import { Live, ask } from './link.js';
import { ROW, kinOf, lineageRows, lineageSvg, moveTo, roomFor } from './lineage.js';
import { Sheet } from './sheet.js';
import { Viewer } from './viewer.js';

const MM = { mm: 1, cm: 10, m: 1000, in: 25.4 };
const PLANES = { xz: ['X', 'Z'], yz: ['Y', 'Z'], xy: ['X', 'Y'] };
const descriptions = JSON.parse(document.getElementById('step-descriptions').textContent);
const describe = (kind) => descriptions.find((d) => d.kind === kind);
const kindOf = (step) => Object.keys(step.make)[0];
// Made once for each number of digits: making a format costs far more than using it.
const formats = Array.from(
  { length: 10 },
  (_, digits) => new Intl.NumberFormat('en', { maximumFractionDigits: digits }),
);
const figure = (v, digits = 3) => formats[digits].format(v).replaceAll(',', '\u2009');

let viewer, sheet, live; // Kept out of Alpine's reach: its proxies would slow drawing down.
let sayings = 0;

Alpine.data('part', () => ({
  id: '',
  version: 0,
  recipe: null,
  report: null,
  drawings: [],
  undoLabel: null,
  redoLabel: null,
  stages: ['Draw', 'Skin', 'Shape', 'Close', 'Prove', 'Send'],
  stage: 'Draw',
  loaded: false,
  busy: false,
  saved: '',
  picked: null,
  hovered: null,
  renaming: null,
  moving: null,
  card: null,
  panel: null,
  sheetStep: null,
  sheetTool: 'edit',
  pickedPoint: false,
  pickedCurve: false,
  showPolygon: false,
  typed: '',
  sheetError: '',
  hoverWord: '',
  progress: null,
  said: [],
  finder: null,
  chord: '0.05',
  sheetTools: [
    { kind: 'edit', label: 'Edit', key: 'e', help: 'Pick and drag points; drag the paper' },
    { kind: 'through_points', label: 'Through', key: 'p', help: 'A curve that passes through every click' },
    { kind: 'control_points', label: 'Control', key: 'c', help: 'A curve whose clicks are its control polygon' },
    { kind: 'arc', label: 'Arc', key: 'a', help: 'An arc: from, through, to' },
  ],
  formats: [
    { ending: 'step', label: 'STEP', help: 'Exact surfaces in millimetres, ISO 10303 AP242.' },
    { ending: 'stl', label: 'STL', help: 'Triangles, binary, millimetres.' },
    { ending: '3mf', label: '3MF', help: 'Triangles with units, for printing.' },
  ],
  icon,

  async init() {
    this.id = this.$root.dataset.part;
    viewer = new Viewer(document.getElementById('space'), {
      hover: (under) => this.hover(under),
      clicked: (under) => under.body && this.pick(under.body.step),
      dragging: (drag) => live.show([this.moveEdit(drag.drawing.step, drag)]),
      dragged: (drag) => this.commit([this.moveEdit(drag.drawing.step, drag)]),
    });
    sheet = new Sheet(document.getElementById('sheet'), {
      unit: () => ({ name: this.recipe?.unit ?? 'mm', mm: this.unit() }),
      axisNames: () => PLANES[this.step(this.sheetStep)?.make.drawing?.plane ?? 'xz'],
      flatten: (p) => this.flatten(p),
      placed: (at) =>
        this.place(
          at.map((v) => this.number(v)),
          at,
        ),
      hovered: () => this.previewPending(),
      picked: (what) => this.pickOnSheet(what),
      dragging: (drag) => live.show([this.moveEdit(this.sheetStep, drag)]),
      dragged: (drag) => this.commit([this.moveEdit(this.sheetStep, drag)]),
      addPoint: (curve, at) => this.commit([{ edit: 'add_point', step: this.sheetStep, curve, at }]),
    });
    live = new Live(this.id, {
      shown: (bytes) => this.show(bytes),
      refused: (error) => this.previewRefused(error),
      changed: (version) => this.changedElsewhere(version),
      progress: (note) => {
        this.progress = note;
      },
      version: () => this.version,
      linked: (on) => {
        this.saved = on ? this.savedWord() : 'no connection: your work stays here';
      },
    });
    await this.load();
    this.restoreDraft();
    this.$watch('card', () => this.keepDraft());
  },

  // --- The recipe and its changes
  step(id) {
    return this.recipe?.steps.find((s) => s.id === id);
  },
  unit() {
    return MM[this.recipe?.unit ?? 'mm'];
  },
  number(mm) {
    return Number((mm / this.unit()).toFixed(9));
  },
  savedWord() {
    return this.version > 1 ? `saved · version ${this.version}` : 'new';
  },

  async load() {
    try {
      this.take(await (await ask(`/api/parts/${this.id}`)).json());
      await this.refresh();
    } catch (error) {
      this.say(error.message, 'error');
    }
    this.loaded = true;
  },

  take(part) {
    Object.assign(this, { version: part.version, recipe: part.recipe, undoLabel: part.undo, redoLabel: part.redo });
    this.saved = this.savedWord();
    document.title = `${part.name} · Kindred Shell`;
    if (this.sheetStep && !this.step(this.sheetStep)) this.closeSheet();
    if (this.picked && !this.step(this.picked)) this.picked = null;
    if (this.card && !this.card.fresh && !this.step(this.card.id)) this.card = null;
  },

  async refresh() {
    await live.showSaved();
    if (this.card) this.previewCard();
  },

  async show(bytes) {
    const extras = await viewer.show(bytes);
    if (!extras) return;
    this.report = extras.report;
    this.drawings = extras.drawings;
    this.sheetError = '';
    this.showOnSheet();
    this.showPlaces();
    this.shown = (this.shown ?? 0) + 1;
  },

  /** Sends edits; gives whether they were made. Whatever was typed stays where it is when they were not. */
  async commit(edits) {
    if (this.busy) {
      await this.settled;
    }
    this.busy = true;
    this.saved = 'saving';
    let done;
    this.settled = new Promise((resolve) => {
      done = resolve;
    });
    try {
      const part = await (await ask(`/api/parts/${this.id}/edits`, { version: this.version, edits })).json();
      this.take(part);
      await this.refresh();
      return part.added ?? true;
    } catch (error) {
      this.saved = 'not saved';
      if (error.kind === 'conflict') {
        this.say(error.message, 'error');
        this.take(await (await ask(`/api/parts/${this.id}`)).json());
      } else {
        this.say(error.message, 'error', error.kind === 'offline' ? ['Try again', () => this.commit(edits)] : null);
      }
      await this.refresh().catch(() => {});
      return false;
    } finally {
      this.busy = false;
      done();
    }
  },

  async history(way) {
    if (way === 'undo' ? !this.undoLabel : !this.redoLabel) return;
    try {
      this.take(await (await ask(`/api/parts/${this.id}/${way}`, { version: this.version })).json());
      await this.refresh();
    } catch (error) {
      this.say(error.message, 'error');
    }
  },

  async changedElsewhere(version) {
    // Our own changes are heard of as well; the answer to them may still be on its way.
    await this.settled;
    if (version <= this.version) return;
    await this.load();
    this.say('This part was changed elsewhere; you see it as it is now.');
  },

  progressWord() {
    const { done, of, step } = this.progress ?? {};
    return of ? `Rebuilding: ${done} of ${of}, ${this.step(step)?.name ?? 'new step'} is done` : 'Rebuilding';
  },
  stopRebuild() {
    live.stop();
  },
  stopped() {
    return this.report?.steps.some((s) => s.state === 'cancelled') ?? false;
  },
  rebuildAgain() {
    return this.refresh();
  },

  say(text, kind = '', act = null) {
    const n = ++sayings;
    this.said = [...this.said.slice(-2), { n, text, kind, word: act?.[0], act: act?.[1] }];
    if (!act) setTimeout(() => this.unsay(n), 9000);
  },
  unsay(n) {
    this.said = this.said.filter((s) => s.n !== n);
  },

  renamePart(event) {
    const name = event.target.value.trim();
    if (name && name !== this.recipe.name) this.commit([{ edit: 'rename_part', name }]);
    else event.target.value = this.recipe.name;
  },

  // --- Stages and tools
  toolsOf(stage) {
    return descriptions.filter((d) => d.stage === stage);
  },
  stagePurpose(stage) {
    return {
      Draw: 'Draw profile curves',
      Skin: 'Make surfaces from curves',
      Shape: 'Trim, offset and fillet',
      Close: 'Close surfaces into solids',
      Prove: 'Measure and check',
      Send: 'Send files out',
    }[stage];
  },
  stageNote(stage) {
    return (
      {
        Shape: 'No tool of this stage yet. Points of a profile can be dragged at any time.',
        Prove: 'Measures of every body stand on the card.',
        Send: 'Choose a format on the card.',
      }[stage] ?? ''
    );
  },
  stageDone(stage) {
    return this.recipe?.steps.some((s) => describe(kindOf(s)).stage === stage) ?? false;
  },
  openStage(stage) {
    this.stage = stage;
    this.panel = { Prove: 'prove', Send: 'send' }[stage] ?? null;
    if (this.panel) this.leave();
  },
  togglePanel(name) {
    this.panel = this.panel === name ? null : name;
    if (this.panel) this.leave();
  },

  async begin(kind) {
    // What is being saved may be what the new step is made from.
    await this.settled;
    const description = describe(kind);
    this.stage = description.stage;
    this.panel = null;
    if (kind === 'drawing') {
      this.leave();
      const count = this.recipe.steps.filter((s) => kindOf(s) === 'drawing').length;
      const added = await this.commit([
        {
          edit: 'add_step',
          step: { id: '', name: count ? `Profile ${count + 1}` : 'Profile', make: { drawing: { plane: 'xz' } } },
        },
      ]);
      if (added) {
        this.pick(added, true);
        this.openSheet(added);
        this.setSheetTool('through_points');
      }
      return;
    }
    this.closeSheet();
    const draft = Object.fromEntries(description.values.map((v) => [v.name, v.default]));
    for (const slot of description.slots) {
      // The newest fitting shape that nothing was made from yet, or the one that is picked.
      const fitting = this.recipe.steps.filter((s) => slot.takes.includes(kindOf(s)));
      const unused = fitting.filter((s) => !this.rows.some((r) => r.parents.includes(s.id)));
      const best = fitting.find((s) => s.id === this.picked) ?? unused.at(-1) ?? fitting.at(-1);
      if (best) draft[slot.name] = { step: best.id };
    }
    this.card = {
      kind,
      description,
      draft,
      fresh: true,
      title: description.label,
      place: `step ${this.recipe.steps.length + 1}`,
      id: null,
    };
    this.previewCard();
  },

  // --- The lineage
  get rows() {
    return lineageRows(this.recipe, this.report);
  },
  get kin() {
    return kinOf(this.rows, this.hovered ?? this.picked);
  },
  row(id) {
    return this.rows.find((r) => r.id === id);
  },
  lineageDrawing() {
    return lineageSvg(this.rows, this.picked, this.kin);
  },
  hoverStep(id) {
    this.hovered = id;
  },

  /** A row is dragged to another place in the order; where it would land is shown as far as the lineage allows. */
  rowDown(event, id) {
    if (event.button !== 0 || this.renaming) return;
    const top = event.currentTarget.closest('ol').getBoundingClientRect().top;
    const start = event.clientY;
    const rows = this.rows;
    const [from, to] = roomFor(rows, id);
    const move = (e) => {
      if (!this.moving && Math.abs(e.clientY - start) < 6) return;
      const place = Math.min(to, Math.max(from, Math.floor((e.clientY - top) / ROW)));
      this.moving = { id, place, line: place > rows.findIndex((r) => r.id === id) ? (place + 1) * ROW : place * ROW };
    };
    const up = () => {
      removeEventListener('pointermove', move);
      removeEventListener('pointerup', up);
      const edit = this.moving && moveTo(rows, id, this.moving.place);
      this.moving = null;
      if (edit) this.commit([edit]);
    };
    addEventListener('pointermove', move);
    addEventListener('pointerup', up);
  },
  rowKey(event, id) {
    if (!event.altKey || !['ArrowUp', 'ArrowDown'].includes(event.key)) return;
    event.preventDefault();
    const now = this.rows.findIndex((r) => r.id === id);
    const edit = moveTo(this.rows, id, now + (event.key === 'ArrowUp' ? -1 : 1));
    if (edit) this.commit([edit]);
  },

  pick(id, quiet = false) {
    const step = this.step(id);
    if (!step) return;
    // With a card open, a pick fills its slot if it fits.
    const slot = this.card?.description.slots.find((s) => s.takes.includes(kindOf(step)));
    if (slot && this.card.id !== id) return this.fillSlot(slot, id);
    if (this.picked === id && !quiet && (this.card || this.sheetStep === id)) return;
    this.picked = id;
    viewer.pick(id);
    if (quiet) return;
    this.panel = null;
    const kind = kindOf(step);
    this.stage = describe(kind).stage;
    if (kind === 'drawing') {
      this.leave();
      this.openSheet(id);
      return;
    }
    this.closeSheet();
    const description = describe(kind);
    const defaults = Object.fromEntries(description.values.map((v) => [v.name, v.default]));
    this.card = {
      kind,
      description,
      draft: { ...defaults, ...JSON.parse(JSON.stringify(step.make[kind])) },
      fresh: false,
      title: step.name,
      place: `${description.label} · step ${this.recipe.steps.indexOf(step) + 1} of ${this.recipe.steps.length}`,
      id,
    };
    this.showPlaces();
  },

  rename(id, name) {
    if (this.renaming !== id) return;
    this.renaming = null;
    if (name.trim() && name.trim() !== this.step(id)?.name)
      this.commit([{ edit: 'rename_step', step: id, name: name.trim() }]);
  },
  displayWord() {
    return { auto: 'By need', show: 'Shown', backdrop: 'Backdrop', hide: 'Hidden' }[
      this.step(this.picked)?.display ?? 'auto'
    ];
  },
  cycleDisplay() {
    const order = ['auto', 'show', 'backdrop', 'hide'];
    const now = order.indexOf(this.step(this.picked)?.display ?? 'auto');
    this.commit([{ edit: 'set_display', step: this.picked, display: order[(now + 1) % 4] }]);
  },
  toggleSkip() {
    this.commit([{ edit: 'set_skip', step: this.picked, skip: !this.step(this.picked)?.skip }]);
  },
  async removeStep() {
    const step = this.step(this.picked);
    this.leave();
    if (await this.commit([{ edit: 'remove_step', step: step.id }]))
      this.say(`${step.name} is removed, with what was made from it.`, '', ['Undo', () => this.history('undo')]);
  },

  // --- The step card
  slotOptions(slot) {
    const before = this.card.fresh
      ? this.recipe.steps
      : this.recipe.steps.slice(
          0,
          this.recipe.steps.findIndex((s) => s.id === this.card.id),
        );
    return before
      .filter((s) => slot.takes.includes(kindOf(s)))
      .flatMap((s) => {
        const curves = s.make.drawing?.curves ?? [];
        const alone =
          curves.length > 1 ? curves.map((c) => ({ value: `${s.id}\n${c.id}`, label: `${s.name} / ${c.id}` })) : [];
        return [{ value: s.id, label: s.name }, ...alone];
      });
  },
  slotEmpty(slot) {
    return this.slotOptions(slot).length ? 'Pick one, here or in the lineage' : 'Nothing fits yet: make one first';
  },
  slotValue(slot) {
    const reference = this.card.draft[slot.name];
    return reference ? (reference.curve ? `${reference.step}\n${reference.curve}` : reference.step) : '';
  },
  fillSlot(slot, value) {
    const [step, curve] = value.split('\n');
    this.card.draft[slot.name] = step ? (curve ? { step, curve } : { step }) : undefined;
    this.previewCard();
  },
  shownValues() {
    return this.card.description.values.filter((v) => !v.only_if || this.card.draft[v.only_if[0]] === v.only_if[1]);
  },
  setValue(value, given) {
    const plain = value.widget === 'amount' && given.trim() !== '' && Number.isFinite(Number(given));
    this.card.draft[value.name] = plain ? Number(given) : given;
    this.previewCard();
  },
  cardReady() {
    return this.card.description.slots.every((s) => this.card.draft[s.name]);
  },
  cardEdits() {
    const { card } = this;
    if (card.fresh) {
      const count = this.recipe.steps.filter((s) => kindOf(s) === card.kind).length;
      const name = count ? `${card.description.label} ${count + 1}` : card.description.label;
      return [{ edit: 'add_step', step: { id: '', name, make: { [card.kind]: card.draft } } }];
    }
    const now = this.step(card.id).make[card.kind];
    const fields = [...card.description.slots, ...card.description.values];
    return fields
      .filter((f) => JSON.stringify(card.draft[f.name]) !== JSON.stringify(now[f.name] ?? f.default))
      .map((f) => ({ edit: 'set_field', step: card.id, field: f.name, value: card.draft[f.name] }));
  },
  previewCard() {
    this.keepDraft();
    if (!this.card || !this.cardReady()) return;
    live.show(this.cardEdits());
  },
  cardReport() {
    const steps = this.report?.steps ?? [];
    return this.card.fresh ? steps.slice(this.recipe.steps.length).at(-1) : steps.find((s) => s.step === this.card.id);
  },
  cardNotices() {
    const r = this.cardReport();
    const notices = (r?.warnings ?? []).map((w) => ({ ...w, level: 'warning' }));
    if (r?.error) notices.unshift({ ...r.error, level: 'error' });
    if (r?.state === 'waits')
      notices.unshift({
        level: 'error',
        message: `It waits for ${this.step(r.waits_for)?.name ?? 'its input'}, which is not built.`,
      });
    if (this.card.refusal) notices.unshift({ level: 'error', message: this.card.refusal });
    return notices;
  },
  cardReached() {
    const r = this.cardReport();
    const text = ({ value, quantity }) =>
      quantity === 'length'
        ? `${figure(value / this.unit(), value < 0.01 ? 6 : 3)} ${this.recipe.unit}`
        : figure(value);
    const out = (r?.reached ?? []).map((x) => ({ label: x.label, text: text(x) }));
    const body = this.report?.bodies.find((b) => b.step === r?.step);
    if (body) out.push({ label: 'Area', text: `${figure(body.area_mm2, 1)} mm²` });
    if (body?.volume_ml) out.push({ label: 'Volume', text: `${figure(body.volume_ml, 3)} mL` });
    return out;
  },
  async accept() {
    const { card } = this;
    if (!card || !this.cardReady()) return;
    const edits = this.cardEdits();
    // Closed at once, so that the next tool can be opened while this is saved; it comes back if it was refused.
    this.card = null;
    if (edits.length) {
      const done = await this.commit(edits);
      if (!done) {
        this.card ??= card;
        return;
      }
      if (!this.card) {
        this.picked = card.fresh ? done : card.id;
        viewer.pick(this.picked);
      }
    }
    this.showPlaces();
  },
  leave() {
    if (!this.card) return;
    this.card = null;
    this.refresh().catch((error) => this.say(error.message, 'error'));
  },
  async cure(cure) {
    await this.commit(cure.edits);
  },
  previewRefused(error) {
    if (this.card) this.card.refusal = error;
    else if (this.sheetStep && sheet.pending.length < 2) this.sheetError = '';
    else if (this.sheetStep) this.sheetError = error;
  },
  keepDraft() {
    if (this.card) {
      const { kind, draft, fresh, id } = this.card;
      this.card.refusal = null;
      sessionStorage.setItem(`card ${this.id}`, JSON.stringify({ kind, draft, fresh, id }));
    } else sessionStorage.removeItem(`card ${this.id}`);
  },
  restoreDraft() {
    const kept = JSON.parse(sessionStorage.getItem(`card ${this.id}`) ?? 'null');
    if (kept && describe(kept.kind) && (kept.fresh || this.step(kept.id))) {
      if (kept.fresh) {
        const description = describe(kept.kind);
        this.card = { ...kept, description, title: description.label, place: `step ${this.recipe.steps.length + 1}` };
        this.stage = description.stage;
      } else {
        this.pick(kept.id);
        this.card.draft = kept.draft;
      }
      this.previewCard();
    }
    const drawn = JSON.parse(sessionStorage.getItem(`curve ${this.id}`) ?? 'null');
    if (drawn?.points.length && this.step(drawn.step)) {
      this.pick(drawn.step, true);
      this.openSheet(drawn.step);
      this.setSheetTool(drawn.tool);
      this.setPending(drawn.points, drawn.places);
      this.previewPending();
    }
  },

  // --- The sheet
  openSheet(id) {
    if (this.sheetStep === id) return;
    this.sheetStep = id;
    this.setSheetTool(this.step(id).make.drawing.curves?.length ? 'edit' : 'through_points');
    this.$nextTick(() => {
      this.showOnSheet();
      sheet.fit();
    });
  },
  closeSheet() {
    if (!this.sheetStep) return;
    if (sheet.pending.length) this.setPending([], []);
    this.sheetStep = null;
    this.pickOnSheet(null);
    this.refresh().catch(() => {});
  },
  setSheetTool(kind) {
    if (sheet.pending.length && kind !== this.sheetTool) this.dropCurve();
    this.sheetTool = sheet.tool = kind;
    sheet.hover = null;
    if (kind !== 'edit') this.pickOnSheet(null);
    sheet.draw();
  },
  showOnSheet() {
    sheet.drawing = this.drawings.find((d) => d.step === this.sheetStep) ?? null;
    if (sheet.drawing && sheet.pending.length) {
      // While drawing, the preview's newest curve is the one that is not saved yet.
      const saved = this.step(this.sheetStep)?.make.drawing.curves?.length ?? 0;
      const newest = sheet.drawing.curves[saved];
      sheet.preview = newest?.line.map((p) => this.flatten(p)) ?? null;
      sheet.drawing = { ...sheet.drawing, curves: sheet.drawing.curves.slice(0, saved) };
    } else sheet.preview = null;
    sheet.polygon = this.showPolygon;
    sheet.draw();
  },
  redrawSheet() {
    sheet.polygon = this.showPolygon;
    sheet.draw();
  },
  flatten(p) {
    const f = this.drawings.find((d) => d.step === this.sheetStep)?.frame;
    if (!f) return [p[0], p[2]];
    const dot = (axis) => p.reduce((sum, v, i) => sum + (v - f.origin[i]) * axis[i], 0);
    return [dot(f.x), dot(f.y)];
  },
  moveEdit(step, { curve, index, to }) {
    return { edit: 'move_point', step, curve, index, to: to.map((v) => this.number(v)) };
  },
  pickOnSheet(what) {
    sheet.picked = what;
    this.pickedPoint = what?.index !== undefined;
    this.pickedCurve = !!what;
    const amounts = this.pickedPoint ? this.drawn(what.curve)?.points[what.index] : null;
    this.typed = amounts ? amounts.join(', ') : '';
    sheet.draw();
  },
  drawn(id) {
    return this.step(this.sheetStep)?.make.drawing.curves?.find((c) => c.id === id);
  },
  setPending(points, places) {
    sheet.pending = places;
    sheet.amounts = points;
    if (points.length)
      sessionStorage.setItem(
        `curve ${this.id}`,
        JSON.stringify({ step: this.sheetStep, tool: this.sheetTool, points, places }),
      );
    else sessionStorage.removeItem(`curve ${this.id}`);
    sheet.draw();
  },
  place(amounts, at) {
    const points = [...(sheet.amounts ?? []), amounts];
    this.setPending(points, [...sheet.pending, at]);
    this.sheetError = '';
    if (this.sheetTool === 'arc' && points.length === 3) this.endCurve();
    else this.previewPending();
  },
  previewPending() {
    if (!sheet.pending.length) return;
    const points = [...sheet.amounts];
    const last = sheet.pending.at(-1);
    if (sheet.hover && (sheet.hover.at[0] !== last[0] || sheet.hover.at[1] !== last[1]))
      points.push(sheet.hover.at.map((v) => this.number(v)));
    if (points.length < (this.sheetTool === 'arc' ? 3 : 2)) return;
    live.show([{ edit: 'add_curve', step: this.sheetStep, curve: { id: '', kind: this.sheetTool, points } }]);
  },
  async endCurve() {
    if (this.ending) return;
    const points = sheet.amounts ?? [];
    const needed = this.sheetTool === 'arc' ? 3 : 2;
    if (points.length < needed) {
      this.sheetError = `Place at least ${needed} points, then press Enter.`;
      return;
    }
    // A second Enter while the first is being saved must not make the curve twice.
    this.ending = true;
    const kept = [points, sheet.pending];
    live.since = live.ticket + 1;
    const done = await this.commit([
      { edit: 'add_curve', step: this.sheetStep, curve: { id: '', kind: this.sheetTool, points } },
    ]);
    if (done) {
      this.setPending([], []);
      this.typed = '';
      this.showOnSheet();
    } else this.setPending(...kept);
    this.ending = false;
  },
  dropCurve() {
    this.setPending([], []);
    this.sheetError = '';
    this.refresh().catch(() => {});
  },
  coordinateLabel() {
    const names = PLANES[this.step(this.sheetStep)?.make.drawing?.plane ?? 'xz'];
    return names.join(', ');
  },
  coordinateHint() {
    return this.sheetTool === 'edit' ? 'pick a point' : `12, 40 ${this.recipe?.unit ?? 'mm'}`;
  },
  async typeCoordinates() {
    if (!this.typed.trim() && this.sheetTool !== 'edit') {
      this.endCurve();
      return;
    }
    const texts = this.typed.split(',').map((t) => t.trim());
    if (texts.length !== 2 || texts.some((t) => !t)) {
      this.sheetError = 'Write two values with a comma between, as in 12, 40 or 2*wall, 1 in.';
      return;
    }
    const amounts = texts.map((t) => (Number.isFinite(Number(t)) ? Number(t) : t));
    if (this.sheetTool === 'edit') {
      const { curve, index } = sheet.picked ?? {};
      if (index !== undefined)
        await this.commit([{ edit: 'move_point', step: this.sheetStep, curve, index, to: amounts }]);
      return;
    }
    const places = amounts.map((a) => (typeof a === 'number' ? a * this.unit() : NaN));
    // A formula's place is known to the server only; the sheet shows it once the curve is there.
    this.place(
      amounts,
      places.map((v, i) => (Number.isFinite(v) ? v : (sheet.pending.at(-1)?.[i] ?? 0))),
    );
    this.typed = '';
  },
  sheetHint() {
    if (this.sheetTool === 'edit')
      return this.pickedPoint
        ? 'Drag it, type where it goes, or press Delete.'
        : 'Drag a point; double click a curve to add one; drag the paper to move it.';
    return this.sheetTool === 'arc'
      ? 'Click where the arc begins, a place it passes, and where it ends.'
      : 'Click points, or type them. Enter ends the curve, Escape drops it.';
  },
  addPointMid() {
    const curve = this.drawings.find((d) => d.step === this.sheetStep)?.curves.find((c) => c.id === sheet.picked.curve);
    if (!curve) return;
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
    const { curve, index } = sheet.picked;
    this.pickOnSheet({ curve });
    this.commit([{ edit: 'remove_point', step: this.sheetStep, curve, index }]);
  },
  reverseCurve() {
    this.commit([{ edit: 'reverse_curve', step: this.sheetStep, curve: sheet.picked.curve }]);
  },
  removeCurve() {
    const { curve } = sheet.picked;
    this.pickOnSheet(null);
    this.commit([{ edit: 'remove_curve', step: this.sheetStep, curve }]);
  },

  // --- In space and in the ledger
  hover({ handle, body, inner }) {
    this.hoverWord = handle
      ? `Point ${handle.userData.index + 1} of ${handle.userData.curve}: drag it`
      : body
        ? `${this.step(body.step)?.name ?? 'New'} · ${body.role} · ${inner ? 'inner' : 'outer'} side`
        : '';
    this.hovered = body?.step ?? null;
  },
  spaceWords() {
    return `Perspective · ${this.recipe?.unit ?? 'mm'} · light side is outside`;
  },
  look(name) {
    viewer.look(name);
  },
  fly(at) {
    viewer.fly(at);
    viewer.mark([at]);
  },
  showPlaces() {
    const places = (this.report?.steps ?? [])
      .flatMap((s) => [s.error, ...s.warnings])
      .filter((n) => n?.at)
      .map((n) => n.at);
    viewer.mark(places);
    sheet.places = this.sheetStep ? places.map((p) => this.flatten(p)) : [];
    sheet.draw();
  },
  goTo(item) {
    if (item.step && this.step(item.step)) this.pick(item.step);
    if (item.at) this.fly(item.at);
  },
  showFirst() {
    const first = this.report?.ledger.find((i) => i.state === 'left');
    if (first) this.goTo(first);
    else if (this.report?.ready) this.openStage('Send');
    else this.say('Nothing is open to show: draw a profile, revolve it, then thicken it.');
  },
  ledgerHint() {
    return this.report?.ready
      ? 'ready to send'
      : this.report?.bodies.length
        ? 'show me the first'
        : 'closure stands here';
  },
  measures(body) {
    const c = (v) => v.map((x) => figure(x, 3)).join(', ');
    const out = [['Area', `${figure(body.area_mm2, 2)} mm²`]];
    if (body.volume_mm3)
      out.unshift(
        ['Volume', `${figure(body.volume_mm3, 2)} mm³`],
        ['', `${figure(body.volume_ml, 4)} mL`],
        ['', `${figure(body.volume_in3, 5)} in³`],
      );
    if (body.centroid) out.push(['Centroid', `${c(body.centroid)} mm`]);
    if (body.bounding_box) {
      const [a, b] = body.bounding_box;
      out.push(['Size', `${b.map((x, i) => figure(x - a[i], 2)).join(' × ')} mm`]);
    }
    out.push(
      ['Largest gap', `${body.largest_gap_mm.toExponential(1)} mm`],
      ['Free edges', String(body.free_edges.length)],
      ['Faces, edges, vertices', `${body.faces}, ${body.edges}, ${body.vertices}`],
    );
    if (body.voids) out.push(['Voids', String(body.voids)]);
    return out;
  },

  // --- Parameters and sending
  setUnit(unit) {
    this.commit([{ edit: 'set_unit', unit }]);
  },
  amount(text) {
    return text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : text;
  },
  setParameter(p, text) {
    this.commit([{ edit: 'set_parameter', parameter: { ...p, formula: this.amount(text) } }]);
  },
  async addParameter(form) {
    const name = form.elements.name.value.trim(),
      formula = form.elements.formula.value.trim();
    const quantity = /\b(deg|rad)\b/.test(formula) ? 'angle' : 'length';
    if (
      name &&
      formula &&
      (await this.commit([{ edit: 'set_parameter', parameter: { name, quantity, formula: this.amount(formula) } }]))
    )
      form.reset();
  },
  async send(format) {
    const chord = Number(String(this.chord).replace(/\s*mm$/, ''));
    try {
      const answer = await ask(`/api/parts/${this.id}/send/${format.ending}?chord=${encodeURIComponent(chord)}`);
      const link = document.createElement('a');
      link.href = URL.createObjectURL(await answer.blob());
      link.download = answer.headers.get('Content-Disposition').match(/filename="(.+)"/)[1];
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10000);
      this.say(`${link.download} is sent.`);
    } catch (error) {
      this.say(error.message, 'error');
    }
  },

  // --- Keys and finding
  openFinder() {
    this.finder = '';
    this.$nextTick(() => document.getElementById('finder-text').focus());
  },
  found() {
    const words = (this.finder ?? '').toLowerCase().split(/\s+/).filter(Boolean);
    const tools = descriptions.map((d) => ({
      label: d.label,
      purpose: d.purpose,
      also: d.also,
      key: d.key,
      run: () => this.begin(d.kind),
    }));
    tools.push(
      {
        label: 'Send',
        purpose: 'Files to send out: STEP, STL, 3MF',
        also: 'export save file print',
        key: '',
        run: () => this.openStage('Send'),
      },
      {
        label: 'Measures',
        purpose: 'Volume, area, size of every body',
        also: 'prove mass centroid check',
        key: '',
        run: () => this.openStage('Prove'),
      },
      {
        label: 'Parameters',
        purpose: 'Named values, and the unit',
        also: 'variables formula unit inch',
        key: '',
        run: () => this.togglePanel('parameters'),
      },
    );
    return tools.filter((t) => words.every((w) => `${t.label} ${t.purpose} ${t.also}`.toLowerCase().includes(w)));
  },
  runFound(found) {
    this.finder = null;
    found?.run();
  },
  escape() {
    if (this.finder !== null) this.finder = null;
    else if (this.renaming) this.renaming = null;
    else if (this.card) this.leave();
    else if (this.panel) this.panel = null;
    else if (this.sheetStep && sheet.pending.length) this.dropCurve();
    else if (this.sheetStep && this.sheetTool !== 'edit') this.setSheetTool('edit');
    else if (this.sheetStep) this.closeSheet();
  },
  key(event) {
    const typing = event.target.closest('input, select, textarea');
    if (event.key === 'Escape') return this.escape();
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
      event.preventDefault();
      return this.history(event.shiftKey ? 'redo' : 'undo');
    }
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Enter') {
      if (this.sheetStep && sheet.pending.length) {
        event.preventDefault();
        this.endCurve();
      } else if (this.card && !event.target.closest('button')) this.accept();
      return;
    }
    if (event.key === '/') {
      event.preventDefault();
      return this.openFinder();
    }
    if (event.key === '?') {
      location.href = '/keys';
      return;
    }
    if (event.key === 'o') return this.look('whole');
    if (this.sheetStep) {
      const tool = this.sheetTools.find((t) => t.key === event.key);
      if (tool) return this.setSheetTool(tool.kind);
      if (event.key === 'g') {
        this.showPolygon = !this.showPolygon;
        return this.redrawSheet();
      }
      if ((event.key === 'Delete' || event.key === 'Backspace') && this.pickedPoint) return this.removePoint();
    }
    const tool = descriptions.find((d) => d.key === event.key);
    if (tool) this.begin(tool.kind);
  },
}));
Alpine.start();
