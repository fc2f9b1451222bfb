// The part page: keeps the recipe, the open card and the sheet together. Geometry is asked of the server.
import Alpine from '/assets/vendor/alpine.js';
import { icon } from './icons.js';
import { Live, ask } from './link.js';
import { ROW, kinOf, lineageRows, lineageSvg, moveTo, roomFor } from './lineage.js';
import { asAmount, kindOf } from './recipe.js';
import { Sheet } from './sheet.js';
import { sheetPage } from './sheet-page.js';
import { slots } from './slots.js';
import { Viewer } from './viewer.js';

const MM = { mm: 1, cm: 10, m: 1000, in: 25.4 };
const PLANES = { xz: ['X', 'Z'], yz: ['Y', 'Z'], xy: ['X', 'Y'] };
const descriptions = JSON.parse(document.getElementById('descriptions').textContent);
const describe = (kind) => descriptions.steps.find((d) => d.kind === kind);
// Made once for each number of digits: making a format costs far more than using it.
const formats = Array.from(
  { length: 10 },
  (_, digits) => new Intl.NumberFormat('en', { maximumFractionDigits: digits }),
);
const figure = (v, digits = 3) => formats[digits].format(v).replaceAll(',', '\u2009');

let viewer, sheet, live; // Kept out of Alpine's reach: its proxies would slow drawing down.
let sayings = 0;

// A field that shows a value of the recipe, but never over what is being typed into it.
Alpine.directive('shows', (el, { expression }, { effect, evaluateLater }) => {
  const read = evaluateLater(expression);
  effect(() =>
    read((value) => {
      if (document.activeElement !== el) el.value = value ?? '';
    }),
  );
});

