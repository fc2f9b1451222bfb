// The part page: keeps the recipe, the open card and the sheet together. Geometry is asked of the server.
import Alpine from '../vendor/alpine.js';
import { cardPage } from './card-page.js';
import { evaluator } from './expressions.js';
import { figure } from './figures.js';
import { keysPage } from './keys-page.js';
import { Live, ask, newKey } from './link.js';
import { kinOf, lineageRows, remembered, withGroups } from './lineage.js';
import { lineagePage } from './lineage-page.js';
import { parametersPage } from './parameters-page.js';
import { netPage } from './net-page.js';
import { kindOf } from './recipe.js';
import { Sheet } from './sheet.js';
import { sheetPage } from './sheet-page.js';
import { slots } from './slots.js';
import { spacePage } from './space-page.js';
import { redraw } from './svg.js';
import { Viewer } from './viewer.js';

const MM = { mm: 1, cm: 10, m: 1000, in: 25.4 };
const ICONS = new URL('../icons.svg', import.meta.url).pathname;
const PLANES = { xz: ['X', 'Z'], yz: ['Y', 'Z'], xy: ['X', 'Y'] };
const descriptions = JSON.parse(document.getElementById('descriptions').textContent);
const describe = (kind) => descriptions.steps.find((d) => d.kind === kind);
// Kept out of Alpine's reach: its proxies would slow drawing down.
const parts = { viewer: null, sheet: null, live: null };
/** The name of a file in any script (RFC 8187), as the server says it. */
const fileName = (disposition) => decodeURIComponent(disposition.match(/filename\*=UTF-8''([^;]+)/)[1]);
let sayings = 0;
const firstMade = (kind) => describe(kind).makes[0];
// The lineage is asked for by every row of itself.
const [rowsOf, listOf, kinOfRow] = [lineageRows, withGroups, kinOf].map(remembered);

// A field that shows a value of the recipe, but never over what is being typed into it.
Alpine.directive('shows', (el, { expression }, { effect, evaluateLater }) => {
  const read = evaluateLater(expression);
  effect(() =>
    read((value) => {
      if (document.activeElement !== el) el.value = value ?? '';
    }),
  );
});

// A drawing of SVG inside an element, by the elements that an expression gives.
Alpine.directive('drawing', (el, { expression }, { effect, evaluateLater }) => {
  const read = evaluateLater(expression);
  let shown;
  effect(() =>
    read((elements) =>
      Alpine.mutateDom(() => {
        shown = redraw(el, elements, shown);
      }),
    ),
  );
});

