// The drawing sheet: an SVG with a grid, where clicks place points. Curves are drawn as the server made them.
import { element, redraw } from './svg.js';

const SNAP_PIXELS = 9;
const NICE = [1, 2, 5];

const line = (kind, d, more = {}) => element('path', { class: kind, d, ...more });
const text = (x, y, words, more = {}) => element('text', { x, y, ...more }, String(words));

export class Sheet {
  constructor(svg, hooks) {
    this.svg = svg;
    this.hooks = hooks;
    this.view = { x: 0, y: 0, scale: 5 };
    this.pending = [];
    this.tool = 'edit';
    // Asking the page for sizes while drawing would make it lay itself out again for every point.
    this.width = this.height = 1;
    new ResizeObserver(([{ contentRect }]) => {
      [this.width, this.height] = [contentRect.width || 1, contentRect.height || 1];
      if (this.fitSoon) this.fit();
      this.draw();
    }).observe(svg);
    this.listen();
  }

  toScreen([x, y]) {
    return [
      this.width / 2 + (x - this.view.x) * this.view.scale,
      this.height / 2 - (y - this.view.y) * this.view.scale,
    ];
  }
  toSheet([x, y]) {
    return [
      this.view.x + (x - this.width / 2) / this.view.scale,
      this.view.y - (y - this.height / 2) / this.view.scale,
    ];
  }

  /** Grid spacing in mm so that lines are comfortably apart on the screen. */
  gridStep() {
    const least = 11 / this.view.scale;
    for (let power = -4; power < 8; power++) for (const n of NICE) if (n * 10 ** power >= least) return n * 10 ** power;
    return 1e8;
  }

  /** Fits everything drawn, or a comfortable field when there is nothing. */
  fit() {
    // Before the sheet has its size there is nothing to fit into.
    this.fitSoon = this.width < 2;
    const points = (this.drawing?.curves ?? []).flatMap((c) => [...c.points, ...c.control]);
    const xs = [0, ...points.map((p) => p[0])],
      ys = [0, ...points.map((p) => p[1])];
    if (!points.length) {
      xs.push(60, -12);
      ys.push(70, -10);
    }
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    this.view = {
      x: (x0 + x1) / 2,
      y: (y0 + y1) / 2,
      scale: 0.8 * Math.min(this.width / Math.max(x1 - x0, 1), this.height / Math.max(y1 - y0, 1)),
    };
    this.draw();
  }

  /** The place a click at a screen point means, what it snapped to, and the guide that it can be pinned to. */
  snap(screen, event, leaveOut) {
    const free = this.toSheet(screen);
    if (event?.altKey) return { at: free.map((v) => Number(v.toFixed(4))), word: null };
    const near = (p) => Math.hypot(...this.toScreen(p).map((v, i) => v - screen[i])) <= SNAP_PIXELS;
    const step = this.gridStep();
    const tidy = (v) => Number((Math.round(v / step) * step).toFixed(6)) + 0;
    const onGrid = free.map(tidy);
    if (event?.shiftKey) return { at: onGrid, word: 'grid' };
    const exact = (p) => p.map((v) => Number(v.toFixed(9)) + 0);
    for (const p of this.pending) if (near(p)) return { at: exact(p), word: 'point' };
    const places = (this.extras?.snaps ?? []).filter((s) => !leaveOut || s.of !== leaveOut.curve);
    const guide = places.find((s) => s.pin && near(s.at));
    if (guide) return { at: exact(guide.at), word: 'guide', pin: guide.pin };
    const end = places.find((s) => s.word === 'end' && near(s.at));
    if (end) return { at: exact(end.at), word: 'end' };
    for (const curve of this.drawing?.curves ?? []) {
      for (const [i, p] of curve.points.entries()) {
        // A dragged point does not stick to its own neighbours: two of them at one place make no curve.
        if ((leaveOut?.curve === curve.id && Math.abs(leaveOut.index - i) <= 1) || !near(p)) continue;
        return { at: exact(p), word: 'point' };
      }
    }
    const place = places.find((s) => near(s.at));
    if (place) return { at: exact(place.at), word: place.word };
    const along = leaveOut ? null : this.alongCurve(screen);
    if (along) return { at: along.map((v) => Number(v.toFixed(6))), word: 'along' };
    const onAxis = Math.abs(free[0] * this.view.scale) <= SNAP_PIXELS;
    if (onAxis) return { at: [0, onGrid[1]], word: 'axis' };
    return near(onGrid) || step * this.view.scale < 2.5 * SNAP_PIXELS
      ? { at: onGrid, word: 'grid' }
      : { at: free.map((v) => Number(v.toFixed(3))), word: null };
  }

