// What a card's slots can hold and how that is written in the recipe. Mixed into the part page.
import { kindOf } from './recipe.js';

const MAIN = 'main ';

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

const amount = (text) => (text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : text.trim());

/** Coordinates as typed, or null when they are not three. */
export function typedPoint(text) {
  const parts = text.split(',').map((t) => t.trim());
  return parts.length === 3 && parts.every(Boolean) ? parts.map(amount) : null;
}

export const slots = (describe) => ({
  /** Steps that may stand before the open card's step. */
  stepsBefore() {
    if (this.card.fresh) return this.recipe.steps;
    return this.recipe.steps.slice(
      0,
      this.recipe.steps.findIndex((s) => s.id === this.card.id),
    );
  },
  fits(slot, step) {
    return describe(kindOf(step)).makes.some((made) => slot.takes.includes(made));
  },
  shownSlots() {
    return this.card.description.slots.filter((s) => this.holds(s.only_if));
  },
  shownValues() {
    return this.card.description.values.filter((v) => this.holds(v.only_if));
  },
  holds(condition) {
    return !condition || String(this.card.draft[condition[0]]) === condition[1];
  },
  isList(slot) {
    return slot.most > 1 || slot.name === 'points';
  },
  /** Everything that can go into a slot: main planes and axes, then fitting steps with their single items. */
  slotOptions(slot) {
    const main = slot.main.map((m) => ({ value: MAIN + m.value, label: m.label.toUpperCase() }));
    const made = this.stepsBefore()
      .filter((s) => this.fits(slot, s))
      .flatMap((s) => [{ value: s.id, label: s.name }, ...this.itemsOf(slot, s)]);
    return [...main, ...made];
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
    if (typeof value === 'string') return value.toUpperCase();
    const name = this.step(value.step)?.name ?? value.step;
    return value.item ? `${name} / ${value.item}` : name;
  },
  fillSlot(slot, text) {
    this.card.draft[slot.name] = fromText(text);
    this.previewCard();
  },
  addRow(slot, text) {
    this.addValue(slot, fromText(text));
  },
  /** Coordinates typed into a slot; gives whether they could be read. */
  addTyped(slot, text) {
    const value = typedPoint(text);
    if (!value) this.card.refusal = 'Write three values with commas between, as in 10, 0, 2*wall.';
    else this.addValue(slot, value);
    return !!value;
  },
  addValue(slot, value) {
    if (!value) return;
    this.card.draft[slot.name] = [...this.slotRows(slot), value].slice(-slot.most);
    this.previewCard();
  },
  setRow(slot, index, text) {
    const value = typedPoint(text);
    if (!value) return;
    this.card.draft[slot.name] = this.slotRows(slot).map((row, i) => (i === index ? value : row));
    this.previewCard();
  },
  moveRow(slot, index, by) {
    const rows = [...this.slotRows(slot)];
    const [row] = rows.splice(index, 1);
    rows.splice(Math.max(0, index + by), 0, row);
    this.card.draft[slot.name] = rows;
    this.previewCard();
  },
  dropRow(slot, index) {
    this.card.draft[slot.name] = this.slotRows(slot).filter((_, i) => i !== index);
    this.previewCard();
  },
  /** A step that was picked goes into the next slot that it fits. */
  fillNext(step) {
    const fitting = this.shownSlots().filter((s) => this.fits(s, step));
    const slot =
      fitting.find((s) => (this.isList(s) ? this.slotRows(s).length < s.most : !this.card.draft[s.name])) ?? fitting[0];
    if (!slot) return false;
    if (this.isList(slot)) this.addRow(slot, step.id);
    else this.fillSlot(slot, step.id);
    return true;
  },
  /** What a fresh card begins with: the newest fitting shape that nothing was made from yet, or the one that is picked. */
  firstDraft(description) {
    const draft = Object.fromEntries(description.values.map((v) => [v.name, v.default]));
    for (const slot of description.slots) {
      if (this.isList(slot)) {
        draft[slot.name] ??= [];
        continue;
      }
      if (slot.least === 0) continue;
      const fitting = this.recipe.steps.filter((s) => this.fits(slot, s));
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
      this.isList(s) ? this.slotRows(s).length >= s.least : s.least === 0 || this.card.draft[s.name],
    );
  },
  /** The draft as the recipe takes it: without what belongs to another way of making it. */
  cleanDraft() {
    const { description, draft } = this.card;
    const shown = new Set([...this.shownSlots(), ...this.shownValues()].map((f) => f.name));
    const fields = [...new Set([...description.slots, ...description.values].map((f) => f.name))];
    return Object.fromEntries(fields.filter((f) => shown.has(f) && draft[f] !== undefined).map((f) => [f, draft[f]]));
  },
});
