// What the clicks of a drawing tool mean: points and values of the curve to be made.

const tidy = (v) => Number(v.toFixed(6));
const degrees = (radians) => `${tidy((radians * 180) / Math.PI)} deg`;

/** How many clicks a kind takes; Infinity until Enter. */
export function clicksOf(kind) {
  return { arc: 3, arc_about: 3, tangent_arc: 1, circle: 2, ellipse: 3, rectangle: 2, polygon: 2 }[kind] ?? Infinity;
}

/** Fewest clicks that can be shown. */
export function leastOf(kind) {
  return (
    { bezier: 4, arc: 3, arc_about: 3, tangent_arc: 1, circle: 2, ellipse: 2, rectangle: 2, polygon: 2 }[kind] ?? 2
  );
}

/** A curve from places (in mm), the amounts that stand for them, and mm per unit of the part. */
export function curveFrom(kind, amounts, places, unit) {
  const length = (mm) => tidy(mm / unit);
  const [c, p, q] = places;
  const centre = [amounts[0]];
  if (kind === 'circle') return { points: centre, values: { radius: length(Math.hypot(p[0] - c[0], p[1] - c[1])) } };
  if (kind === 'polygon') {
    const radius = length(Math.hypot(p[0] - c[0], p[1] - c[1]));
    return { points: centre, values: { sides: 6, radius, turn: degrees(Math.atan2(p[1] - c[1], p[0] - c[0])) } };
  }
  if (kind === 'rectangle') {
    const corner = [Math.min(c[0], p[0]), Math.min(c[1], p[1])].map(length);
    return {
      points: [corner],
      values: { width: length(Math.abs(p[0] - c[0])), height: length(Math.abs(p[1] - c[1])) },
    };
  }
  if (kind === 'ellipse') {
    const turn = Math.atan2(p[1] - c[1], p[0] - c[0]);
    const radius = Math.hypot(p[0] - c[0], p[1] - c[1]);
    const across = q ? Math.abs((q[1] - c[1]) * Math.cos(turn) - (q[0] - c[0]) * Math.sin(turn)) : radius / 2;
    return { points: centre, values: { radius_x: length(radius), radius_y: length(across), turn: degrees(turn) } };
  }
  if (kind === 'bezier') return { points: amounts.slice(0, 3 * Math.floor((amounts.length - 1) / 3) + 1) };
  return { points: amounts };
}

/** How far round its centre an arc has been drawn when its end moves on, by up to a whole turn either way, in radians. */
export function turnedOn(turned, [centre, start, end]) {
  const angle = (p) => Math.atan2(p[1] - centre[1], p[0] - centre[0]);
  const whole = 2 * Math.PI;
  const plain = angle(end) - angle(start);
  const near = plain + whole * Math.round((turned - plain) / whole);
  if (Math.abs(near) <= whole) return near;
  return near - Math.sign(near) * whole;
}

/**
 * What was typed for the next point: `12, 40`, or from the last point a length and an angle, `25; 30 deg`. Formulas
 * stay formulas. Gives the amounts, or null.
 */
export function typedAmounts(text, last, unitName, asAmount) {
  const polar = text.split(';').map((t) => t.trim());
  if (polar.length === 2 && polar.every(Boolean) && last) {
    const withUnit = (a) => (typeof a === 'number' ? `${a} ${unitName}` : `(${a})`);
    const length = /^[\d.+-]+$/.test(polar[0]) ? `${polar[0]} ${unitName}` : `(${polar[0]})`;
    return ['cos', 'sin'].map((f, k) => `${withUnit(last[k])} + ${length} * ${f}(${polar[1]})`);
  }
  const parts = text.split(',').map((t) => t.trim());
  return parts.length === 2 && parts.every(Boolean) ? parts.map(asAmount) : null;
}
