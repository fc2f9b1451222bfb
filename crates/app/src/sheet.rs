//! What the drawing sheet shows beside the drawing itself: places to snap to, what else crosses the plane, and combs.

use geometry::{
    Frame, NurbsCurve, Point3, Tolerance, as_plane_arc, closest_on_curve, crossings, flatten, plane_crossings,
};
use part::{CurveShape, Rebuilt, Recipe, Shape};
use schemars::JsonSchema;
use serde::Deserialize;
use serde_json::{Value, json};
use topology::Body;

const COMB_TEETH_PER_SPAN: usize = 12;
const MOST_TEETH: usize = 400;
/// With more pieces than this the crossings of every pair are no longer looked for.
const MOST_PIECES_CROSSED: usize = 60;

/// The sheet that a page has open.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenSheet {
    /// The drawing.
    step: String,
    /// The point that was placed last, in the drawing's plane in millimetres: lines from it may touch curves or stand
    /// square to them.
    #[serde(default)]
    from: Option<[f64; 2]>,
}

/// Extras for the sheet of one drawing; nothing when it is not built.
pub fn sheet(recipe: &Recipe, rebuilt: &Rebuilt, open: &OpenSheet, chord: f64) -> Value {
    let step = open.step.as_str();
    let Some(index) = recipe.steps.iter().position(|s| s.id == step) else { return Value::Null };
    let Some(Shape::Drawing(drawing)) = rebuilt.built(index).map(|b| &b.shape) else { return Value::Null };
    let sheet = Sheet { frame: &drawing.frame, chord, tolerance: Tolerance::default() };
    let mut snaps = sheet.own_places(&drawing.curves);
    if let Some([x, y]) = open.from {
        snaps.extend(sheet.feet(&drawing.curves, &Point3::new(x, y, 0.0)));
    }
    let mut sections: Vec<Value> = Vec::new();
    // What is made from the drawing itself would only hide it.
    let made_from_it = rebuilt.lineage.descendants(index);
    for (i, _) in recipe.steps.iter().enumerate() {
        if i == index || made_from_it.contains(&i) {
            continue;
        }
        let Some(built) = rebuilt.built(i) else { continue };
        if let Some(curves) = built.shape.curves() {
            snaps.extend(sheet.guide_places(curves, &recipe.steps[i].id));
        } else if rebuilt.is_result(i)
            && let Some(body) = built.shape.body()
        {
            sections.extend(sheet.sections(body));
        }
    }
    let combs: Vec<Value> = drawing.curves.iter().map(|c| sheet.comb(c)).collect();
    json!({"step": step, "snaps": snaps, "sections": sections, "combs": combs})
}

struct Sheet<'a> {
    frame: &'a Frame,
    chord: f64,
    tolerance: Tolerance,
}

