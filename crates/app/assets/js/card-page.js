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
    parts.live.show(this.cardEdits());
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
    await this.commit(cure.edits);
  },
  previewRefused(error) {
    if (this.card) this.card.refusal = error;
    else if (this.sheetStep && parts.sheet.pending.length < 2) this.sheetError = '';
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
});