  /** The place of the drawn lines that is nearest to a screen point, if it is near; the server makes it exact. */
  alongCurve(screen) {
    let best = null;
    let least = SNAP_PIXELS * 0.7;
    for (const curve of this.drawing?.curves ?? []) {
      const line = curve.line.map((p) => this.toScreen(this.hooks.flatten(p)));
      for (let i = 1; i < line.length; i++) {
        const [a, b] = [line[i - 1], line[i]];
        const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
        const length = dx * dx + dy * dy;
        const t = length ? Math.min(1, Math.max(0, ((screen[0] - a[0]) * dx + (screen[1] - a[1]) * dy) / length)) : 0;
        const at = [a[0] + dx * t, a[1] + dy * t];
        const distance = Math.hypot(at[0] - screen[0], at[1] - screen[1]);
        if (distance < least) [best, least] = [at, distance];
      }
    }
    return best && this.toSheet(best);
  }

  path(points) {
    return points
      .map(
        (p, i) =>
          (i ? 'L' : 'M') +
          this.toScreen(p)
            .map((v) => v.toFixed(2))
            .join(' '),
      )
      .join('');
  }

  draw() {
    const parts = [];
    const step = this.gridStep();
    const [left, top] = this.toSheet([0, 0]),
      [right, bottom] = this.toSheet([this.width, this.height]);
    const unit = this.hooks.unit();
    for (const axis of [0, 1]) {
      const [from, to] = axis ? [bottom, top] : [left, right];
      for (let k = Math.ceil(from / step); k * step <= to; k++) {
        const strong = k % 5 === 0;
        const s = this.toScreen(axis ? [0, k * step] : [k * step, 0])[axis];
        parts.push(line(strong ? 'grid strong' : 'grid', axis ? `M0 ${s}H${this.width}` : `M${s} 0V${this.height}`));
        if (strong && k) {
          const label = Number(((k * step) / unit.mm).toFixed(4));
          parts.push(axis ? text(4, s - 3, label) : text(s + 3, this.height - 5, label));
        }
      }
    }
    const [ox, oy] = this.toScreen([0, 0]);
    const [xName, yName] = this.hooks.axisNames();
    parts.push(line('axis', `M0 ${oy}H${this.width}`));
    parts.push(line('axis turn', `M${ox} 0V${this.height}`));
    parts.push(text(this.width - 6, oy - 6, `${xName} ${unit.name}`, { 'text-anchor': 'end' }));
    parts.push(text(ox + 6, 14, `${yName}${this.hooks.turnsHere() ? ' · axis' : ''}`));
    for (const section of this.extras?.sections ?? []) parts.push(line('section', this.path(section)));
    if (this.comb) for (const comb of this.extras?.combs ?? []) parts.push(this.drawComb(comb));
    for (const curve of this.drawing?.curves ?? []) parts.push(this.drawCurve(curve));
    for (const curve of this.drawing?.curves ?? []) parts.push(...this.drawPoints(curve));
    for (const place of this.extras?.snaps ?? []) {
      if (!place.pin) continue;
      const [x, y] = this.toScreen(place.at);
      parts.push(line('guide-place', `M${x - 6} ${y}h12M${x} ${y - 6}v12`));
    }
    for (const { which, from, to } of this.handles ?? []) {
      const [x, y] = this.toScreen(to);
      parts.push(line('handle-arm', this.path([from, to])));
      const square = { x: x - 5, y: y - 5, width: 10, height: 10 };
      parts.push(element('rect', { class: 'handle', 'data-handle': which, ...square }));
    }
    if (this.pending.length) {
      const all = this.hover ? [...this.pending, this.hover.at] : this.pending;
      parts.push(line('rubber', this.path(all)));
      if (this.preview) parts.push(line('curve', this.path(this.preview)));
      for (const p of this.pending) {
        const [cx, cy] = this.toScreen(p);
        parts.push(element('circle', { class: 'pending', cx, cy, r: 4 }));
      }
    }
    for (const place of this.places ?? []) {
      const [x, y] = this.toScreen(place);
      parts.push(line('place', `M${x} ${y - 11}l11 11-11 11-11-11z`));
    }
    if (this.hover) {
      const [x, y] = this.toScreen(this.hover.at);
      const marks = {
        grid: `M${x - 5} ${y}h10M${x} ${y - 5}v10`,
        axis: `M${x} ${y - 9}v18M${x - 5} ${y}h10`,
        end: `M${x - 6} ${y - 6}h12v12h-12z`,
        point: `M${x} ${y - 8}l8 8-8 8-8-8z`,
        middle: `M${x - 7} ${y + 6}h14l-7-12z`,
        centre: `M${x - 7} ${y}a7 7 0 1 0 14 0a7 7 0 1 0-14 0M${x - 3} ${y}h6`,
        crossing: `M${x - 6} ${y - 6}l12 12M${x + 6} ${y - 6}l-12 12`,
        along: `M${x - 6} ${y + 4}l12-8M${x - 3} ${y - 5}l6 10`,
        square: `M${x - 7} ${y + 6}h14M${x} ${y + 6}v-13M${x} ${y + 1}h5v5`,
        tangent: `M${x - 8} ${y - 6}h16M${x - 5} ${y - 1}a5 5 0 1 0 10 0a5 5 0 1 0-10 0`,
        guide: `M${x - 8} ${y}a8 8 0 1 0 16 0a8 8 0 1 0-16 0M${x} ${y - 8}v16`,
      };
      if (this.hover.word) parts.push(line('snap', marks[this.hover.word]));
      const label = this.hover.at.map((v) => Number((v / unit.mm).toFixed(3))).join(', ');
      const word = this.hover.word ? ` · ${this.hover.word}` : '';
      parts.push(text(x + 12, y - 9, label + word, { class: 'snap-word' }));
    }
    this.hooks.replace(() => {
      this.parts = redraw(this.svg, parts, this.parts);
    });
  }

