// The card that edits a surface by its control points: which are picked, what is done with them, what was done so far.
// Mixed into the part page.
import { figure } from './figures.js';
import { asAmount } from './recipe.js';
import { typedPoint } from './slots.js';

const ROWS_OR_COLUMNS = [
  ['rows', 'Rows'],
  ['columns', 'Columns'],
];
const EITHER = [...ROWS_OR_COLUMNS, ['both', 'Both']];
const AXES = ['x', 'y', 'z'].map((a) => [a, a.toUpperCase()]);
const KEPT = [
  ['tangent', 'Tangent'],
  ['curvature', 'Curvature'],
];
const BORDERS = [
  ['first_row', 'First row'],
  ['last_row', 'Last row'],
  ['first_column', 'First column'],
  ['last_column', 'Last column'],
];
const three = (name, label, value) => ({ name, label, value, three: true });
const one = (name, label, value, whole = false) => ({ name, label, value, whole });
const choice = (name, label, choices) => ({ name, label, choices, value: choices[0][0] });

/** What can be done, with the fields that it takes. Those with `picks` are done to what is picked. */
const ACTIONS = [
  { name: 'move', label: 'Move', picks: true, fields: [three('by', 'By x, y, z', '0, 0, 5')] },
  { name: 'scale', label: 'Scale', picks: true, fields: [three('factors', 'Factors in x, y, z', '1.1, 1.1, 1')] },
  { name: 'turn', label: 'Turn', picks: true, fields: [choice('axis', 'About', AXES), one('angle', 'By', '10 deg')] },
  {
    name: 'midway',
    label: 'Gather midway',
    picks: true,
    fields: [one('from', 'Between row, column', ''), one('to', 'and row, column', '')],
  },
  { name: 'place', label: 'Gather at a place', picks: true, fields: [three('place', 'At x, y, z', '0, 0, 0')] },
  { name: 'line', label: 'Gather on a line', picks: true, fields: [] },
  { name: 'plane', label: 'Gather on a plane', picks: true, fields: [] },
  { name: 'freeze', label: 'Freeze', picks: true, fields: [] },
  { name: 'release', label: 'Release', picks: true, fields: [] },
  {
    name: 'pull',
    label: 'Pull a border',
    fields: [
      choice('border', 'Border', BORDERS),
      three('by', 'By x, y, z', '0, 0, 5'),
      choice('axis', 'Turned about', AXES),
      one('angle', 'By', '0'),
      one('follow', 'Rows that follow', '3', true),
    ],
  },
  {
    name: 'insert',
    label: 'Put one in',
    fields: [choice('along', 'What', ROWS_OR_COLUMNS), one('at', 'At a share', '0.5')],
  },
  {
    name: 'evenly',
    label: 'Put in evenly',
    fields: [choice('along', 'What', EITHER), one('count', 'How many', '1', true)],
  },
  {
    name: 'raise',
    label: 'Raise the degree',
    fields: [choice('along', 'Along', EITHER), one('degree', 'To', '4', true)],
  },
  {
    name: 'recast',
    label: 'Recast',
    fields: [
      choice('along', 'Along', EITHER),
      one('points', 'Points', '8', true),
      one('degree', 'Degree', '3', true),
      choice('ends', 'Borders keep', KEPT),
    ],
  },
];

const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
const word = (pick) =>
  pick.row ? `row ${pick.row}` : pick.column ? `column ${pick.column}` : `point ${pick.point.join(', ')}`;
const picksWord = (picks) => (picks.length > 3 ? `${picks.length} picks` : picks.map(word).join(', '));
const numbers = (list) => list.every((x) => typeof x === 'number');