Alpine.data('part', () => ({
  ...slots(describe),
  ...sheetPage({ sheet: () => sheet, live: () => live, raw: Alpine.raw, descriptions, PLANES }),
  id: '',
  version: 0,
  recipe: null,
  report: null,
  drawings: [],
  helpers: [],
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
  hoverWord: '',
  progress: null,
  said: [],
  finder: null,
  chord: '0.05',
  askServer: ask,
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
      // Alpine would look through every node of every picture for directives of its own.
      replace: (change) => Alpine.mutateDom(change),
      axisNames: () => this.planeWord(),
      turnsHere: () => ['xz', 'yz'].includes(this.drawingStep()?.plane),
      flatten: (p) => this.flatten(p),
      placed: (snap) => this.placeSnapped(snap),
      cut: (curve, place) => this.cutAt(curve, place),
      hovered: () => this.previewPending(),
      picked: (what, more) => this.pickOnSheet(what, more),
      dragging: (drag) => live.show([this.moveEdit(this.sheetStep, drag)]),
      dragged: (drag) => this.commit([this.moveEdit(this.sheetStep, drag)]),
      draggingHandle: (handle) => live.show([this.handleEdit(handle)]),
      draggedHandle: (handle) => this.commit([this.handleEdit(handle)]),
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
      sheet: () => (this.sheetStep ? { step: this.sheetStep, from: sheet.pending.at(-1) } : undefined),
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
  lengthText(mm) {
    return `${figure(mm / this.unit(), mm < 0.01 ? 6 : 3)} ${this.recipe.unit}`;
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
    this.helpers = extras.helpers;
    this.sheetExtras = extras.sheet;
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
      const built = this.sheetBuilt();
      const part = await (await ask(`/api/parts/${this.id}/edits`, { version: this.version, edits })).json();
      this.take(part);
      await this.refresh();
      const failed = built && this.sheetFailure();
      if (failed) {
        // What cannot be drawn is not kept: the drawing stays as it was, and says why.
        await this.history('undo');
        this.sheetError = failed.message;
        if (failed.at) this.markPlace(failed.at);
        return false;
      }
      this.sheetError = '';
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
    return descriptions.steps.filter((d) => d.stage === stage);
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
    this.card = {
      kind,
      description,
      draft: this.firstDraft(description),
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
    if (this.card && this.card.id !== id && this.fillNext(step)) return;
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
  setValue(value, given) {
    const plain = value.widget === 'amount' && given.trim() !== '' && Number.isFinite(Number(given));
    this.card.draft[value.name] = plain ? Number(given) : given;
    this.previewCard();
  },
  cardEdits() {
    const { card } = this;
    if (card.fresh) {
      const count = this.recipe.steps.filter((s) => kindOf(s) === card.kind).length;
      const name = count ? `${card.description.label} ${count + 1}` : card.description.label;
      return [{ edit: 'add_step', step: { id: '', name, make: { [card.kind]: this.cleanDraft() } } }];
    }
    const now = this.step(card.id).make[card.kind];
    const defaults = new Map(card.description.values.map((v) => [v.name, v.default]));
    return Object.entries(this.cleanDraft())
      .filter(([field, value]) => JSON.stringify(value) !== JSON.stringify(now[field] ?? defaults.get(field)))
      .map(([field, value]) => ({ edit: 'set_field', step: card.id, field, value }));
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
    const text = ({ value, quantity }) => (quantity === 'length' ? this.lengthText(value) : figure(value));
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
  markPlace(at) {
    viewer.mark([at]);
    sheet.places = [this.flatten(at)];
    sheet.draw();
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
  /** Nothing has a surface yet, and nothing failed: there is nothing to close. */
  isEmpty() {
    return !!this.report && !this.report.bodies.length && !this.report.ledger.some((i) => i.state === 'left');
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
  async setParameter({ name }, change) {
    await this.settled;
    const p = this.recipe.parameters.find((other) => other.name === name);
    return this.commit([{ edit: 'set_parameter', parameter: { ...p, ...change } }]);
  },
  setFormula(p, text) {
    return this.setParameter(p, { formula: asAmount(text) });
  },
  async renameParameter(p, input) {
    const to = input.value.trim();
    if (!to || to === p.name) input.value = p.name;
    else if (!(await this.commit([{ edit: 'rename_parameter', name: p.name, to }]))) input.value = p.name;
  },
  parameterReport(name) {
    return this.report?.parameters.find((p) => p.name === name);
  },
  parameterValue(p) {
    const value = this.parameterReport(p.name)?.value;
    if (value === undefined || value === null) return '';
    if (p.quantity === 'length') return this.lengthText(value);
    return p.quantity === 'angle' ? `${figure((value * 180) / Math.PI)} deg` : figure(value);
  },
  drives(p) {
    const drives = this.parameterReport(p.name)?.drives ?? [];
    return drives.length ? `drives ${drives.join(', ')}` : 'drives nothing yet';
  },
  async addParameter(form) {
    const [name, formula] = [form.elements.name.value.trim(), form.elements.formula.value.trim()];
    const quantity = form.elements.quantity.value;
    if (!name || !formula) return;
    const known = this.recipe.parameters.some((p) => p.name === name);
    if (known) return this.say(`There is a parameter ${name} already; change its formula instead.`, 'error');
    const parameter = { name, quantity, formula: asAmount(formula) };
    if (await this.commit([{ edit: 'set_parameter', parameter }])) form.reset();
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
    const tools = descriptions.steps.map((d) => ({
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
      const tool = event.key === 'e' ? { kind: 'edit' } : this.curveKinds.find((t) => t.key === event.key);
      if (tool) return this.setSheetTool(tool.kind);
      if (event.key === 'm') {
        this.showComb = !this.showComb;
        return this.redrawSheet();
      }
      if (event.key === 'g') {
        this.showPolygon = !this.showPolygon;
        return this.redrawSheet();
      }
      if ((event.key === 'Delete' || event.key === 'Backspace') && this.pickedPoint()) return this.removePoint();
    }
    const tool = descriptions.steps.find((d) => d.key === event.key);
    if (tool) this.begin(tool.kind);
  },
}));
Alpine.start();