  /** Teeth stand on the side away from the bend; the longest takes a seventh of the sheet. */
  drawComb({ teeth }) {
    const longest = Math.max(...teeth.map((t) => Math.hypot(t[2], t[3])), 1e-12);
    const scale = Math.min(this.width, this.height) / 7 / this.view.scale / longest;
    const ends = teeth.map(([x, y, dx, dy]) => [x + dx * scale, y + dy * scale]);
    const strokes = teeth.map(([x, y], k) => this.path([[x, y], ends[k]])).join('');
    return element('g', {}, [line('comb', strokes), line('comb edge', this.path(ends))]);
  }

  drawCurve(curve) {
    const picked = this.picks?.some((p) => p.curve === curve.id);
    const shown = curve.line.map((p) => this.hooks.flatten(p));
    const parts = [line(`curve${picked ? ' picked' : ''}${curve.guide ? ' helping' : ''}`, this.path(shown))];
    if (shown.length > 1) {
      // An arrow half-way shows the direction that the curve runs in.
      const k = Math.max(1, Math.floor(shown.length / 2));
      const [a, b] = [this.toScreen(shown[k - 1]), this.toScreen(shown[k])];
      const angle = (Math.atan2(b[1] - a[1], b[0] - a[0]) * 180) / Math.PI;
      const transform = `translate(${(a[0] + b[0]) / 2} ${(a[1] + b[1]) / 2}) rotate(${angle})`;
      parts.push(line('ends', 'M6 0l-9-5v10z', { transform }));
    }
    parts.push(line('hit', this.path(shown), { 'data-curve': curve.id }));
    if (this.polygon) {
      parts.push(line('polygon', this.path(curve.control)));
      for (const p of curve.control) {
        const [x, y] = this.toScreen(p);
        parts.push(element('rect', { class: 'control', x: x - 2.5, y: y - 2.5, width: 5, height: 5 }));
      }
    }
    return element('g', {}, parts);
  }

  /** Points lie above every line, so that none hides another curve's points. */
  drawPoints(curve) {
    const parts = [];
    // With very many points a name on each would cost more than all the rest of the picture.
    const named = curve.points.length <= 60;
    curve.points.forEach((p, i) => {
      const [cx, cy] = this.toScreen(p).map((v) => v.toFixed(2));
      const now = this.picks?.some((p) => p.curve === curve.id && p.index === i);
      const title = named ? [element('title', {}, `${curve.id}, point ${i + 1}`)] : [];
      const of = { 'data-curve': curve.id, 'data-index': i };
      parts.push(element('circle', { class: now ? 'point picked' : 'point', ...of, cx, cy, r: 5.5 }, title));
    });
    return parts;
  }