Alpine.data('part', () => ({
  ...lineagePage(),
  ...slots(describe, parts),
  ...spacePage(parts),
  ...cardPage(parts, describe),
  ...netPage(parts),
  ...parametersPage(),
  ...keysPage(parts, descriptions),
  ...sheetPage({ parts, raw: Alpine.raw, descriptions, PLANES }),
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
  /** Off the rack, by somebody else. */
  removed: false,
  saved: '',
  picked: null,
  hovered: null,
  card: null,
  panel: null,
  progress: null,
  said: [],
  finder: null,
  chord: '0.05',
  /** Keys of the steps' shapes as they are saved. */
  pictures: {},
  fineness: localStorage.getItem('fineness') ?? 'middle',
  askServer: ask,
  formats: [
    { ending: 'step', label: 'STEP', help: 'Exact surfaces in millimetres, ISO 10303 AP242.' },
    { ending: 'stl', label: 'STL', help: 'Triangles, binary, millimetres.' },
    { ending: '3mf', label: '3MF', help: 'Triangles with units, for printing.' },
  ],
  iconAddress: (kind) => `${ICONS}#${kind}`,

  async init() {
    this.id = this.$root.dataset.part;
    parts.viewer = new Viewer(document.getElementById('space'), {
      hover: (under) => this.hover(under),
      clicked: (under, event) => this.clickInSpace(under, event),
      ranged: (range) => {
        this.range = range;
      },
      dragging: (drag) =>
        drag.drawing && !drag.free
          ? parts.live.show([this.moveEdit(drag.drawing.step, drag)])
          : this.draggingInSpace(drag),
      dragged: (drag) =>
        drag.drawing && !drag.free ? this.commit([this.moveEdit(drag.drawing.step, drag)]) : this.draggedInSpace(drag),
    });
    parts.viewer.wants = () => this.wants();
    parts.viewer.shapedNet = () => this.shapedNet();
    // A new step's points can be dragged before it is accepted.
    parts.viewer.shapedFrom = (drawings) =>
      this.card?.fresh ? drawings.find((d) => !this.step(d.step))?.step : undefined;
    parts.sheet = new Sheet(document.getElementById('sheet'), {
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
      dragging: (drag) => parts.live.show([this.moveEdit(this.sheetStep, drag)]),
      dragged: (drag) => this.commit([this.moveEdit(this.sheetStep, drag)]),
      draggingHandle: (handle) => parts.live.show([this.handleEdit(handle)]),
      draggedHandle: (handle) => this.commit([this.handleEdit(handle)]),
      addPoint: (curve, at) => this.commit([{ edit: 'add_point', step: this.sheetStep, curve, at }]),
    });
    parts.live = new Live(this.id, {
      shown: (bytes) => this.show(bytes),
      refused: (error) => this.previewRefused(error),
      opened: (version) => this.channelOpened(version),
      changed: (version) => this.changedElsewhere(version),
      removed: () => this.removedElsewhere(),
      unopened: () => this.lookWhetherThere(),
      progress: (note) => {
        this.progress = note;
      },
      version: () => this.version,
      fineness: () => this.fineness,
      looks: () => this.looks(),
      sheet: () => (this.sheetStep ? { step: this.sheetStep, from: parts.sheet.pending.at(-1) } : undefined),
      linked: (on) => {
        this.saved = on ? this.savedWord() : 'no connection: your work stays here';
      },
    });
    this.loading = this.load();
    await this.loading;
    this.restoreDraft();
    addEventListener('pagehide', () => this.keepDraftNow());
    this.$watch('card', () => {
      this.keepDraft();
      this.lightUp();
      this.showMarks();
      if (this.isNetCard() !== !!parts.viewer.net.net && parts.viewer.extras) parts.viewer.showLines();
      if (!this.isNetCard()) this.netPicks = [];
      this.paintNet();
    });
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
    if (!this.recipe) return '';
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
    await parts.live.showSaved();
    // Pictures are of what is saved; while something is dragged they stay as they are.
    const built = (this.report?.steps ?? []).filter((s) => s.state === 'built');
    this.pictures = Object.fromEntries(built.map((s) => [s.step, s.key]));
    if (this.card) this.previewCard();
  },

  async show(bytes) {
    const extras = await parts.viewer.show(bytes);
    if (!extras) return;
    // What the server says is never changed here, only replaced; frozen, it is read without Alpine's proxies.
    this.report = Object.freeze(extras.report);
    this.drawings = Object.freeze(extras.drawings);
    this.helpers = Object.freeze(extras.helpers);
    this.sheetExtras = extras.sheet && Object.freeze(extras.sheet);
    this.sheetError = '';
    this.showOnSheet();
    this.showPlaces();
    this.showMarks();
    this.lightUp();
    this.paintNet();
    this.shown = (this.shown ?? 0) + 1;
  },

  /** Sends edits; gives whether they were made. Whatever was typed stays where it is when they were not. */
  commit(edits) {
    // What cannot be drawn is refused, so that the drawing stays as it was.
    return this.save(edits, this.sheetStep, newKey());
  },
  /** Under one key however often it is tried; `asked` is what was sent the first time, which may have arrived. */
  async save(edits, must_build, key, asked) {
    // Of several that wait only one may go on; the others wait for that one.
    while (this.busy) await this.settled;
    this.busy = true;
    this.saved = 'saving';
    let done;
    this.settled = new Promise((resolve) => {
      done = resolve;
    });
    try {
      asked ??= { version: this.version, edits, must_build };
      const part = await (await ask(`/api/parts/${this.id}/edits`, { body: asked, key })).json();
      this.take(part);
      await this.refresh();
      this.sheetError = '';
      return part.added ?? true;
    } catch (error) {
      this.saved = ['offline', 'uncertain'].includes(error.kind) ? 'perhaps saved' : 'not saved';
      if (error.kind === 'conflict') {
        this.say(error.message, 'error');
        await this.look();
      } else if (error.kind !== 'unbuilt') {
        const again = ['Try again', () => this.save(edits, must_build, key, asked)];
        this.say(error.message, 'error', error.mayBeTriedAgain ? again : null);
      }
      await this.refresh().catch(() => {});
      if (error.kind === 'unbuilt') {
        this.saved = this.savedWord();
        this.sheetError = error.message;
        if (error.at) this.markPlace(error.at);
      }
      return false;
    } finally {
      this.busy = false;
      done();
    }
  },

  async history(way, key = newKey(), body = { version: this.version }) {
    if (way === 'undo' ? !this.undoLabel : !this.redoLabel) return;
    try {
      this.take(await (await ask(`/api/parts/${this.id}/${way}`, { body, key })).json());
      await this.refresh();
    } catch (error) {
      const again = ['Try again', () => this.history(way, key, body)];
      this.say(error.message, 'error', error.mayBeTriedAgain ? again : null);
    }
  },
  /** Takes the part as it is saved, where the server can be asked. */
  async look() {
    try {
      this.take(await (await ask(`/api/parts/${this.id}`)).json());
    } catch (error) {
      this.say(error.message, 'error');
    }
  },

  async changedElsewhere(version) {
    // Our own changes are heard of as well; the answer to them may still be on its way.
    await this.settled;
    if (this.removed) {
      this.removed = false;
      this.say('This part is on the rack again.');
    } else if (version <= this.version) return;
    else this.say('This part was changed elsewhere; you see it as it is now.');
    await this.load();
  },
  /** The channel is open, at first or after a cut: what came in between is taken over, and said. */
  async channelOpened(version) {
    await this.loading;
    await this.settled;
    if (!this.removed && version <= this.version) return;
    const was = this.version;
    await this.load();
    if (was) this.say(`While you were cut off this part went on to version ${version}; you see it as it is now.`);
  },
  removedElsewhere() {
    if (this.removed) return;
    this.removed = true;
    this.saved = 'off the rack';
    this.say('This part was taken off the rack elsewhere.', 'error', ['Put it back', () => this.putBack()]);
  },
  async putBack() {
    try {
      await ask(`/api/parts/${this.id}/restore`, { method: 'POST' });
    } catch (error) {
      this.say(error.message, 'error', ['Try again', () => this.putBack()]);
    }
  },
  async lookWhetherThere() {
    try {
      await ask(`/api/parts/${this.id}`);
    } catch (error) {
      if (error.kind === 'no_part') this.removedElsewhere();
    }
  },

  progressWord() {
    const { done, of, step } = this.progress ?? {};
    return of ? `Rebuilding: ${done} of ${of}, ${this.step(step)?.name ?? 'new step'} is done` : 'Rebuilding';
  },
  stopRebuild() {
    parts.live.stop();
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
  actOn(saying) {
    saying.act();
    this.unsay(saying.n);
  },
  unsay(n) {
    this.said = this.said.filter((s) => s.n !== n);
  },

  partName() {
    return this.recipe?.name;
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
        Prove: 'Measures of every body stand on the card.',
        Send: 'Choose a format on the card.',
      }[stage] ?? ''
    );
  },
  stageDone(stage) {
    return this.recipe?.steps.some((s) => describe(kindOf(s)).stage === stage) ?? false;
  },
  /** Whether a new step of this kind is on the card. */
  isOpenTool({ kind }) {
    return this.card?.kind === kind && this.card.fresh;
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
    // A key may be pressed before the part is here; and what is being saved may be what the new step is made from.
    await this.loading;
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

  // --- The lineage; getters, which a mixed-in object could not have
  get rows() {
    return rowsOf(this.recipe, this.report, this.pictures, firstMade);
  },
  /** What the list shows: steps, with a heading over each group, and without what is folded away. */
  get listed() {
    return listOf(this.rows, this.folded);
  },
  get kin() {
    return kinOfRow(this.rows, this.hovered ?? this.picked);
  },

  pick(id, quiet = false) {
    const step = this.step(id);
    if (!step) return;
    // With a card open, a pick fills its slot if it fits.
    if (this.card && this.card.id !== id && this.fillFrom({ step })) return;
    this.marked = [id];
    if (this.picked === id && !quiet && (this.card || this.sheetStep === id)) return;
    this.picked = id;
    parts.viewer.pick(id);
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
      flip: !!step.flip_facing,
      fresh: false,
      title: step.name,
      place: `${description.label} · step ${this.recipe.steps.indexOf(step) + 1} of ${this.recipe.steps.length}`,
      id,
    };
    // What goes is seen only while one chooses.
    if (this.choosesPieces()) this.refreshLooks();
    this.showPlaces();
  },

  // --- In space and in the ledger
  spaceWords() {
    return `Perspective · ${this.recipe?.unit ?? 'mm'} · light side is outside`;
  },
  look(name) {
    parts.viewer.look(name);
  },
  finenessWord() {
    return { coarse: 'Coarse', middle: 'Middle', fine: 'Fine' }[this.fineness];
  },
  /** Surfaces are shown more or less finely; what they are stays the same. */
  cycleFineness() {
    const order = ['coarse', 'middle', 'fine'];
    this.fineness = order[(order.indexOf(this.fineness) + 1) % 3];
    localStorage.setItem('fineness', this.fineness);
    if (this.card) this.previewCard();
    this.refresh().catch((error) => this.say(error.message, 'error'));
  },
  markPlace(at) {
    parts.viewer.mark([at]);
    parts.sheet.places = [this.flatten(at)];
    parts.sheet.draw();
  },
  fly(at) {
    parts.viewer.fly(at);
    parts.viewer.mark([at]);
  },
  showPlaces() {
    const places = (this.report?.steps ?? [])
      .flatMap((s) => [s.error, ...s.warnings])
      .filter((n) => n?.at)
      .map((n) => n.at);
    parts.viewer.mark(places);
    parts.sheet.places = this.sheetStep ? places.map((p) => this.flatten(p)) : [];
    parts.sheet.draw();
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
  isReady() {
    return !!this.report?.ready;
  },
  headline() {
    return this.report?.headline ?? 'Building';
  },
  /** A list of the report; none while there is no report. */
  reported(list) {
    return this.report?.[list] ?? [];
  },
  /** Items of the ledger that one click closes. */
  curable() {
    return this.reported('ledger').filter((item) => item.cure);
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
  // Seams: those that are nearly tangent first, since they are seldom meant so; then by angle.
  seamsOf(body) {
    const nearly = (s) => s.meets === 'G0' && s.angle_deg < 15;
    return [...body.seams].sort((a, b) => nearly(b) - nearly(a) || b.angle_deg - a.angle_deg).slice(0, 60);
  },
  seamCount(body) {
    const count = (meets) => body.seams.filter((s) => s.meets === meets).length;
    return ['G0', 'G1', 'G2'].map((meets) => `${count(meets)} ${meets}`).join(' · ');
  },
  seamFigures(seam) {
    const share = seam.meets === 'G0' ? '' : ` · ${figure(seam.curvature_share * 100, 1)} %`;
    return `${figure(seam.angle_deg, 2)} deg · ${figure(seam.gap_mm, 4)} mm${share}`;
  },
  seamWord(seam) {
    const words = { G0: 'The faces meet at an angle', G1: 'Tangent', G2: 'Tangent, and of one curvature' };
    return `${words[seam.meets]}: largest angle, gap, and difference of curvature across the edge (${figure(seam.curvature_difference, 4)} per mm)`;
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

  // --- Sending
  async send(format) {
    const chord = Number(String(this.chord).replace(/\s*mm$/, ''));
    try {
      const answer = await ask(`/api/parts/${this.id}/send/${format.ending}?chord=${encodeURIComponent(chord)}`);
      const link = document.createElement('a');
      link.href = URL.createObjectURL(await answer.blob());
      link.download = fileName(answer.headers.get('Content-Disposition'));
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10000);
      this.say(`${link.download} is sent.`);
    } catch (error) {
      this.say(error.message, 'error');
    }
  },
}));
Alpine.setEvaluator(evaluator);
Alpine.start();
