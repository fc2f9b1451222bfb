//! Pictures of parts for the rack: a small z-buffer renderer, so that no browser is needed to make one.

use geometry::{Point3, Vector3};
use part::{Rebuilt, Shape};
use topology::{Mesh, MeshTolerance, mesh};

/// Width and height of a part's picture on the rack, and of a step's in the lineage.
const PART_SIZE: [usize; 2] = [440, 300];
const STEP_SIZE: [usize; 2] = [96, 72];
/// Each pixel is the mean of this many by this many samples.
const SAMPLES: usize = 2;
const BONE: [f64; 3] = [216.0, 205.0, 185.0];
const SLATE: [f64; 3] = [91.0, 107.0, 124.0];
const BRASS: [f64; 3] = [169.0, 122.0, 34.0];
const INK: [f64; 3] = [70.0, 78.0, 82.0];
const MARGIN: f64 = 0.86;

struct Camera {
    right: Vector3,
    up: Vector3,
    toward: Vector3,
    centre: Point3,
    scale: f64,
    /// Samples across and down.
    size: [usize; 2],
}

impl Camera {
    /// From the front, right and above, so that the points fill the picture.
    fn around(points: &[Point3], size: [usize; 2]) -> Self {
        let toward = Vector3::new(0.55, -0.8, 0.52).normalize();
        let right = Vector3::z().cross(&toward).normalize();
        let up = toward.cross(&right);
        let mut low = [f64::INFINITY; 2];
        let mut high = [f64::NEG_INFINITY; 2];
        for p in points {
            for (k, axis) in [right, up].iter().enumerate() {
                let x = p.coords.dot(axis);
                low[k] = low[k].min(x);
                high[k] = high[k].max(x);
            }
        }
        let centre = Point3::from(right * (0.5 * (low[0] + high[0])) + up * (0.5 * (low[1] + high[1])));
        let (w, h) = ((high[0] - low[0]).max(1e-9), (high[1] - low[1]).max(1e-9));
        let size = size.map(|n| n * SAMPLES);
        let scale = MARGIN * (size[0] as f64 / w).min(size[1] as f64 / h);
        Self { right, up, toward, centre, scale, size }
    }

    fn place(&self, p: &Point3) -> [f64; 3] {
        let d = p - self.centre;
        [
            self.size[0] as f64 / 2.0 + d.dot(&self.right) * self.scale,
            self.size[1] as f64 / 2.0 - d.dot(&self.up) * self.scale,
            d.dot(&self.toward) * self.scale,
        ]
    }
}

struct Canvas {
    colour: Vec<[f64; 4]>,
    depth: Vec<f64>,
    /// Pixels across and down.
    pixels: [usize; 2],
    width: usize,
    height: usize,
}

impl Canvas {
    fn new(pixels: [usize; 2]) -> Self {
        let [width, height] = pixels.map(|n| n * SAMPLES);
        let size = width * height;
        Self { colour: vec![[0.0; 4]; size], depth: vec![f64::NEG_INFINITY; size], pixels, width, height }
    }

    fn put(&mut self, x: usize, y: usize, depth: f64, colour: [f64; 3]) {
        if x < self.width && y < self.height && depth > self.depth[y * self.width + x] {
            self.depth[y * self.width + x] = depth;
            self.colour[y * self.width + x] = [colour[0], colour[1], colour[2], 255.0];
        }
    }

    fn triangle(&mut self, p: [[f64; 3]; 3], colours: [[f64; 3]; 3]) {
        let area = (p[1][0] - p[0][0]) * (p[2][1] - p[0][1]) - (p[1][1] - p[0][1]) * (p[2][0] - p[0][0]);
        if area.abs() < 1e-12 {
            return;
        }
        let bound = |k: usize, most: usize| {
            let low = p.iter().map(|q| q[k]).fold(f64::INFINITY, f64::min).floor().max(0.0) as usize;
            let high = p.iter().map(|q| q[k]).fold(0.0, f64::max).ceil().min(most as f64) as usize;
            low..high
        };
        for y in bound(1, self.height) {
            for x in bound(0, self.width) {
                let (px, py) = (x as f64 + 0.5, y as f64 + 0.5);
                let side = |a: usize, b: usize| {
                    ((p[b][0] - p[a][0]) * (py - p[a][1]) - (p[b][1] - p[a][1]) * (px - p[a][0])) / area
                };
                let w = [side(1, 2), side(2, 0), side(0, 1)];
                if w.iter().all(|&w| w >= -1e-9) {
                    let mix = |f: fn(&[[f64; 3]; 3], usize) -> f64, v: &[[f64; 3]; 3]| {
                        (0..3).map(|i| w[i] * f(v, i)).sum::<f64>()
                    };
                    let depth = mix(|v, i| v[i][2], &p);
                    let colour = [
                        mix(|v, i| v[i][0], &colours),
                        mix(|v, i| v[i][1], &colours),
                        mix(|v, i| v[i][2], &colours),
                    ];
                    self.put(x, y, depth, colour);
                }
            }
        }
    }