export const netPage = (parts) => ({
  netPicks: [],
  netAction: 'move',
  netFields: {},
  netRefusal: '',

  isNetCard() {
    return this.card?.kind === 'reshape';
  },
  netActions: () => ACTIONS,
  chooseNetAction(name) {
    this.netAction = name;
    this.netRefusal = '';
  },
  netActionNow() {
    return ACTIONS.find((a) => a.name === this.netAction);
  },
  netField(field) {
    return this.netFields[`${this.netAction} ${field.name}`] ?? this.netDefault(field);
  },
  /** What a field begins with: midway goes between the ends of what is picked, if nothing else is said. */
  netDefault(field) {
    const net = parts.viewer.net.net;
    const last = this.netPicks.at(-1);
    if (this.netAction !== 'midway' || !net || !last) return field.value;
    const [i, j] = last.row ? [last.row, null] : last.column ? [null, last.column] : last.point;
    const first = field.name === 'from';
    return `${i ?? (first ? 1 : net.rows)}, ${j ?? (first ? 1 : net.columns)}`;
  },
  setNetField(field, value) {
    this.netFields[`${this.netAction} ${field.name}`] = value;
    this.netRefusal = '';
  },
  /** The step whose net is shown with points: the open card's. */
  shapedNet() {
    if (!this.isNetCard()) return undefined;
    const nets = parts.viewer.extras?.nets ?? [];
    return this.card.fresh ? nets.find((n) => n.own && !this.step(n.step))?.step : this.card.id;
  },
  netSize() {
    const r = Object.fromEntries((this.cardReport()?.reached ?? []).map((x) => [x.label, x.value]));
    return r.Rows ? `${r.Rows} rows × ${r.Columns} columns` : '';
  },
  netPicksWord() {
    return this.netPicks.length ? picksWord(this.netPicks) : 'nothing: click a point, or the line of a row';
  },

  // --- Picking
  netPickOf({ point, row, column }) {
    if (row !== undefined) return { row: row + 1 };
    if (column !== undefined) return { column: column + 1 };
    const { columns } = parts.viewer.net.net;
    return { point: [Math.floor(point / columns) + 1, (point % columns) + 1] };
  },
  pickNet(under, adds) {
    const pick = this.netPickOf(under);
    const has = this.netPicks.some((p) => same(p, pick));
    this.netPicks = adds ? (has ? this.netPicks.filter((p) => !same(p, pick)) : [...this.netPicks, pick]) : [pick];
    this.paintNet();
  },
  clearNetPicks() {
    this.netPicks = [];
    this.paintNet();
  },
  /** The numbers of the points that picks mean. */
  netPoints(picks) {
    const net = parts.viewer.net.net;
    const out = new Set();
    if (!net) return out;
    const { rows, columns } = net;
    for (const { row, column, point } of picks) {
      if (row) for (let j = 0; j < columns; j++) out.add((row - 1) * columns + j);
      if (column) for (let i = 0; i < rows; i++) out.add(i * columns + column - 1);
      if (point) out.add((point[0] - 1) * columns + point[1] - 1);
    }
    return out;
  },
  paintNet() {
    const { net } = parts.viewer;
    net.picked = this.netPoints(this.netPicks);
    net.frozen = this.netPoints(this.card?.draft?.frozen ?? []);
    net.paint();
  },
  netHoverWord(under) {
    const pick = this.netPickOf(under);
    const name = word(pick);
    const border = parts.viewer.net.border(under);
    const Name = name[0].toUpperCase() + name.slice(1);
    if (pick.point) return `${Name}: drag it, with Shift square to that; click picks it, Shift click adds`;
    return border
      ? `${Name}: drag it to pull this border; click picks it, Shift click adds`
      : `${Name}: click picks it, Shift click adds`;
  },

  // --- Changes
  netChanges() {
    return this.card.draft.changes ?? [];
  },
  setNetChanges(changes) {
    this.card.draft.changes = changes;
    this.previewCard();
  },
  addNetChange(change) {
    const changes = this.netChanges();
    const before = changes.at(-1);
    // Moves of the same points one after the other are one move.
    const joins =
      before?.change === 'move' &&
      change.change === 'move' &&
      same(before.picks, change.picks) &&
      numbers([...before.by, ...change.by]);
    const sum = joins && { ...change, by: change.by.map((x, k) => Number((x + before.by[k]).toFixed(6))) };
    this.setNetChanges(joins ? [...changes.slice(0, -1), sum] : [...changes, change]);
  },
  dropNetChange(index) {
    this.setNetChanges(this.netChanges().filter((_, i) => i !== index));
  },
  netChangeWord(change) {
    const { picks, by, along } = change;
    const where = picks ? picksWord(picks) : '';
    const list = (values) => values.map((v) => (typeof v === 'number' ? figure(v, 3) : v)).join(', ');
    switch (change.change) {
      case 'move':
        return `Move ${where} by ${list(by)}`;
      case 'scale':
        return `Scale ${where} by ${list(change.factors)}`;
      case 'turn':
        return `Turn ${where} about ${change.axis.toUpperCase()} by ${change.angle}`;
      case 'gather': {
        const { at } = change;
        const to =
          at === 'line'
            ? 'on a line'
            : at === 'plane'
              ? 'on a plane'
              : at.place
                ? `at ${list(at.place)}`
                : `midway between ${at.midway.map((p) => p.join(', ')).join(' and ')}`;
        return `Gather ${where} ${to}`;
      }
      case 'pull':
        return `Pull the ${change.border.replace('_', ' ')} by ${list(by)}, turned by ${change.angle}`;
      case 'insert':
        return `Put one of the ${along} in at ${change.at}`;
      case 'evenly':
        return `Put ${change.count} in evenly, ${along}`;
      case 'raise':
        return `Raise the degree to ${change.degree}, ${along}`;
      default:
        return `Recast to ${change.points} points of degree ${change.degree}, ${along}${change.ends === 'curvature' ? ', curvature kept' : ''}`;
    }
  },
  /** Does what the fields say to what is picked. */
  doNetAction() {
    const action = this.netActionNow();
    const given = {};
    for (const field of action.fields) {
      const text = String(this.netField(field)).trim();
      if (field.three) given[field.name] = typedPoint(text, 3);
      else if (field.choices) given[field.name] = text;
      else if (field.whole) given[field.name] = /^\d+$/.test(text) ? Number(text) : null;
      else given[field.name] = text ? asAmount(text) : null;
      if (given[field.name] === null) {
        this.netRefusal = field.three
          ? `${field.label}: write three values with commas between.`
          : `${field.label}: ${field.whole ? 'write a whole number.' : 'write a value.'}`;
        return;
      }
    }
    if (action.picks && !this.netPicks.length) {
      this.netRefusal = 'Pick points first: click a point, or the line of a row or a column.';
      return;
    }
    this.netRefusal = '';
    const picks = JSON.parse(JSON.stringify(this.netPicks));
    if (action.name === 'freeze' || action.name === 'release') {
      const others = (this.card.draft.frozen ?? []).filter((p) => !picks.some((q) => same(p, q)));
      this.card.draft.frozen = action.name === 'freeze' ? [...others, ...picks] : others;
      this.previewCard();
      this.paintNet();
      return;
    }
    if (action.name === 'midway') {
      const ends = [given.from, given.to].map((text) => String(text).split(',').map(Number));
      if (ends.some((e) => e.length !== 2 || !e.every(Number.isInteger))) {
        this.netRefusal = 'Write a row and a column with a comma between, as in 2, 5.';
        return;
      }
      this.addNetChange({ change: 'gather', picks, at: { midway: ends } });
    } else if (action.name === 'place') this.addNetChange({ change: 'gather', picks, at: { place: given.place } });
    else if (action.name === 'line' || action.name === 'plane')
      this.addNetChange({ change: 'gather', picks, at: action.name });
    else this.addNetChange({ change: action.name, ...(action.picks ? { picks } : {}), ...given });
    // Rows that were put in or recast count anew.
    if (!action.picks && action.name !== 'pull') this.clearNetPicks();
  },

  // --- Dragging
  draggingNet(drag) {
    if (!drag.change) {
      if (drag.border) {
        drag.change = { change: 'pull', border: drag.border, axis: 'z', angle: 0, follow: 3 };
      } else {
        if (!this.netPoints(this.netPicks).has(drag.net)) this.pickNet({ point: drag.net }, false);
        drag.change = { change: 'move', picks: JSON.parse(JSON.stringify(this.netPicks)) };
      }
      drag.before = this.netChanges();
    }
    const by = drag.by.map((x) => Number(this.number(x).toFixed(4)));
    this.card.draft.changes = drag.before;
    this.addNetChange({ ...drag.change, by });
    const what = drag.border ? drag.border.replace('_', ' ') : picksWord(drag.change.picks);
    this.hoverWord = `${what}: moved by ${by.join(', ')} ${this.recipe.unit}`;
  },
});
