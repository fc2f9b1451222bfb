// The control net of a surface in space: its lines, its points, and which of them are picked or frozen.
import * as THREE from '../vendor/three.module.js';
import { nearestOn } from './picking.js';

const POINT_REACH = 9;
const LINE_REACH = 6;

/** A disc with a rim, drawn once. */
function disc(rim, fill) {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 32;
  const pen = canvas.getContext('2d');
  pen.fillStyle = rim;
  pen.beginPath();
  pen.arc(16, 16, 15, 0, 2 * Math.PI);
  pen.fill();
  pen.fillStyle = fill;
  pen.beginPath();
  pen.arc(16, 16, 9, 0, 2 * Math.PI);
  pen.fill();
  const map = new THREE.CanvasTexture(canvas);
  map.colorSpace = THREE.SRGBColorSpace;
  return map;
}

export class Net {
  constructor(viewer) {
    this.viewer = viewer;
    this.net = null;
    this.picked = new Set();
    this.frozen = new Set();
    const points = (size, options, order) => {
      const material = new THREE.PointsMaterial({ size, sizeAttenuation: false, depthTest: false, ...options });
      const made = new THREE.Points(new THREE.BufferGeometry(), material);
      made.renderOrder = order;
      made.frustumCulled = false;
      viewer.scene.add(made);
      return made;
    };
    const round = (rim, fill) => ({ map: disc(rim, fill), alphaTest: 0.4 });
    this.kinds = {
      plain: points(9, round('#a97a22', '#fdfcf8'), 12),
      // A frozen point is square: told apart by more than its colour.
      frozen: points(8, { color: 0x5b6b7c }, 13),
      picked: points(13, round('#0f6b5c', '#0f6b5c'), 14),
    };
  }

  /** The pairs of neighbouring points, as lines. */
  static lines({ rows, columns, points }) {
    const out = [];
    for (let i = 0; i < rows; i++) out.push(points.slice(i * columns, (i + 1) * columns));
    for (let j = 0; j < columns; j++) out.push(Array.from({ length: rows }, (_, i) => points[i * columns + j]));
    return out;
  }

  show(net) {
    this.net = net;
    this.paint();
  }

  kindOf(k) {
    return this.picked.has(k) ? 'picked' : this.frozen.has(k) ? 'frozen' : 'plain';
  }

  paint() {
    const places = { plain: [], frozen: [], picked: [] };
    (this.net?.points ?? []).forEach((p, k) => places[this.kindOf(k)].push(...p));
    for (const [kind, made] of Object.entries(this.kinds)) {
      made.geometry.dispose();
      made.geometry = new THREE.BufferGeometry();
      made.geometry.setAttribute('position', new THREE.Float32BufferAttribute(places[kind], 3));
      made.visible = places[kind].length > 0;
    }
    this.viewer.draw();
  }

  /** The point under the pointer, or the line of a row or a column: { point }, { row } or { column }, from 0. */
  under(at) {
    if (!this.net) return null;
    const { rows, columns, points } = this.net;
    const flat = points.map(this.viewer.picking.project());
    let near = { off: POINT_REACH };
    flat.forEach(([x, y, depth], point) => {
      const off = Math.hypot(x - at[0], y - at[1]);
      // Of points that lie behind each other the nearer one counts.
      if (off < near.off - 0.5 || (off < near.off + 0.5 && depth < (near.depth ?? -1))) near = { off, depth, point };
    });
    if (near.point !== undefined) return { point: near.point };
    let best = { off: LINE_REACH };
    const segment = (a, b, found) => {
      const { off } = nearestOn(at, a, b);
      if (off < best.off) best = { off, ...found };
    };
    for (let i = 0; i < rows; i++)
      for (let j = 0; j < columns; j++) {
        const k = i * columns + j;
        if (j + 1 < columns) segment(flat[k], flat[k + 1], { row: i });
        if (i + 1 < rows) segment(flat[k], flat[k + columns], { column: j });
      }
    return best.row !== undefined || best.column !== undefined ? best : null;
  }

  /** The border that a row or column is, as the recipe calls it. */
  border({ row, column }) {
    const { rows, columns } = this.net;
    if (row === 0) return 'first_row';
    if (row === rows - 1) return 'last_row';
    if (column === 0) return 'first_column';
    return column === columns - 1 ? 'last_column' : null;
  }
}
