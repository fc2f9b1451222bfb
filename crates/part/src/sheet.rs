//! What a drawing's sheet shows beside the drawing: places to snap to, what else crosses the plane, and combs.

use geometry::{
    Foot, Frame, NurbsCurve, Point3, Tolerance, as_plane_arc, closest_on_curve, comb, crossings, feet,
    flatten, plane_crossings, plane_meetings,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::Body;

use crate::{CurveShape, DrawingShape, Rebuilt, Recipe, Reference, Shape};

const COMB_TEETH_PER_SPAN: usize = 12;
const MOST_TEETH: usize = 400;
/// With more pieces than this the crossings of every pair are no longer looked for.
const MOST_PIECES_CROSSED: usize = 60;

/// A place of a drawing's plane, in millimetres.
type Place = [f64; 2];

/// The sheet that a page has open.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenSheet {
    /// The drawing.
    pub step: String,
    /// The point that was placed last: lines from it may touch curves or stand square to them.
    #[serde(default)]
    pub from: Option<Place>,
}

/// What a sheet shows beside the drawing itself.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct SheetExtras {
    /// The drawing.
    pub step: String,
    /// Places to snap to.
    pub snaps: Vec<Snap>,
    /// Lines in which bodies cross the plane.
    pub sections: Vec<Vec<Place>>,
    /// One comb for each curve.
    pub combs: Vec<CombExtras>,
}

/// A place to snap to.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Snap {
    /// Where.
    pub at: Place,
    /// What is there: `end`, `middle`, `centre`, `crossing`, `square`, `tangent` or `guide`.
    pub word: &'static str,
    /// The curve of the drawing that it belongs to; a drag of that curve's own points must not snap to it.
    pub of: Option<String>,
    /// The guide that crosses the plane there; a point can be pinned to it.
    pub pin: Option<Reference>,
}

/// The curvature comb of one curve.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct CombExtras {
    /// The curve.
    pub id: String,
    /// Feet, and directions as long as the curvature is large.
    pub teeth: Vec<[f64; 4]>,
    /// Smallest radius in millimetres and where; none for what is straight.
    pub tightest: Option<(f64, Place)>,
}

/// Extras for the sheet of one drawing; `None` when it is not built. `chord` is the flattening tolerance in mm.
#[must_use]
pub fn sheet(recipe: &Recipe, rebuilt: &Rebuilt, open: &OpenSheet, chord: f64) -> Option<SheetExtras> {
    let (index, drawing) = drawing(recipe, rebuilt, &open.step)?;
    let sheet = Sheet { frame: &drawing.frame, chord, tolerance: Tolerance::default() };
    let mut snaps = sheet.own_places(&drawing.curves);
    if let Some([x, y]) = open.from {
        snaps.extend(sheet.feet(&drawing.curves, &Point3::new(x, y, 0.0)));
    }
    let mut sections = Vec::new();
    // What is made from the drawing itself would only hide it.
    let made_from_it = rebuilt.lineage.descendants(index);
    for (i, step) in recipe.steps.iter().enumerate().filter(|(i, _)| *i != index && !made_from_it.contains(i))
    {
        let Some(built) = rebuilt.built(i) else { continue };
        if let Some(curves) = built.shape.curves() {
            snaps.extend(sheet.guide_places(curves, &step.id));
        } else if rebuilt.is_result(i) {
            sections.extend(built.shape.bodies().iter().flat_map(|body| sheet.sections(body)));
        }
    }
    let combs = drawing.curves.iter().map(|c| sheet.comb(c)).collect();
    Some(SheetExtras { step: open.step.clone(), snaps, sections, combs })
}

/// The exact place of a drawing's curves that is nearest to a place of its plane; `None` where it has no curve.
#[must_use]
pub fn nearest_on_drawing(recipe: &Recipe, rebuilt: &Rebuilt, step: &str, to: Place) -> Option<Place> {
    let (_, drawing) = drawing(recipe, rebuilt, step)?;
    let at = drawing.frame.to_space(to[0], to[1]);
    let places = drawing.curves.iter().flat_map(|c| &c.pieces).map(|p| closest_on_curve(p, &at));
    let best = places.min_by(|a, b| a.distance.total_cmp(&b.distance))?;
    Some(drawing.frame.flattened(&best.point).into())
}

fn drawing<'a>(recipe: &Recipe, rebuilt: &'a Rebuilt, step: &str) -> Option<(usize, &'a DrawingShape)> {
    let index = recipe.steps.iter().position(|s| s.id == step)?;
    match &rebuilt.built(index)?.shape {
        Shape::Drawing(drawing) => Some((index, drawing)),
        _ => None,
    }
}

struct Sheet<'a> {
    frame: &'a Frame,
    chord: f64,
    tolerance: Tolerance,
}

