// Ways of shading that show how surfaces run and how thick a solid is: stripes, a sky of our own, curvature and thickness in colours.
// The figures come from the server; here they only become colours.
import * as THREE from '../vendor/three.module.js';

export const SHADES = [
  { name: 'plain', label: 'Plain' },
  { name: 'zebra', label: 'Zebra' },
  { name: 'sky', label: 'Sky' },
  {
    name: 'gaussian',
    label: 'Gaussian curvature',
    unit: '1/mm²',
    needs: 'curvature',
    part: 0,
    words: 'below 0 a saddle, above 0 a dome or a bowl',
  },
  {
    name: 'mean',
    label: 'Mean curvature',
    unit: '1/mm',
    needs: 'curvature',
    part: 1,
    words: 'below 0 it bulges, above 0 it is hollow',
  },
  {
    name: 'thickness',
    label: 'Wall thickness',
    unit: 'mm',
    needs: 'thickness',
    part: 0,
    words: 'straight through the solid, square to its surface',
  },
];

/** Colours of the lowest, the middle and the highest figure, as the legend shows them too; what is thin stands out. */
const RAMP = ['#1f5f8b', '#f1ebdf', '#b3412a'];
export const rampOf = (kind) => (kind.needs === 'thickness' ? [...RAMP].reverse() : RAMP);

/** The figure that has the middle colour: where nothing bends, or half way. */
export const centreOf = (kind, [low, high]) =>
  kind.needs === 'thickness' ? (low + high) / 2 : Math.min(high, Math.max(low, 0));

const rgb = (hex) => new THREE.Color(hex);

const VERTEX = `
attribute vec2 _curvature;
attribute float _thickness;
varying vec3 vNormalHere;
varying vec3 vPlace;
varying vec2 vBend;
varying float vThick;
void main() {
  vec4 place = modelViewMatrix * vec4(position, 1.0);
  vNormalHere = normalMatrix * normal;
  vPlace = place.xyz;
  vBend = _curvature;
  vThick = _thickness;
  gl_Position = projectionMatrix * place;
}`;

const FRAGMENT = `
uniform int shade;
uniform vec2 range;
uniform float centre;
uniform vec3 low;
uniform vec3 middle;
uniform vec3 high;
uniform float lit;
varying vec3 vNormalHere;
varying vec3 vPlace;
varying vec2 vBend;
varying float vThick;

// Black and white bands, a pixel of grey between them.
float bands(float phase) {
  float at = abs(fract(phase) - 0.5) * 2.0;
  float soft = clamp(fwidth(phase) * 1.4, 0.0, 1.0);
  return smoothstep(0.5 - soft, 0.5 + soft, at);
}

void main() {
  vec3 n = normalize(vNormalHere) * (gl_FrontFacing ? 1.0 : -1.0);
  vec3 seen = normalize(vPlace);
  vec3 away = reflect(seen, n);
  vec3 up = (vec4(away, 0.0) * viewMatrix).xyz;
  float facing = clamp(dot(n, -seen), 0.0, 1.0);
  vec3 colour = vec3(1.0);
  if (shade == 1) {
    float band = bands(9.0 * asin(clamp(up.x * 0.8 + up.z * 0.6, -1.0, 1.0)) / 3.14159265);
    colour = mix(vec3(0.09, 0.13, 0.16), vec3(0.97, 0.95, 0.91), band);
  } else if (shade == 2) {
    // A room of ours: warm floor, cool ceiling, a soft horizon and two long lamps along it.
    float rise = up.z;
    vec3 floorTone = mix(vec3(0.42, 0.36, 0.29), vec3(0.80, 0.73, 0.62), smoothstep(-1.0, 0.0, rise));
    vec3 roofTone = mix(vec3(0.95, 0.96, 0.95), vec3(0.36, 0.49, 0.57), smoothstep(0.0, 1.0, rise));
    colour = mix(floorTone, roofTone, smoothstep(-0.03, 0.03, rise));
    float lamps = smoothstep(0.13, 0.10, abs(abs(up.x) - 0.45)) * smoothstep(0.10, 0.25, rise);
    colour = mix(colour, vec3(1.0, 0.99, 0.95), lamps * 0.9);
    colour = mix(vec3(0.66, 0.70, 0.71), colour, 0.55 + 0.45 * facing);
  } else {
    float value = shade == 5 ? vThick : shade == 3 ? vBend.x : vBend.y * (gl_FrontFacing ? 1.0 : -1.0);
    float share = value < centre
      ? -clamp((centre - value) / max(centre - range.x, 1e-30), 0.0, 1.0)
      : clamp((value - centre) / max(range.y - centre, 1e-30), 0.0, 1.0);
    colour = share < 0.0 ? mix(middle, low, -share) : mix(middle, high, share);
    // What is no solid has no thickness.
    if (shade == 5 && vThick <= 0.0) colour = vec3(0.55);
    colour *= 0.62 + 0.38 * facing;
  }
  if (!gl_FrontFacing && shade < 3) colour *= 0.72;
  colour = mix(colour, vec3(0.06, 0.42, 0.36), lit);
  gl_FragColor = vec4(colour, 1.0);
  #include <colorspace_fragment>
}`;