  listen() {
    const svg = this.svg;
    // While something is dragged the sheet stays where it is; asking each time would lay the page out again.
    const local = (event) => {
      if (!this.box || (!this.drag && !this.pan)) this.box = svg.getBoundingClientRect();
      return [event.clientX - this.box.left, event.clientY - this.box.top];
    };
    const drawing = () => !['edit', 'trim', 'split'].includes(this.tool);
    svg.addEventListener('pointerdown', (event) => {
      svg.focus();
      const screen = local(event);
      const { curve, index, handle } = event.target.dataset ?? {};
      if (event.button === 0 && handle) {
        this.handleDrag = { which: handle };
      } else if (event.button !== 0 || (!drawing() && curve === undefined)) {
        this.pan = { screen, view: { ...this.view } };
      } else if (this.tool === 'edit' && index !== undefined) {
        this.hooks.picked({ curve, index: Number(index) }, event.shiftKey);
        if (!event.shiftKey) this.drag = { curve, index: Number(index) };
      } else if (this.tool === 'edit') {
        this.hooks.picked({ curve }, event.shiftKey);
      } else if (!drawing()) {
        this.hooks.cut(curve, this.toSheet(screen));
        return;
      } else {
        this.hooks.placed(this.snap(screen, event));
        return;
      }
      svg.setPointerCapture(event.pointerId);
    });
    svg.addEventListener('pointermove', (event) => {
      const screen = local(event);
      if (this.pan) {
        const [dx, dy] = [screen[0] - this.pan.screen[0], screen[1] - this.pan.screen[1]];
        this.view = {
          ...this.view,
          x: this.pan.view.x - dx / this.view.scale,
          y: this.pan.view.y + dy / this.view.scale,
        };
        this.draw();
      } else if (this.handleDrag) {
        this.handleDrag.to = this.toSheet(screen).map((v) => Number(v.toFixed(4)));
        this.handles = this.handles.map((h) =>
          h.which === this.handleDrag.which ? { ...h, to: this.handleDrag.to } : h,
        );
        this.draw();
        this.hooks.draggingHandle(this.handleDrag);
      } else if (this.drag) {
        this.hover = this.snap(screen, event, this.drag);
        this.drag.to = this.hover.at;
        this.drag.pin = this.hover.pin;
        this.hooks.dragging(this.drag);
      } else if (drawing()) {
        this.hover = this.snap(screen, event);
        this.draw();
        this.hooks.hovered();
      }
    });
    const end = () => {
      const drag = this.drag;
      const handle = this.handleDrag;
      this.handleDrag = null;
      if (handle?.to) this.hooks.draggedHandle(handle);
      if (this.pan || drag) this.hover = drawing() ? this.hover : null;
      const wasPan = this.pan;
      this.pan = this.drag = null;
      if (drag?.to) this.hooks.dragged(drag);
      else if (wasPan && wasPan.view.x === this.view.x && wasPan.view.y === this.view.y && this.tool === 'edit')
        this.hooks.picked(null);
      this.draw();
    };
    svg.addEventListener('pointerup', end);
    svg.addEventListener('pointerleave', () => {
      if (!this.drag && !this.pan) {
        this.hover = null;
        this.draw();
      }
    });
    svg.addEventListener('dblclick', (event) => {
      const { curve, index } = event.target.dataset ?? {};
      if (this.tool === 'edit' && curve !== undefined && index === undefined)
        this.hooks.addPoint(curve, this.toSheet(local(event)));
    });
    svg.addEventListener(
      'wheel',
      (event) => {
        event.preventDefault();
        const screen = local(event),
          before = this.toSheet(screen);
        this.view.scale = Math.min(5000, Math.max(0.005, this.view.scale * Math.exp(-event.deltaY * 0.0012)));
        const after = this.toSheet(screen);
        this.view.x += before[0] - after[0];
        this.view.y += before[1] - after[1];
        this.draw();
      },
      { passive: false },
    );
  }
}