impl Sheet<'_> {
    fn flat(&self, p: &Point3) -> [f64; 2] {
        let q = self.frame.flattened(p);
        [q.x, q.y]
    }

    /// A place of one curve, which a drag of that curve's own points must not snap to.
    fn place(&self, p: &Point3, word: &str, of: &str) -> Value {
        json!({"at": self.flat(p), "word": word, "of": of})
    }

    fn flattened(&self, curve: &NurbsCurve) -> NurbsCurve {
        curve.mapped(|p| {
            let [x, y] = self.flat(p);
            Point3::new(x, y, 0.0)
        })
    }

    /// Ends, mid-points, centres and crossings of the drawing's own curves.
    fn own_places(&self, curves: &[CurveShape]) -> Vec<Value> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in &curve.pieces {
                out.push(self.place(&piece.start(), "end", &curve.id));
                out.push(self.place(&piece.end(), "end", &curve.id));
                let middle = piece.parameter_at_length(0.5 * piece.length());
                out.push(self.place(&piece.point(middle), "middle", &curve.id));
                let size = piece.start().coords.norm() + 1.0;
                if let Some((frame, ..)) = as_plane_arc(piece, 1e-9 * size) {
                    out.push(self.place(&frame.origin, "centre", &curve.id));
                }
            }
        }
        let pieces: Vec<&NurbsCurve> = curves.iter().flat_map(|c| &c.pieces).collect();
        if pieces.len() <= MOST_PIECES_CROSSED {
            let flat: Vec<NurbsCurve> = pieces.iter().map(|p| self.flattened(p)).collect();
            for (i, a) in flat.iter().enumerate() {
                for b in &flat[i + 1..] {
                    for c in crossings(a, b, self.chord) {
                        out.push(json!({"at": [c.point.x, c.point.y], "word": "crossing"}));
                    }
                }
            }
        }
        out
    }

    /// Places where a line from a point touches a curve or stands square to it.
    fn feet(&self, curves: &[CurveShape], from: &Point3) -> Vec<Value> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in curve.pieces.iter().map(|p| self.flattened(p)) {
                let touching = |t: f64| {
                    let (p, [d, ..]) = piece.derivatives(t);
                    (p - from).xy().perp(&d.xy())
                };
                let square = |t: f64| {
                    let (p, [d, ..]) = piece.derivatives(t);
                    (p - from).dot(&d)
                };
                let straight = piece.degree() == 1;
                let found = zeros(&piece, &square).into_iter().map(|t| (t, "square"));
                let touches = if straight { Vec::new() } else { zeros(&piece, &touching) };
                for (t, word) in found.chain(touches.into_iter().map(|t| (t, "tangent"))) {
                    let p = piece.point(t);
                    // From a place on the curve itself every line there would do.
                    if (p - from).norm() > self.tolerance.join {
                        out.push(json!({"at": [p.x, p.y], "word": word, "of": curve.id}));
                    }
                }
            }
        }
        out
    }

    /// Where other curves cross the plane; a point can be pinned there.
    fn guide_places(&self, curves: &[CurveShape], step: &str) -> Vec<Value> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in &curve.pieces {
                let heights = piece.control_points();
                let heights = heights.iter().map(|p| self.frame.coordinates(p).z.abs());
                // A curve that lies in the plane crosses it nowhere.
                if heights.fold(0.0, f64::max) <= self.tolerance.join {
                    continue;
                }
                for (_, p) in plane_crossings(piece, self.frame, self.tolerance.resolution) {
                    out.push(json!({"at": self.flat(&p), "word": "guide", "pin": {"step": step, "item": curve.id}}));
                }
            }
        }
        out
    }

    /// Lines in which the faces of a body cross the plane.
    fn sections(&self, body: &Body) -> Vec<Value> {
        let faces = body.shells().into_iter().flat_map(|s| s.faces());
        let found =
            faces.filter_map(|f| surfacing::section_curve(&f.surface, self.frame, &self.tolerance).ok());
        found
            .flatten()
            .map(|fitted| {
                let line = flatten(&fitted.curve, self.chord);
                json!(line.iter().map(|(_, p)| self.flat(p)).collect::<Vec<_>>())
            })
            .collect()
    }

    /// Teeth of the curvature comb, each a foot and a direction times curvature, and the smallest radius.
    fn comb(&self, curve: &CurveShape) -> Value {
        let mut teeth = Vec::new();
        let mut tightest: Option<(f64, Point3)> = None;
        let spans: usize = curve.pieces.iter().map(|p| p.knots().breaks().len() - 1).sum();
        let each = (MOST_TEETH / spans.max(1)).clamp(2, COMB_TEETH_PER_SPAN);
        for piece in &curve.pieces {
            for w in piece.knots().breaks().windows(2) {
                for k in 0..=each {
                    let t = w[0] + (w[1] - w[0]) * k as f64 / each as f64;
                    let (p, [d1, d2, _]) = piece.derivatives(t);
                    let speed = d1.norm();
                    if speed < 1e-12 {
                        continue;
                    }
                    let turn = d1.cross(&d2).dot(&self.frame.z) / speed.powi(3);
                    let out = self.frame.z.cross(&d1) * (-turn / speed);
                    let [x, y] = self.flat(&p);
                    teeth.push([x, y, out.dot(&self.frame.x), out.dot(&self.frame.y)]);
                    if tightest.as_ref().is_none_or(|b| turn.abs() > b.0) {
                        tightest = Some((turn.abs(), p));
                    }
                }
            }
        }
        let tightest =
            tightest.filter(|t| t.0 > 1e-9).map(|(k, p)| json!({"radius": 1.0 / k, "at": self.flat(&p)}));
        json!({"id": curve.id, "teeth": teeth, "tightest": tightest})
    }
}

const SAMPLES_PER_SPAN: usize = 12;

/// Parameters of a curve at which a function changes its sign.
fn zeros(curve: &NurbsCurve, f: &impl Fn(f64) -> f64) -> Vec<f64> {
    let mut out = Vec::new();
    for w in curve.knots().breaks().windows(2) {
        for k in 0..SAMPLES_PER_SPAN {
            let at = |k: usize| w[0] + (w[1] - w[0]) * k as f64 / SAMPLES_PER_SPAN as f64;
            let (mut a, mut b) = (at(k), at(k + 1));
            let rising = f(a) <= 0.0;
            if rising == (f(b) <= 0.0) {
                continue;
            }
            for _ in 0..50 {
                let middle = 0.5 * (a + b);
                if (f(middle) <= 0.0) == rising { a = middle } else { b = middle }
            }
            out.push(0.5 * (a + b));
        }
    }
    out
}

/// The exact place of a drawing's curves that is nearest to a place of its plane, in millimetres.
pub fn nearest(recipe: &Recipe, rebuilt: &Rebuilt, step: &str, to: [f64; 2]) -> Option<[f64; 2]> {
    let index = recipe.steps.iter().position(|s| s.id == step)?;
    let Shape::Drawing(drawing) = &rebuilt.built(index)?.shape else { return None };
    let at = drawing.frame.to_space(to[0], to[1]);
    let places = drawing.curves.iter().flat_map(|c| &c.pieces).map(|p| closest_on_curve(p, &at));
    let best = places.min_by(|a, b| a.distance.total_cmp(&b.distance))?;
    Some(drawing.frame.flattened(&best.point).into())
}