/** The material of a way of shading, one for each and for what is lit up. */
export class Shades {
  constructor() {
    this.now = 'plain';
    this.made = new Map();
    this.range = new THREE.Vector2(-1, 1);
    this.centre = { value: 0 };
  }

  get kind() {
    return SHADES.find((s) => s.name === this.now);
  }

  material(isLit) {
    const key = `${this.now} ${isLit}`;
    if (!this.made.has(key))
      this.made.set(
        key,
        new THREE.ShaderMaterial({
          vertexShader: VERTEX,
          fragmentShader: FRAGMENT,
          side: THREE.DoubleSide,
          polygonOffset: true,
          polygonOffsetFactor: 1,
          polygonOffsetUnits: 1,
          uniforms: {
            shade: { value: SHADES.findIndex((s) => s.name === this.now) },
            range: { value: this.range },
            centre: this.centre,
            low: { value: rgb(rampOf(this.kind)[0]) },
            middle: { value: rgb(rampOf(this.kind)[1]) },
            high: { value: rgb(rampOf(this.kind)[2]) },
            lit: { value: isLit ? 0.35 : 0 },
          },
        }),
      );
    return this.made.get(key);
  }

  /** Sets the range of the colours by what is shown: all but the outermost shares of its area, so that a tip does not wash it out. */
  fitRange(meshes) {
    const { needs, part } = this.kind;
    if (!needs) return null;
    const figures = meshes.flatMap((mesh) =>
      mesh.userData.faded === true ? [] : figuresOf(mesh.geometry, needs, part),
    );
    if (!figures.length) return null;
    figures.sort((a, b) => a.value - b.value);
    let [low, high] = [TIP, 1 - TIP].map((share) => atShare(figures, share));
    if (needs === 'thickness') high = Math.min(high, THICKER * atShare(figures, 0.5));
    // What is the same everywhere still gets a range to lie in.
    if (high - low < 0.02 * Math.max(Math.abs(low), Math.abs(high)))
      [low, high] = needs === 'thickness' ? [0.9 * low, 1.1 * high] : [Math.min(low, 0), Math.max(high, 0)];
    if (high - low < 1e-9) [low, high] = [-1e-6, 1e-6];
    this.range.set(low, high);
    this.centre.value = centreOf(this.kind, [low, high]);
    return [low, high];
  }
}

// Share of the area that may lie beyond either end of the range.
const TIP = 0.01;
// How many times as thick as half of the area what counts may be: at rims the way through a wall leads along it.
const THICKER = 3;
// Triangles of a face that are looked at, about.
const LOOKED_AT = 4000;

/** A figure for each of a geometry's triangles, with its area. */
function figuresOf(geometry, needs, part) {
  const figures = geometry.getAttribute(`_${needs}`);
  const { index } = geometry;
  if (!figures || !index) return [];
  const places = geometry.getAttribute('position');
  const corners = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
  const triangle = new THREE.Triangle(...corners);
  const out = [];
  const step = 3 * Math.max(1, Math.floor(index.count / 3 / LOOKED_AT));
  for (let i = 0; i + 2 < index.count; i += step) {
    const at = [0, 1, 2].map((k) => index.getX(i + k));
    at.forEach((vertex, k) => corners[k].fromBufferAttribute(places, vertex));
    const value = at.reduce((sum, vertex) => sum + figures.getComponent(vertex, part), 0) / 3;
    if (needs !== 'thickness' || value > 0) out.push({ value, area: triangle.getArea() * step });
  }
  return out;
}

/** The figure below which a share of the area lies. */
function atShare(figures, share) {
  const whole = figures.reduce((sum, one) => sum + one.area, 0);
  let below = 0;
  for (const { value, area } of figures) {
    below += area;
    if (below >= share * whole) return value;
  }
  return figures.at(-1).value;
}