impl Sheet<'_> {
    fn flat(&self, p: &Point3) -> Place {
        self.frame.flattened(p).into()
    }

    fn own(&self, p: &Point3, word: &'static str, of: &str) -> Snap {
        Snap { at: self.flat(p), word, of: Some(of.into()), pin: None }
    }

    fn flattened(&self, curve: &NurbsCurve) -> NurbsCurve {
        curve.mapped(|p| {
            let [x, y] = self.flat(p);
            Point3::new(x, y, 0.0)
        })
    }

    /// Ends, mid-points, centres and crossings of the drawing's own curves.
    fn own_places(&self, curves: &[CurveShape]) -> Vec<Snap> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in &curve.pieces {
                let middle = piece.point(piece.parameter_at_share(0.5));
                for (p, word) in [(piece.start(), "end"), (piece.end(), "end"), (middle, "middle")] {
                    out.push(self.own(&p, word, &curve.id));
                }
                let size = piece.start().coords.norm() + 1.0;
                if let Some((frame, ..)) = as_plane_arc(piece, 1e-9 * size) {
                    out.push(self.own(&frame.origin, "centre", &curve.id));
                }
            }
        }
        let flat: Vec<NurbsCurve> =
            curves.iter().flat_map(|c| &c.pieces).map(|p| self.flattened(p)).collect();
        if flat.len() <= MOST_PIECES_CROSSED {
            for (i, a) in flat.iter().enumerate() {
                let found = flat[i + 1..].iter().flat_map(|b| crossings(a, b, self.chord));
                out.extend(found.map(|c| Snap { at: c.point.into(), word: "crossing", of: None, pin: None }));
            }
        }
        out
    }

    /// Places where a line from a point touches a curve or stands square to it.
    fn feet(&self, curves: &[CurveShape], from: &Point3) -> Vec<Snap> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in curve.pieces.iter().map(|p| self.flattened(p)) {
                for (t, foot) in feet(&piece, from) {
                    let p = piece.point(t);
                    // From a place on the curve itself every line there would do.
                    if (p - from).norm() > self.tolerance.join {
                        let word = if foot == Foot::Square { "square" } else { "tangent" };
                        out.push(Snap { at: [p.x, p.y], word, of: Some(curve.id.clone()), pin: None });
                    }
                }
            }
        }
        out
    }

    /// Where other curves cross the plane; a point can be pinned there.
    fn guide_places(&self, curves: &[CurveShape], step: &str) -> Vec<Snap> {
        let mut out = Vec::new();
        for curve in curves {
            for piece in &curve.pieces {
                let heights = piece.control_points().into_iter().map(|p| self.frame.coordinates(&p).z.abs());
                // A curve that lies in the plane crosses it nowhere.
                if heights.fold(0.0, f64::max) <= self.tolerance.join {
                    continue;
                }
                for (_, p) in plane_crossings(piece, self.frame, self.tolerance.resolution) {
                    let pin = Reference { step: step.into(), item: Some(curve.id.clone()) };
                    out.push(Snap { at: self.flat(&p), word: "guide", of: None, pin: Some(pin) });
                }
            }
        }
        out
    }

    /// Lines in which the faces of a body cross the plane.
    fn sections(&self, body: &Body) -> Vec<Vec<Place>> {
        let faces = body.shells().into_iter().flat_map(|s| s.faces());
        let found = faces.filter_map(|f| plane_meetings(&f.surface, self.frame, &self.tolerance).ok());
        let line = |c: &NurbsCurve| flatten(c, self.chord).iter().map(|(_, p)| self.flat(p)).collect();
        found.flatten().map(|fitted| line(&fitted.curve)).collect()
    }

    fn comb(&self, curve: &CurveShape) -> CombExtras {
        let spans: usize = curve.pieces.iter().map(|p| p.knots().breaks().len() - 1).sum();
        let per_span = (MOST_TEETH / spans.max(1)).clamp(2, COMB_TEETH_PER_SPAN);
        let teeth: Vec<_> =
            curve.pieces.iter().flat_map(|piece| comb(piece, &self.frame.z, per_span)).collect();
        let sharpest = teeth.iter().max_by(|a, b| a.out.norm().total_cmp(&b.out.norm()));
        let bent = sharpest.filter(|t| t.out.norm() > 1e-9);
        let row = |t: &geometry::Tooth| {
            let [x, y] = self.flat(&t.at);
            [x, y, t.out.dot(&self.frame.x), t.out.dot(&self.frame.y)]
        };
        CombExtras {
            id: curve.id.clone(),
            teeth: teeth.iter().map(row).collect(),
            tightest: bent.map(|t| (1.0 / t.out.norm(), self.flat(&t.at))),
        }
    }
}
