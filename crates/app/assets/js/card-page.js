// The step card: its values, preview, notices, and what was typed into it. Mixed into the part page.
import { figure } from './figures.js';
import { asAmount, kindOf } from './recipe.js';

export const cardPage = (parts, describe) => ({
  setValue(value, given) {
    this.card.draft[value.name] = value.widget === 'amount' ? asAmount(given) : given;
    this.previewCard();
  },
  cardEdits() {
    const { card } = this;
    if (card.fresh) {
      const count = this.recipe.steps.filter((s) => kindOf(s) === card.kind).length;
      const name = count ? `${card.description.label} ${count + 1}` : card.description.label;
      return [
        {
          edit: 'add_step',
          step: { id: '', name, make: { [card.kind]: this.cleanDraft() }, flip_facing: !!card.flip },
        },
      ];
    }
    const now = this.step(card.id).make[card.kind];
    const defaults = new Map(card.description.values.map((v) => [v.name, v.default]));
    for (const list of ['reversed', 'begins', 'pairs', 'changes', 'frozen']) defaults.set(list, []);
    const fields = Object.entries(this.cleanDraft())
      .filter(([field, value]) => JSON.stringify(value) !== JSON.stringify(now[field] ?? defaults.get(field)))
      .map(([field, value]) => ({ edit: 'set_field', step: card.id, field, value }));
    const flips = !!card.flip !== !!this.step(card.id).flip_facing;
    return flips ? [...fields, { edit: 'set_facing', step: card.id, flip: !!card.flip }] : fields;
  },
  /** Whether what the card makes has two sides that can be told apart. */
  hasFacing() {
    return this.card.description.makes.includes('surface');
  },
  flipFacing(flip) {
    this.card.flip = flip;
    this.previewCard();
  },
  previewCard() {
    this.keepDraft();
    if (!this.card || !this.cardReady()) return;
    parts.live.show(this.shownEdits());
  },
  /** Whether the card shows what is picked from in the place of what it makes, where that covers it. */
  canUncover() {
    return this.card.description.slots.some((s) => s.uncovers);
  },
  uncovered() {
    return this.canUncover() && (this.card.uncovered ?? true);
  },
  uncover(yes) {
    this.card.uncovered = yes;
    this.previewCard();
  },
  /** The card's edits as they are shown: with what it makes out of sight while others are picked from. */
  shownEdits() {
    const edits = this.cardEdits();
    if (!this.uncovered()) return edits;
    const values = this.card.description.slots.flatMap((s) => [this.card.draft[s.name]].flat());
    const inputs = new Set(values.map((v) => v?.step).filter(Boolean));
    const shown = [...inputs].map((step) => ({ edit: 'set_display', step, display: 'show' }));
    if (!this.card.fresh) return [...edits, { edit: 'set_display', step: this.card.id, display: 'hide' }, ...shown];
    return [...edits.map((e) => ({ ...e, step: { ...e.step, display: 'hide' } })), ...shown];
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
  cardTitle() {
    return this.card?.title;
  },
  cureWord(notice) {
    return notice.cure?.label ?? '';
  },
  cardReached() {
    const r = this.cardReport();
    const text = ({ value, quantity }) =>
      quantity === 'length'
        ? this.lengthText(value)
        : quantity === 'angle'
          ? `${figure((value * 180) / Math.PI, 3)} deg`
          : quantity === 'ratio'
            ? `${figure(value * 100, 2)} %`
            : figure(value);
    const out = [];
    for (const x of r?.reached ?? []) {
      if (out.at(-1)?.label === x.label) out.at(-1).text += ` · ${text(x)}`;
      else out.push({ label: x.label, text: text(x) });
    }
    const bodies = (this.report?.bodies ?? []).filter((b) => b.step === r?.step);
    const sum = (of) => bodies.reduce((all, b) => all + (of(b) ?? 0), 0);
    if (bodies.length > 1) out.push({ label: 'Bodies', text: figure(bodies.length) });
    if (bodies.length)
      out.push({
        label: 'Area',
        text: `${figure(
          sum((b) => b.area_mm2),
          1,
        )} mm²`,
      });
    const volume = sum((b) => b.volume_ml);
    if (volume) out.push({ label: 'Volume', text: `${figure(volume, 3)} mL` });
    return out;
  },
  cardChart() {
    return this.cardReport()?.chart;
  },
  chartEnd(axis) {
    return this.chartFigure(this.cardChart().points.at(-1)[axis], axis);
  },
  /** A figure of the chart with as many digits as the largest one asks for. */
  chartFigure(value, axis) {
    const largest = Math.abs(this.cardChart().points.at(-1)[axis]) || 1;
    return figure(value, Math.max(0, 3 - Math.floor(Math.log10(largest))));
  },
  chartLine() {
    const { points } = this.cardChart();
    const [w, h] = points.at(-1).map((v) => v || 1);
    return points.map(([x, y], i) => `${i ? 'L' : 'M'}${30 + (204 * x) / w} ${90 - (80 * y) / h}`).join('');
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
        parts.viewer.pick(this.picked);
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
    // A new step is not saved yet; what would cure it is done on its card.
    if (this.card?.fresh && cure.edits.every((e) => e.edit === 'set_field' && !this.step(e.step))) {
      for (const { field, value } of cure.edits) this.card.draft[field] = value;
      this.previewCard();
      return;
    }
    await this.commit(cure.edits);
    if (this.card) this.pickAgain();
  },
  /** Opens the card of its step anew, as it is saved. */
  pickAgain() {
    const { id, fresh } = this.card;
    if (fresh) return;
    this.card = null;
    this.picked = null;
    this.pick(id);
  },
  async freeCopy() {
    const { id, title } = this.card;
    this.card = null;
    if (await this.commit([{ edit: 'free_copy', step: id }])) this.say(`${title} now stands by itself.`);
  },
  previewRefused(error) {
    if (this.card) this.card.refusal = error;
    else if (this.sheetStep && parts.sheet.pending.length < 2) this.sheetError = '';
    else if (this.sheetStep) this.sheetError = error;
  },
  /** Keeps what is on the card over a reload; a little later, since a drag changes it many times a second. */
  keepDraft() {
    if (this.card) this.card.refusal = null;
    this.keeping ??= setTimeout(() => this.keepDraftNow(), 250);
  },
  keepDraftNow() {
    clearTimeout(this.keeping);
    this.keeping = null;
    if (this.card) {
      const { kind, draft, fresh, id, flip } = this.card;
      sessionStorage.setItem(`card ${this.id}`, JSON.stringify({ kind, draft, fresh, id, flip }));
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
        this.card.flip = kept.flip;
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
});
