// What is dragged in space, and clicks: points of curves and nets, borders of nets, beginnings of sections, ends of pairing lines.
import * as THREE from '../vendor/three.module.js';
import { nearestOn } from './picking.js';

const CLICK_PIXELS = 4;
/** Milliseconds between two places of a drag that are followed: what lies between would be overtaken anyway. */
const FOLLOW_PAUSE = 6;

export class Drags {
  constructor(viewer) {
    this.viewer = viewer;
    /** Where the pointer went down. */
    this.down = null;
    const { canvas } = viewer;
    // Before the view's own controls hear of it: what is taken hold of does not turn the view.
    canvas.addEventListener('pointerdown', (event) => this.begin(event), true);
    canvas.addEventListener('pointermove', (event) => {
      if (!viewer.drag) {
        if (!event.buttons) viewer.hooks.hover(viewer.under(event));
        return;
      }
      this.latest = event;
      this.following ??= setTimeout(() => this.follow(), FOLLOW_PAUSE);
    });
    canvas.addEventListener('pointerup', (event) => this.end(event));
  }

  begin(event) {
    const { viewer } = this;
    this.down = [event.clientX, event.clientY];
    const drag = event.button === 0 ? this.held(event) : null;
    if (!drag) return;
    viewer.drag = drag;
    viewer.controls.enabled = false;
    viewer.canvas.setPointerCapture(event.pointerId);
  }

  /** What the pointer takes hold of. */
  held(event) {
    const { viewer } = this;
    const { handle, begin, net, pair } = viewer.under(event);
    const square = (normal, at) => new THREE.Plane().setFromNormalAndCoplanarPoint(normal, at);
    if (net) {
      const border = viewer.net.border(net);
      if (net.point === undefined && !border) return null;
      const { points, columns } = viewer.net.net;
      const first = new THREE.Vector3(...points[net.point ?? (net.row ?? 0) * columns + (net.column ?? 0)]);
      const plane = square(this.facingAxis(), first);
      // A border is taken hold of where the pointer is, and not at its first point.
      const grip = border && viewer.ray(event).ray.intersectPlane(plane, new THREE.Vector3());
      return { net: net.point, under: net, border, start: grip || first, plane };
    }
    if (begin) return { begin };
    if (pair) return { pair };
    if (!handle) return null;
    const { drawing, curve, index, free } = handle.userData;
    const f = drawing.frame;
    const normal = free ? this.facingAxis() : new THREE.Vector3(...f.x).cross(new THREE.Vector3(...f.y));
    const start = free ? handle.position.clone() : new THREE.Vector3(...f.origin);
    return { drawing, curve, index, free, start, plane: square(normal, start) };
  }

  follow() {
    clearTimeout(this.following);
    this.following = null;
    const { drag, hooks } = this.viewer;
    if (drag && this.moved(drag, this.latest)) hooks.dragging(drag);
  }

  /** Brings a drag to where the pointer is; gives whether that is anywhere. */
  moved(drag, event) {
    const { viewer } = this;
    if (drag.begin) {
      drag.to = drag.share = this.shareOn(drag.begin, event);
      return true;
    }
    if (drag.pair) {
      drag.to = viewer.pairing.place(drag.pair.section, event);
      return true;
    }
    if (drag.under || drag.free) {
      const to = this.placeOf(drag, event);
      if (!to || (drag.under && this.isClick(event))) return false;
      drag.to = to;
      drag.from = drag.start.toArray();
      drag.by = to.map((x, k) => x - drag.from[k]);
      if (drag.under) return true;
      // On a surface, what counts is the place of it that the pointer is over.
      const hit = viewer.raycaster
        .intersectObjects(viewer.bodies.children, false)
        .find((h) => !h.object.userData.faded);
      drag.over = hit && { body: hit.object.userData, share: viewer.shareOf(hit) };
      return true;
    }
    const at = viewer.ray(event).ray.intersectPlane(drag.plane, new THREE.Vector3());
    if (!at) return false;
    const f = drag.drawing.frame;
    const d = at.sub(new THREE.Vector3(...f.origin));
    drag.to = [d.dot(new THREE.Vector3(...f.x)), d.dot(new THREE.Vector3(...f.y))];
    return true;
  }

  end(event) {
    const { viewer } = this;
    viewer.controls.enabled = true;
    if (this.following) this.follow();
    const { drag } = viewer;
    viewer.drag = null;
    if (drag?.to !== undefined) viewer.hooks.dragged(drag);
    else if (drag?.under) viewer.hooks.clicked({ net: drag.under }, event);
    else if (!drag && this.down && this.isClick(event)) viewer.hooks.clicked(viewer.under(event), event);
    this.down = null;
  }

  /** Whether the pointer is as good as where it went down. */
  isClick(event) {
    return this.down && Math.hypot(event.clientX - this.down[0], event.clientY - this.down[1]) < CLICK_PIXELS;
  }

  /** The main direction that points most to the eye: a point in space is dragged square to it. */
  facingAxis() {
    const way = this.viewer.camera.position.clone().sub(this.viewer.controls.target);
    const axes = [new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0), new THREE.Vector3(0, 0, 1)];
    return axes.reduce((a, b) => (Math.abs(way.dot(a)) >= Math.abs(way.dot(b)) ? a : b));
  }

  /** Where a point in space is dragged to: in its main plane, or with Shift along that plane's normal. */
  placeOf({ plane, start }, event) {
    const { ray } = this.viewer.ray(event);
    if (!event.shiftKey) return ray.intersectPlane(plane, new THREE.Vector3())?.toArray();
    const along = plane.normal;
    const across = ray.direction.clone().cross(along);
    const upright = new THREE.Plane().setFromNormalAndCoplanarPoint(across.cross(along).normalize(), start);
    const at = ray.intersectPlane(upright, new THREE.Vector3());
    return at && start.clone().addScaledVector(along, at.sub(start).dot(along)).toArray();
  }

  /** The share of a mark's line that lies before the place of it nearest to the pointer. */
  shareOn({ line }, event) {
    const { viewer } = this;
    const at = viewer.pixel(event);
    const project = viewer.picking.project();
    let [run, best] = [0, { off: Infinity, run: 0 }];
    for (let i = 1; i < line.length; i++) {
      const { off, share } = nearestOn(at, project(line[i - 1]), project(line[i]));
      const length = Math.hypot(...line[i].map((x, k) => x - line[i - 1][k]));
      if (off < best.off) best = { off, run: run + share * length };
      run += length;
    }
    return run ? best.run / run : 0;
  }
}