    fn line(&mut self, a: [f64; 3], b: [f64; 3], colour: [f64; 3]) {
        let steps = (b[0] - a[0]).abs().max((b[1] - a[1]).abs()).ceil().max(1.0) as usize;
        for k in 0..=steps.min(4000) {
            let t = k as f64 / steps as f64;
            let at = |i: usize| a[i] + (b[i] - a[i]) * t;
            for (dx, dy) in [(0.0, 0.0), (1.0, 0.0), (0.0, 1.0)] {
                let (x, y) = (at(0) + dx, at(1) + dy);
                if x >= 0.0 && y >= 0.0 {
                    self.put(x as usize, y as usize, at(2) + 1.5, colour);
                }
            }
        }
    }

    fn png(&self) -> Result<Vec<u8>, png::EncodingError> {
        let [width, height] = self.pixels;
        let mut pixels = Vec::with_capacity(width * height * 4);
        for y in 0..height {
            for x in 0..width {
                let mut sum = [0.0; 4];
                for i in 0..SAMPLES * SAMPLES {
                    let at = (y * SAMPLES + i / SAMPLES) * self.width + x * SAMPLES + i % SAMPLES;
                    let c = self.colour[at];
                    for k in 0..3 {
                        sum[k] += c[k] * c[3] / 255.0;
                    }
                    sum[3] += c[3];
                }
                let covered = (sum[3] / 255.0).max(1e-9);
                pixels.extend([0, 1, 2].map(|k| (sum[k] / covered).clamp(0.0, 255.0) as u8));
                pixels.push((sum[3] / (SAMPLES * SAMPLES) as f64) as u8);
            }
        }
        let mut out = Vec::new();
        let mut encoder = png::Encoder::new(&mut out, width as u32, height as u32);
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_depth(png::BitDepth::Eight);
        let mut writer = encoder.write_header()?;
        writer.write_image_data(&pixels)?;
        writer.finish()?;
        Ok(out)
    }
}

/// A PNG of what a part comes to, on a clear background; its curves alone where there is no body yet.
pub fn picture(rebuilt: &Rebuilt) -> Result<Vec<u8>, png::EncodingError> {
    let results: Vec<usize> = rebuilt.results().collect();
    // Where there is a body, only curves that nothing was made from yet are worth showing.
    let drawn: Vec<usize> = if results.is_empty() { (0..rebuilt.steps.len()).collect() } else { results };
    let shapes: Vec<&Shape> = drawn.iter().filter_map(|&i| Some(&rebuilt.built(i)?.shape)).collect();
    drawn_as(&shapes, PART_SIZE)
}

/// A small PNG of what one step made.
pub fn step_picture(shape: &Shape) -> Result<Vec<u8>, png::EncodingError> {
    drawn_as(&[shape], STEP_SIZE)
}

fn drawn_as(shapes: &[&Shape], pixels: [usize; 2]) -> Result<Vec<u8>, png::EncodingError> {
    let bodies: Vec<_> = shapes.iter().flat_map(|s| s.bodies()).flat_map(|b| b.shells()).collect();
    let size = |points: &[Point3]| points.iter().fold(1.0, |m: f64, p| m.max(p.coords.norm()));
    let vertices: Vec<Point3> = bodies.iter().flat_map(|s| s.vertices()).map(|v| v.point).collect();
    let tolerance = MeshTolerance::chord(size(&vertices) / 400.0);
    let meshes: Vec<Mesh> = bodies.iter().filter_map(|s| mesh(s, tolerance).ok()).collect();
    let curves: Vec<Vec<Point3>> = shapes
        .iter()
        .filter_map(|s| s.curves())
        .flatten()
        .filter(|c| !c.guide)
        .flat_map(|c| &c.pieces)
        .map(|c| geometry::flatten(c, 0.1).into_iter().map(|(_, p)| p).collect())
        .collect();
    let mut points: Vec<Point3> = meshes.iter().flat_map(|m| m.positions.iter().copied()).collect();
    points.extend(curves.iter().flatten());
    let mut canvas = Canvas::new(pixels);
    if points.is_empty() {
        return canvas.png();
    }
    let camera = Camera::around(&points, pixels);
    let light = (camera.toward + camera.up * 0.7 - camera.right * 0.5).normalize();
    for mesh in &meshes {
        for face in &mesh.faces {
            for t in &face.triangles {
                let corners = t.map(|i| face.vertices[i as usize]);
                let p = corners.map(|c| camera.place(&mesh.positions[c.position as usize]));
                let area =
                    (p[1][0] - p[0][0]) * (p[2][1] - p[0][1]) - (p[1][1] - p[0][1]) * (p[2][0] - p[0][0]);
                // On a screen that counts y downwards the outer side turns the other way.
                let (base, sign) = if area < 0.0 { (BONE, 1.0) } else { (SLATE, -1.0) };
                let shade = |n: Vector3| {
                    let lit = 0.52 + 0.48 * (n * sign).dot(&light).max(-0.3);
                    base.map(|c| c * lit)
                };
                canvas.triangle(p, corners.map(|c| shade(c.normal)));
            }
        }
        for edge in &mesh.edges {
            for pair in edge.windows(2) {
                let [a, b] = [pair[0], pair[1]].map(|i| camera.place(&mesh.positions[i as usize]));
                canvas.line(a, b, INK);
            }
        }
    }
    for pair in curves.iter().flat_map(|c| c.windows(2)) {
        canvas.line(camera.place(&pair[0]), camera.place(&pair[1]), BRASS);
    }
    canvas.png()
}
