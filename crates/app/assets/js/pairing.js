// Lines in space that join places of a loft's sections; their ends are dragged along the sections.
import * as THREE from '../vendor/three.module.js';
import { LineSegments2 } from '../vendor/three/lines/LineSegments2.js';
import { LineSegmentsGeometry } from '../vendor/three/lines/LineSegmentsGeometry.js';
import { nearestOn } from './picking.js';

/** How near in pixels the pointer takes hold of an end, and how near to a piece's own end it goes onto that. */
const HOLD = 9;
const SNAP = 10;

export class Pairing {
  constructor(viewer) {
    this.viewer = viewer;
    this.group = new THREE.Group();
    viewer.scene.add(this.group);
    this.shown = null;
  }

  /** Shows the lines of a loft, or none. */
  show(pairing) {
    if (!pairing && !this.shown) return;
    const { viewer } = this;
    viewer.clear(this.group);
    this.shown = pairing;
    const look = {
      own: viewer.material('pair', { color: 0x2f7f9e, linewidth: 1.25, depthTest: false }),
      given: viewer.material('pair by hand', { color: 0x0f6b5c, linewidth: 3, depthTest: false }),
    };
    this.dots ??= {
      own: new THREE.MeshBasicMaterial({ color: 0x2f7f9e, depthTest: false }),
      given: new THREE.MeshBasicMaterial({ color: 0x0f6b5c, depthTest: false }),
    };
    for (const { given, along, ends } of pairing?.lines ?? []) {
      const kind = given === null ? 'own' : 'given';
      const geometry = new LineSegmentsGeometry();
      geometry.setPositions(along.slice(1).flatMap((p, i) => [...along[i], ...p]));
      const line = new LineSegments2(geometry, look[kind]);
      line.renderOrder = 14;
      this.group.add(line);
      for (const { at } of ends) {
        const dot = new THREE.Mesh(new THREE.SphereGeometry(1, 12, 8), this.dots[kind]);
        dot.position.set(...at);
        dot.renderOrder = 15;
        dot.userData = { pixels: given === null ? 3.5 : 5 };
        this.group.add(dot);
      }
    }
    viewer.draw();
  }

  /** The line's end at a pixel, those drawn by hand first. */
  under(at) {
    const project = this.viewer.picking.project();
    let best = null;
    for (const [l, line] of (this.shown?.lines ?? []).entries())
      for (const [e, end] of line.ends.entries()) {
        const p = project(end.at);
        const off = Math.hypot(p[0] - at[0], p[1] - at[1]) - (line.given === null ? 0 : HOLD / 2);
        if (off < HOLD && off < (best?.off ?? Infinity)) best = { off, line: l, end: e };
      }
    return best && { line: this.shown.lines[best.line], ...this.shown.lines[best.line].ends[best.end] };
  }

  /** The piece of a section, and the share of its length, nearest to the pointer. */
  place(section, event) {
    const at = this.viewer.pixel(event);
    const project = this.viewer.picking.project();
    let best = { off: Infinity };
    for (const [piece, line] of this.shown.sections[section].entries()) {
      const steps = line.slice(1).map((p, i) => Math.hypot(...p.map((x, k) => x - line[i][k])));
      const whole = steps.reduce((sum, s) => sum + s, 0);
      let run = 0;
      for (const [i, step] of steps.entries()) {
        const { off, share } = nearestOn(at, project(line[i]), project(line[i + 1]));
        if (off < best.off) best = { off, piece, share: whole ? (run + share * step) / whole : 0, line };
        run += step;
      }
    }
    for (const [share, p] of [
      [0, best.line[0]],
      [1, best.line[best.line.length - 1]],
    ]) {
      const q = project(p);
      if (Math.hypot(q[0] - at[0], q[1] - at[1]) < SNAP) best = { ...best, share };
    }
    return { piece: best.piece, share: best.share };
  }
}
