// What of the part lies under a place of the picture, beside its faces: corners, ends, edges, curves, planes, axes.
import * as THREE from '../vendor/three.module.js';

const PLACE_PIXELS = 10;
const LINE_PIXELS = 7;

/** How far a place of the picture is from the line between two others, and at which share of it. */
export function nearestOn(at, a, b) {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const along = ((at[0] - a[0]) * dx + (at[1] - a[1]) * dy) / (dx * dx + dy * dy || 1);
  const share = Math.min(1, Math.max(0, along));
  return { off: Math.hypot(a[0] + share * dx - at[0], a[1] + share * dy - at[1]), share };
}

export class Picking {
  constructor(viewer) {
    this.viewer = viewer;
    /** Polylines that can be picked: { step, item, kind, line }. */
    this.lines = [];
    /** Places that can be picked: { step, item, at }. */
    this.places = [];
  }

  /** A place of space as pixels of the picture, with its distance from the eye. */
  project() {
    const { camera, canvas } = this.viewer;
    camera.updateMatrixWorld();
    const matrix = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    const e = matrix.elements;
    const [w, h] = [canvas.clientWidth / 2, canvas.clientHeight / 2];
    return ([x, y, z]) => {
      const depth = e[3] * x + e[7] * y + e[11] * z + e[15];
      return [
        w + (w * (e[0] * x + e[4] * y + e[8] * z + e[12])) / depth,
        h - (h * (e[1] * x + e[5] * y + e[9] * z + e[13])) / depth,
        depth,
      ];
    };
  }

  /** The nearest place within reach that no face hides; `allowed` says of which step and kind. */
  place(at, depth, allowed) {
    const project = this.project();
    let best = null;
    for (const place of this.places) {
      if (!allowed(place.step)) continue;
      const [x, y, far] = project(place.at);
      const off = Math.hypot(x - at[0], y - at[1]);
      if (off < (best?.off ?? PLACE_PIXELS) && this.seen(far, depth)) best = { off, place };
    }
    return best?.place ?? null;
  }

  line(at, depth, allowed) {
    const project = this.project();
    let best = null;
    for (const line of this.lines) {
      if (!allowed(line.step, line.kind)) continue;
      let before = null;
      for (const p of line.line) {
        const now = project(p);
        if (before) {
          const { off, share } = nearestOn(at, before, now);
          const far = before[2] + share * (now[2] - before[2]);
          if (off < (best?.off ?? LINE_PIXELS) && this.seen(far, depth)) best = { off, line };
        }
        before = now;
      }
    }
    return best?.line ?? null;
  }

  /** Whether something is not behind the face that was hit; edges lie on faces, so a little behind still counts. */
  seen(far, depth) {
    return far <= depth + this.viewer.size * 0.02;
  }
}
