// The part in space. Shows what the server made; decides nothing about geometry.
import * as THREE from '../vendor/three.module.js';
import { OrbitControls } from '../vendor/three/controls/OrbitControls.js';
import { GLTFLoader } from '../vendor/three/loaders/GLTFLoader.js';
import { LineSegments2 } from '../vendor/three/lines/LineSegments2.js';
import { LineSegmentsGeometry } from '../vendor/three/lines/LineSegmentsGeometry.js';
import { LineMaterial } from '../vendor/three/lines/LineMaterial.js';
import { Drags } from './drags.js';
import { Net } from './net.js';
import { Pairing } from './pairing.js';
import { Picking } from './picking.js';
import { Shades } from './shades.js';

const BONE = 0xd8cdb9,
  SLATE = 0x5b6b7c,
  KELP = 0x0f6b5c,
  BUOY = 0xd9482b;
/** Meshes of pieces have this and the piece's number for a step. */
const PIECE = 'piece ';
const HANDLE_PIXELS = 7;
/** Milliseconds between two pictures that are drawn by the processor alone. */
const PICTURE_PAUSE = 150;

export class Viewer {
  constructor(canvas, hooks) {
    this.canvas = canvas;
    this.hooks = hooks;
    // Drawn by the processor alone, smoothing would cost more than the picture; then fewer pixels are drawn in motion.
    const probe = document.createElement('canvas').getContext('webgl2');
    const name = probe?.getExtension('WEBGL_debug_renderer_info')
      ? probe.getParameter(probe.getExtension('WEBGL_debug_renderer_info').UNMASKED_RENDERER_WEBGL)
      : '';
    probe?.getExtension('WEBGL_lose_context')?.loseContext();
    this.software = /swiftshader|llvmpipe|software/i.test(name);
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: !this.software, alpha: true });
    this.fullRatio = this.software ? 1 : Math.min(window.devicePixelRatio, 2);
    this.renderer.setPixelRatio(this.fullRatio);
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(28, 1, 0.1, 1e6);
    this.camera.up.set(0, 0, 1);
    this.camera.position.set(220, -320, 210);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('start', () => {
      this.turned = true;
    });
    this.controls.addEventListener('change', () => {
      this.moving();
      this.draw();
    });
    // Shades are kept apart from the light so that inner and outer side differ in greyscale too.
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0xb9b2a6, 2.7));
    const key = new THREE.DirectionalLight(0xffffff, 2.0);
    this.camera.add(key);
    key.position.set(-0.6, 0.8, 1);
    this.scene.add(this.camera);
    this.loader = new GLTFLoader();
    this.bodies = new THREE.Group();
    this.lines = new THREE.Group();
    this.handles = new THREE.Group();
    this.marks = new THREE.Group();
    this.lit = new THREE.Group();
    this.begins = new THREE.Group();
    this.scene.add(this.bodies, this.lines, this.handles, this.marks, this.lit, this.begins);
    this.picking = new Picking(this);
    this.net = new Net(this);
    this.pairing = new Pairing(this);
    this.shades = new Shades();
    this.combScale = 1;
    this.lineMaterials = {};
    this.bodyMaterials = new Map();
    this.size = 100;
    this.centre = new THREE.Vector3(0, 0, 30);
    this.raycaster = new THREE.Raycaster();
    this.drag = null;
    this.setGrid(100);
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    this.drags = new Drags(this);
    this.resize();
  }

  style(name) {
    return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  }

  setGrid(size) {
    const step = 10 ** Math.max(0, Math.ceil(Math.log10(size / 20)));
    const span = Math.max(10, Math.ceil((size * 1.2) / step)) * step;
    if (this.gridStep === step && this.gridSpan === span) return;
    this.gridStep = step;
    this.gridSpan = span;
    if (this.grid) this.scene.remove(this.grid);
    this.grid = new THREE.GridHelper(
      span * 2,
      Math.min(200, (span * 2) / step),
      this.style('--grid-strong'),
      this.style('--grid'),
    );
    this.grid.rotation.x = Math.PI / 2;
    this.scene.add(this.grid);
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.canvas.parentElement;
    if (!w || !h) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    for (const m of Object.values(this.lineMaterials)) m.resolution.set(w, h);
    this.draw();
  }

  /** Things move: draws coarsely where drawing is slow, and finely again once they rest. */
  moving() {
    if (!this.software) return;
    clearTimeout(this.resting);
    if (this.renderer.getPixelRatio() === this.fullRatio) this.renderer.setPixelRatio(this.fullRatio * 0.5);
    this.resting = setTimeout(() => {
      this.renderer.setPixelRatio(this.fullRatio);
      this.draw();
    }, 900);
  }

  draw() {
    if (this.asked) return;
    this.asked = true;
    // By the processor alone, every picture would take the time of two answers of the server.
    const wait = this.software ? PICTURE_PAUSE - (performance.now() - (this.drawnAt ?? 0)) : 0;
    if (wait > 0) setTimeout(() => requestAnimationFrame(() => this.render()), wait);
    else requestAnimationFrame(() => this.render());
  }

  render() {
    this.asked = false;
    this.drawnAt = performance.now();
    const height = this.canvas.clientHeight || 1;
    const sized = [this.handles, this.marks, this.lit, this.begins, this.pairing.group].flatMap((g) => g.children);
    for (const handle of sized) {
      if (handle.isLineSegments2) continue;
      const depth = handle.position.distanceTo(this.camera.position);
      const pixel = (2 * depth * Math.tan((this.camera.fov * Math.PI) / 360)) / height;
      handle.scale.setScalar(pixel * (handle.userData.pixels ?? HANDLE_PIXELS));
    }
    // As near as the part allows: what lies close together, such as the two sides of a thin edge, is then told apart.
    const away = this.camera.position.distanceTo(this.centre);
    this.camera.near = Math.max(this.size / 200, away - this.size * 0.8);
    this.camera.far = away + this.size * 60;
    this.camera.updateProjectionMatrix();
    this.renderer.render(this.scene, this.camera);
  }

  material(name, options) {
    if (!this.lineMaterials[name]) {
      const m = new LineMaterial(options);
      m.resolution.set(this.canvas.clientWidth || 1, this.canvas.clientHeight || 1);
      this.lineMaterials[name] = m;
    }
    return this.lineMaterials[name];
  }

  /** Shows a GLB from the server; gives its extras. Of several calls, an older one never overwrites a newer. */
  async show(bytes) {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    if (performance.now() - (this.shownAt ?? 0) < 1000) this.moving();
    this.shownAt = performance.now();
    const gltf = await this.loader.parseAsync(bytes, '');
    if (turn < this.turn) return null;
    const extras = gltf.parser.json.extras;
    this.clear(this.bodies);
    const backdrop = new Set(extras.backdrop);
    // Of a step whose pieces are shown the pieces are all there is to see.
    const inPieces = new Set(extras.pieces.map((p) => p.step));
    gltf.scene.traverse((node) => {
      if (!node.isMesh || inPieces.has(node.geometry.userData.step)) return;
      // The file is in metres with y up; its numbers are millimetres with z up, which is what we work in.
      const { step, role, domain } = node.geometry.userData;
      const faded = backdrop.has(step);
      const piece = step.startsWith(PIECE) ? extras.pieces[Number(step.slice(PIECE.length))] : null;
      const look = piece && !piece.kept ? 'gone' : faded;
      const mesh = new THREE.Mesh(node.geometry, this.bodyMaterial(look));
      mesh.userData = { step: piece?.step ?? step, role, domain, faded: look, piece };
      this.bodies.add(mesh);
    });
    this.extras = extras;
    this.shaded();
    this.shaped = this.shapedFrom?.(extras.drawings);
    const box = new THREE.Box3().setFromObject(this.bodies);
    for (const d of extras.drawings)
      for (const c of d.curves) for (const p of c.line) box.expandByPoint(new THREE.Vector3(...p));
    if (!box.isEmpty()) {
      const sphere = box.getBoundingSphere(new THREE.Sphere());
      this.size = Math.max(sphere.radius * 2, 1);
      this.centre.copy(sphere.center);
      this.setGrid(this.size);
      // Until somebody turns the view it keeps all of the part in sight, however that grows.
      const fits = this.fitted && Math.abs(Math.log(this.size / this.fitted)) < 0.2;
      if (!this.turned && !fits && !this.drag) this.look('whole');
    }
    this.showLines();
    this.draw();
    return extras;
  }

  /** Shades everything anew; gives the range of curvatures that the colours stand for. */
  shaded() {
    const range = this.shades.fitRange(this.bodies.children);
    for (const mesh of this.bodies.children) mesh.material = this.bodyMaterial(mesh.userData.faded);
    this.draw();
    this.hooks.ranged?.(range);
  }

  shade(name) {
    this.shades.now = name;
    this.shaded();
  }

  /** One material for both sides; which colour shows is decided where a triangle is drawn. */
  bodyMaterial(faded) {
    if (this.shades.now !== 'plain' && faded !== true && faded !== 'gone') return this.shades.material(faded === 'lit');
    if (!this.bodyMaterials.has(faded)) {
      const material = new THREE.MeshLambertMaterial({
        side: THREE.DoubleSide,
        transparent: faded === true || faded === 'gone',
        opacity: faded === true ? 0.28 : faded === 'gone' ? 0.4 : 1,
        depthWrite: faded !== true && faded !== 'gone',
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
      });
      material.onBeforeCompile = (shader) => {
        const toward = faded === 'gone' ? BUOY : KELP;
        const share = faded === 'lit' ? 0.45 : faded === 'gone' ? 0.6 : 0;
        const tint = (color) => new THREE.Color(color).lerp(new THREE.Color(toward), share);
        shader.uniforms.outside = { value: tint(BONE) };
        shader.uniforms.inside = { value: tint(SLATE) };
        shader.fragmentShader = `uniform vec3 outside;\nuniform vec3 inside;\n${shader.fragmentShader.replace(
          '#include <color_fragment>',
          'diffuseColor.rgb *= gl_FrontFacing ? outside : inside;',
        )}`;
      };
      this.bodyMaterials.set(faded, material);
    }
    return this.bodyMaterials.get(faded);
  }

  clear(group) {
    for (const child of [...group.children]) {
      child.geometry?.dispose();
      group.remove(child);
    }
  }

  addLines(polylines, material, userData = {}) {
    const positions = [];
    for (const line of polylines) for (let i = 1; i < line.length; i++) positions.push(...line[i - 1], ...line[i]);
    if (!positions.length) return;
    const geometry = new LineSegmentsGeometry();
    geometry.setPositions(positions);
    const lines = new LineSegments2(geometry, material);
    lines.userData = userData;
    if (material.dashed) lines.computeLineDistances();
    this.lines.add(lines);
  }

  pickable(kind, lines) {
    for (const line of lines) this.picking.lines.push({ ...line, kind });
  }

  showLines() {
    this.clear(this.lines);
    const { edges, drawings } = this.extras;
    this.picking.lines = [];
    const points = (this.extras.helpers ?? []).filter((h) => h.point).map((h) => ({ step: h.step, at: h.point }));
    this.picking.places = [...this.extras.places, ...points];
    const backdrop = new Set(this.extras.backdrop);
    this.pickable(
      'edge',
      edges.filter((e) => e.item && !backdrop.has(e.step)),
    );
    for (const d of drawings)
      if (!d.hidden && !d.faded)
        this.pickable(
          'curve',
          d.curves.map((c) => ({ step: d.step, item: c.id, guide: c.guide, line: c.line })),
        );
    const dash = this.size / 60;
    const free = this.material('free', { color: 0xd9482b, linewidth: 5, dashed: true });
    free.dashSize = dash;
    free.gapSize = dash * 0.45;
    // What stands in the backdrop is only there to build upon; its borders are nothing that is left to close.
    const lines = (wanted) => edges.filter(wanted).map((e) => e.line);
    const behind = (e) => backdrop.has(e.step);
    this.addLines(
      lines((e) => e.free && !behind(e)),
      free,
    );
    this.addLines(
      lines((e) => !e.free && !behind(e)),
      this.material('joined', { color: 0x3c474c, linewidth: 1.1 }),
    );
    this.addLines(lines(behind), this.material('behind', { color: 0x8b949b, linewidth: 1 }));
    this.showNets();
    this.showCombs();
    for (const d of drawings) {
      if (d.hidden) continue;
      const [profile, guides] = [d.curves.filter((c) => !c.guide), d.curves.filter((c) => c.guide)];
      const material =
        d.step === this.picked
          ? this.material('curve picked', { color: 0xa97a22, linewidth: 4.5 })
          : d.faded
            ? this.material('curve faded', { color: 0xa97a22, linewidth: 1.2, transparent: true, opacity: 0.5 })
            : this.material('curve', { color: 0xa97a22, linewidth: 2.6 });
      this.addLines(
        profile.map((c) => c.line),
        material,
        { step: d.step },
      );
      const helping = this.material('helping', { color: 0xa97a22, linewidth: 1.4, dashed: true });
      helping.dashSize = dash * 0.7;
      helping.gapSize = dash * 0.5;
      this.addLines(
        guides.map((c) => c.line),
        helping,
        { step: d.step },
      );
    }
    this.showHelpers(dash);
    this.showHandles();
  }

  /** Planes as frames, axes as chain lines, points as crosses. */
  showHelpers(dash) {
    const reach = this.size * 0.32;
    for (const helper of this.extras.helpers ?? []) {
      const now = helper.step === this.picked;
      const thin = this.material(now ? 'helper picked' : 'helper', {
        color: now ? 0x0f6b5c : 0x5b6b7c,
        linewidth: now ? 2.4 : 1.2,
      });
      const line = (points) => points.map((p) => p.toArray());
      for (const frame of helper.planes ?? []) {
        // About the middle of the part, wherever the plane's own origin is; that has its cross.
        const middle = ['x', 'y'].map((axis) =>
          this.centre
            .clone()
            .sub(new THREE.Vector3(...frame.origin))
            .dot(new THREE.Vector3(...frame[axis])),
        );
        const corner = (a, b) => this.toSpace(frame, [middle[0] + a * reach, middle[1] + b * reach]);
        const mark = (a, b) => this.toSpace(frame, [a * reach, b * reach]);
        const border = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)];
        const item = helper.planes.length > 1 ? String(helper.planes.indexOf(frame) + 1) : undefined;
        this.pickable('plane', [{ step: helper.step, item, line: line(border) }]);
        this.addLines(
          [line(border), line([mark(-0.08, 0), mark(0.08, 0)]), line([mark(0, -0.08), mark(0, 0.08)])],
          thin,
          { step: helper.step },
        );
      }
      if (helper.axis) {
        const [origin, along] = helper.axis.map((v) => new THREE.Vector3(...v));
        const chain = this.material('axis', { color: 0x1d2a30, linewidth: 1.4, dashed: true });
        chain.dashSize = dash * 1.6;
        chain.gapSize = dash * 0.5;
        const end = (k) => origin.clone().addScaledVector(along, k * this.size * 0.7);
        this.pickable('axis', [{ step: helper.step, line: line([end(-1), end(1)]) }]);
        this.addLines([line([end(-1), end(1)])], chain, { step: helper.step });
      }
      if (helper.point) {
        const at = new THREE.Vector3(...helper.point);
        const arms = ['x', 'y', 'z'].map((axis) => {
          const [a, b] = [at.clone(), at.clone()];
          a[axis] -= reach * 0.06;
          b[axis] += reach * 0.06;
          return line([a, b]);
        });
        this.addLines(arms, thin, { step: helper.step });
      }
    }
  }

  /** Control nets: the one that the open card moves with handles, others as thin lines. */
  showNets() {
    const nets = this.extras.nets ?? [];
    const own = nets.find((n) => n.own && n.step === this.shapedNet?.());
    this.net.show(own ?? null);
    const thin = this.material('net', {
      color: 0xa97a22,
      linewidth: 1,
      depthTest: false,
      transparent: true,
      opacity: 0.55,
    });
    for (const net of nets) if (net === own || !net.own || this.showsNets) this.addLines(Net.lines(net), thin);
  }

  /** Curvature combs, the longest tooth a sixth of the part's size. */
  showCombs() {
    const combs = this.extras.combs ?? [];
    const longest = Math.max(1e-12, ...combs.flatMap((c) => c.map(([, out]) => Math.hypot(...out))));
    const scale = (this.combScale * this.size) / 6 / longest;
    const tip = ([at, out]) => at.map((x, k) => x + out[k] * scale);
    const thin = this.material('comb', { color: 0x1f5f8b, linewidth: 1 });
    this.addLines(
      combs.flatMap((c) => [c.map(tip), ...c.map((tooth) => [tooth[0], tip(tooth)])]),
      thin,
    );
    this.longestTooth = combs.length ? longest : null;
  }

  /** Which step is picked; a picked drawing shows its points as handles that can be dragged. */
  pick(step) {
    this.picked = step;
    if (this.extras) this.showLines();
    this.draw();
  }

  showHandles() {
    const drawing = this.extras.drawings.find((d) => d.step === (this.shaped ?? this.picked) && !d.hidden);
    const points = (drawing?.curves ?? []).flatMap((c) =>
      drawing.frame
        ? c.points.map((p, index) => ({ at: this.toSpace(drawing.frame, p), curve: c.id, index }))
        : c.places.flatMap((p, index) =>
            p.own ? [{ at: new THREE.Vector3(...p.at), curve: c.id, index, free: true }] : [],
          ),
    );
    this.handleParts ??= {
      geometry: new THREE.SphereGeometry(1, 16, 12),
      looks: [
        [new THREE.MeshBasicMaterial({ color: 0xa97a22, depthTest: false }), HANDLE_PIXELS, 10],
        [new THREE.MeshBasicMaterial({ color: 0xfdfcf8, depthTest: false }), HANDLE_PIXELS - 2.2, 11],
      ],
    };
    const { geometry, looks } = this.handleParts;
    // Kept from picture to picture: while a point is dragged there are as many as before.
    const { children } = this.handles;
    while (children.length > points.length * looks.length) this.handles.remove(children.at(-1));
    points.forEach(({ at, curve, index, free }, i) => {
      looks.forEach(([material, pixels, order], k) => {
        let handle = children[i * looks.length + k];
        if (!handle) {
          handle = new THREE.Mesh(geometry, material);
          handle.renderOrder = order;
          this.handles.add(handle);
        }
        handle.position.copy(at);
        handle.userData = { pixels, drawing, curve, index, free };
      });
    });
  }

  toSpace(frame, [x, y]) {
    const o = new THREE.Vector3(...frame.origin);
    return o.addScaledVector(new THREE.Vector3(...frame.x), x).addScaledVector(new THREE.Vector3(...frame.y), y);
  }

  /** Where a message is about: a mark at each place. */
  mark(places) {
    this.clear(this.marks);
    for (const place of places) {
      const mark = new THREE.Mesh(
        new THREE.OctahedronGeometry(1),
        new THREE.MeshBasicMaterial({ color: 0xd9482b, depthTest: false }),
      );
      mark.position.set(...place);
      mark.renderOrder = 20;
      mark.userData = { pixels: 9 };
      this.marks.add(mark);
    }
    this.draw();
  }

  /** Where a step's inputs begin, each with its number and an arrow along it. */
  showMarks(marks) {
    if (!marks.length && !this.begins.children.length) return;
    this.clear(this.begins);
    const material = this.material('arrow', { color: 0x0f6b5c, linewidth: 3, depthTest: false });
    for (const mark of marks) {
      const at = new THREE.Vector3(...mark.at);
      if (mark.along) {
        const along = new THREE.Vector3(...mark.along);
        const length = this.size * 0.09;
        const tip = at.clone().addScaledVector(along, length);
        const side = along.clone().cross(this.camera.position.clone().sub(at)).normalize();
        const back = (k) =>
          tip
            .clone()
            .addScaledVector(along, -length * 0.3)
            .addScaledVector(side, k * length * 0.14);
        const geometry = new LineSegmentsGeometry();
        geometry.setPositions([at, tip, tip, back(1), tip, back(-1)].flatMap((p) => p.toArray()));
        const arrow = new LineSegments2(geometry, material);
        arrow.renderOrder = 16;
        this.begins.add(arrow);
      }
      const label = new THREE.Sprite(this.numberMaterial(mark.index + 1));
      label.position.copy(at);
      label.renderOrder = 17;
      label.userData = { pixels: 20, mark };
      this.begins.add(label);
    }
    this.draw();
  }

  /** A number on a disc. */
  numberMaterial(number) {
    this.numbers ??= new Map();
    if (!this.numbers.has(number)) {
      const canvas = document.createElement('canvas');
      canvas.width = canvas.height = 64;
      const pen = canvas.getContext('2d');
      pen.fillStyle = '#0f6b5c';
      pen.beginPath();
      pen.arc(32, 32, 30, 0, 2 * Math.PI);
      pen.fill();
      pen.fillStyle = '#fdfcf8';
      pen.font = `600 ${number > 99 ? 26 : 36}px sans-serif`;
      pen.textAlign = 'center';
      pen.textBaseline = 'middle';
      pen.fillText(String(number), 32, 34);
      const map = new THREE.CanvasTexture(canvas);
      map.colorSpace = THREE.SRGBColorSpace;
      this.numbers.set(number, new THREE.SpriteMaterial({ map, depthTest: false }));
    }
    return this.numbers.get(number);
  }

  look(name) {
    const ways = {
      whole: [0.55, -0.8, 0.52],
      front: [0, -1, 0],
      side: [1, 0, 0],
      above: [0, -0.001, 1],
      below: [0, -0.001, -1],
    };
    const way = new THREE.Vector3(...ways[name]).normalize();
    const narrow = Math.min(1, this.camera.aspect);
    this.fitted = this.size;
    const distance = (this.size * 0.54) / Math.tan((this.camera.fov * Math.PI) / 360) / narrow;
    this.moveTo(this.centre, this.centre.clone().addScaledVector(way, distance));
  }

  fly(place) {
    const target = new THREE.Vector3(...place);
    const way = this.camera.position.clone().sub(this.controls.target).normalize();
    this.moveTo(target, target.clone().addScaledVector(way, this.size * 0.9));
  }

  moveTo(target, position) {
    this.controls.target.copy(target);
    this.camera.position.copy(position);
    this.controls.update();
    this.draw();
  }

  /** Where the canvas is. Asked of the browser once for each drag: it would lay the page out anew every time. */
  place() {
    if (!this.drag || !this.placed) this.placed = this.canvas.getBoundingClientRect();
    return this.placed;
  }

  pixel(event) {
    const box = this.place();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  ray(event) {
    const box = this.place();
    const at = new THREE.Vector2(
      ((event.clientX - box.left) / box.width) * 2 - 1,
      1 - ((event.clientY - box.top) / box.height) * 2,
    );
    this.raycaster.setFromCamera(at, this.camera);
    return this.raycaster;
  }

  /** What a click here would mean. While a card is open only what fits one of its slots counts. */
  under(event) {
    const ray = this.ray(event);
    const handle = ray.intersectObjects(this.handles.children, false)[0];
    if (handle) return { handle: handle.object };
    const net = this.net.under(this.pixel(event));
    if (net) return { net };
    const begun = ray.intersectObjects(
      this.begins.children.filter((m) => m.userData.mark?.line.length),
      false,
    )[0];
    if (begun) return { begin: begun.object.userData.mark };
    const pair = this.pairing.under(this.pixel(event));
    if (pair) return { pair };
    const hit = ray.intersectObjects(this.bodies.children, false).find((h) => h.object.userData.faded !== true);
    const at = this.pixel(event);
    const depth = hit ? this.depthOf(hit.point) : Infinity;
    const wants = this.wants?.();
    const own = (step) => !wants || wants.steps.has(step);
    const place = wants?.kinds.has('point') ? this.picking.place(at, depth, own) : null;
    if (place) return { place };
    const kinds = wants ? wants.kinds : new Set(['curve', 'plane', 'axis']);
    const line = this.picking.line(
      at,
      depth,
      (step, kind) =>
        own(step) && (wants ? kinds.has(kind === 'edge' ? 'curve' : kind) : kind === 'edge' || kinds.has(kind)),
    );
    if (line) return { line };
    if (!hit) return {};
    const body = hit.object.userData;
    const inner = hit.face.normal.dot(ray.ray.direction) > 0;
    return { body, inner, share: this.shareOf(hit) };
  }

  /** Where on its face a hit is, as shares of both parameters. */
  shareOf(hit) {
    const [u0, u1, v0, v1] = hit.object.userData.domain;
    return [(hit.uv.x - u0) / (u1 - u0), (hit.uv.y - v0) / (v1 - v0)];
  }

  depthOf(point) {
    return point.clone().applyMatrix4(this.camera.matrixWorldInverse).z * -1;
  }

  /** Shows in kelp what lies under the pointer or stands in a slot: places and lines. */
  light({ places = [], lines = [] }, face = null) {
    this.clear(this.lit);
    for (const mesh of this.bodies.children) {
      const { step, role, faded } = mesh.userData;
      mesh.material = this.bodyMaterial(face && face.step === step && face.role === role ? 'lit' : faded);
    }
    const material = this.material('lit', { color: 0x0f6b5c, linewidth: 6 });
    for (const { line } of lines) {
      const positions = [];
      for (let i = 1; i < line.length; i++) positions.push(...line[i - 1], ...line[i]);
      if (!positions.length) continue;
      const geometry = new LineSegmentsGeometry();
      geometry.setPositions(positions);
      this.lit.add(new LineSegments2(geometry, material));
    }
    this.placeLook ??= new THREE.MeshBasicMaterial({ color: 0x0f6b5c, depthTest: false });
    for (const at of places) {
      const mark = new THREE.Mesh(new THREE.SphereGeometry(1, 16, 12), this.placeLook);
      mark.position.set(...at);
      mark.renderOrder = 15;
      mark.userData = { pixels: 6 };
      this.lit.add(mark);
    }
    this.draw();
  }

  /** The lines and places that a reference of the recipe means. */
  meant({ step, item }) {
    return {
      lines: item
        ? this.picking.lines.filter((l) => l.step === step && l.item === item)
        : this.picking.lines.filter((l) => l.step === step && l.kind !== 'edge'),
      places: this.picking.places.filter((p) => p.step === step && p.item === item).map((p) => p.at),
    };
  }
}
