// The lineage list: its rows, groups, order and what can be done with a step. Mixed into the part page.
import { ROW, lineageDrawing, moveTo, roomFor } from './lineage.js';

export const lineagePage = () => ({
  renaming: null,
  moving: null,
  /** Ids of the rows that are marked together; the last one is picked. */
  marked: [],
  /** Names of the groups that are folded away. */
  folded: [],

  row(id) {
    return this.rows.find((r) => r.id === id);
  },
  lineageDrawing() {
    return lineageDrawing(this.listed, this.picked, this.kin);
  },
  isLifted(row) {
    return this.moving?.id === row.id;
  },
  /** A step without a picture of its own, such as one that was removed meanwhile. */
  hidePicture(image) {
    image.hidden = true;
  },
  focusSoon(field) {
    this.$nextTick(() => {
      field.focus();
      field.select();
    });
  },
  hoverStep(id) {
    this.hovered = id;
  },

  /** A row is dragged to another place in the order; where it would land is shown as far as the lineage allows. */
  rowDown(event, id) {
    if (event.button !== 0 || this.renaming) return;
    const top = event.currentTarget.closest('ol').getBoundingClientRect().top;
    const start = event.clientY;
    const { rows, listed } = this;
    const [from, to] = roomFor(rows, id);
    const placeOf = (shown) => rows.findIndex((r) => r.id === (shown.members?.[0] ?? shown.id));
    const now = placeOf({ id });
    const move = (e) => {
      if (!this.moving && Math.abs(e.clientY - start) < 6) return;
      const over = Math.min(listed.length - 1, Math.max(0, Math.floor((e.clientY - top) / ROW)));
      const place = Math.min(to, Math.max(from, placeOf(listed[over])));
      const there = rows[place].id;
      const shown = listed.findIndex((r) => r.id === there || (r.hidden && r.members.includes(there)));
      this.moving = { id, place, line: place > now ? (shown + 1) * ROW : shown * ROW };
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

  // --- Groups
  /** A click with Shift marks another row; without, it picks the one. */
  rowClicked(event, row) {
    if (row.members) {
      this.folded = this.folded.includes(row.name)
        ? this.folded.filter((name) => name !== row.name)
        : [...this.folded, row.name];
      this.marked = row.members;
    } else if (event.shiftKey) {
      if (!this.marked.length && this.picked) this.marked = [this.picked];
      this.marked = this.marked.includes(row.id) ? this.marked.filter((id) => id !== row.id) : [...this.marked, row.id];
    } else this.pick(row.id);
  },
  /** The group that is marked as a whole, if one is. */
  markedGroup() {
    const group = this.listed.find((r) => r.members);
    return group && this.listed.find((r) => r.members?.length && r.members.every((id) => this.marked.includes(id)));
  },
  async groupMarked() {
    const used = new Set(this.recipe.steps.map((s) => s.group));
    let n = 1;
    while (used.has(`Group ${n}`)) n += 1;
    const name = `Group ${n}`;
    if (await this.commit([{ edit: 'set_group', steps: this.marked, group: name }])) this.renaming = `group ${name}`;
  },
  ungroup() {
    this.commit([{ edit: 'set_group', steps: this.marked, group: null }]);
  },
  renameGroup(row, name) {
    if (this.renaming !== row.id) return;
    this.renaming = null;
    this.folded = this.folded.map((f) => (f === row.name ? name.trim() : f));
    if (name.trim() && name.trim() !== row.name)
      this.commit([{ edit: 'set_group', steps: row.members, group: name.trim() }]);
  },
  /** All of the marked steps the same way. */
  showMarked(display) {
    this.commit(this.marked.map((step) => ({ edit: 'set_display', step, display })));
  },

  // --- One step
  rename(id, name) {
    if (this.renaming !== id) return;
    this.renaming = null;
    if (name.trim() && name.trim() !== this.step(id)?.name)
      this.commit([{ edit: 'rename_step', step: id, name: name.trim() }]);
  },
  stepName(id) {
    return this.step(id)?.name;
  },
  isSkipped(id) {
    return !!this.step(id)?.skip;
  },
  isHoldPoint(id) {
    return !!this.recipe && this.recipe.hold === id;
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
  /** Builds only up to the picked step, or all again. */
  toggleHold() {
    this.commit([{ edit: 'set_hold', step: this.isHoldPoint(this.picked) ? null : this.picked }]);
  },
  async removeStep() {
    const step = this.step(this.picked);
    this.leave();
    if (await this.commit([{ edit: 'remove_step', step: step.id }]))
      this.say(`${step.name} is removed, with what was made from it.`, '', ['Undo', () => this.history('undo')]);
  },
});
