//! The curves of a drawing as the user gives them, and the exact splines that they stand for.

use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};

use geometry::{
    EndDerivatives, Frame, GeometryError, KnotVector, NurbsCurve, Point2, Point3, Vector2, Vector3,
    circle_arc, circle_through, closest_on_curve,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::limits::MOST_POINTS;
use crate::recipe::is_default;
use crate::steps::{Context, Spacing};
use crate::{Amount, Notice, Quantity, Reference};

/// Angle in radians within which an arc's end lies in the direction of its start.
const WHOLE_TURN: f64 = 1e-9;

/// How a drawn curve follows its points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CurveKind {
    /// Passes through every point, with a `tension`; two make a straight line.
    ThroughPoints,
    /// The points are its control polygon.
    ControlPoints,
    /// Cubic pieces with handles: point, handle, handle, point, handle, and so on.
    Bezier,
    /// Straight from point to point.
    Polyline,
    /// The arc of a circle from the first point through the second to the third.
    Arc,
    /// The arc about the first point, from the second to the direction of the third, `way` round.
    ArcAbout,
    /// The arc that goes on from another curve's end, without a corner, to its one point.
    TangentArc,
    /// A circle about its point, with `radius`.
    Circle,
    /// An ellipse about its point, with `radius_x`, `radius_y`, `turn`, and for a part of it `from` and `to`.
    Ellipse,
    /// A rectangle from its point, with `width`, `height` and `turn`.
    Rectangle,
    /// A regular polygon about its point, with `sides`, `radius` to its corners, and `turn`.
    Polygon,
}

/// Which way an arc about its centre runs, seen against the normal of its plane.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum ArcWay {
    /// Against the clock, up to a whole turn.
    #[default]
    Counterclockwise,
    /// With the clock, up to a whole turn.
    Clockwise,
    /// The way that is no longer than half a turn, as arcs were made up to version 2 of the recipe.
    Shorter,
}

/// A named value of a kind of curve: its name, quantity, and what it is when it is not given.
pub(super) type NamedValue = (&'static str, Quantity, f64);

impl CurveKind {
    /// Fewest and most points.
    pub(super) fn points(self) -> (usize, usize) {
        match self {
            Self::ThroughPoints | Self::ControlPoints | Self::Polyline => (2, MOST_POINTS),
            Self::Bezier => (4, MOST_POINTS),
            Self::Arc | Self::ArcAbout => (3, 3),
            Self::TangentArc | Self::Circle | Self::Ellipse | Self::Rectangle | Self::Polygon => (1, 1),
        }
    }

    pub(super) fn values(self) -> &'static [NamedValue] {
        match self {
            Self::ThroughPoints => &[("tension", Quantity::Ratio, 0.0)],
            Self::ControlPoints => &[("degree", Quantity::Count, 3.0)],
            Self::Circle => &[("radius", Quantity::Length, 10.0)],
            Self::Ellipse => &[
                ("radius_x", Quantity::Length, 20.0),
                ("radius_y", Quantity::Length, 10.0),
                ("turn", Quantity::Angle, 0.0),
                ("from", Quantity::Angle, 0.0),
                ("to", Quantity::Angle, TAU),
            ],
            Self::Rectangle => &[
                ("width", Quantity::Length, 20.0),
                ("height", Quantity::Length, 10.0),
                ("turn", Quantity::Angle, 0.0),
            ],
            Self::Polygon => &[
                ("sides", Quantity::Count, 6.0),
                ("radius", Quantity::Length, 10.0),
                ("turn", Quantity::Angle, 0.0),
            ],
            _ => &[],
        }
    }
}

/// A point of a drawn curve.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum DrawnPoint {
    /// By its coordinates in the drawing's plane.
    At([Amount; 2]),
    /// Held where a guide curve crosses the plane.
    Pinned(Pin),
}

/// Where a point is held.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pin {
    /// The guide.
    pub pin: Reference,
    /// Which of several crossings: the one nearest to this place, in millimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub near: Option<[f64; 2]>,
}

impl From<[Amount; 2]> for DrawnPoint {
    fn from(amounts: [Amount; 2]) -> Self {
        Self::At(amounts)
    }
}

/// A curve of a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DrawnCurve {
    /// Unique within the drawing.
    pub id: String,
    /// How it follows its points.
    pub kind: CurveKind,
    /// Points in the drawing's plane.
    pub points: Vec<DrawnPoint>,
    /// Values that its kind has, such as `radius`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub values: BTreeMap<String, Amount>,
    /// Whether the last point runs into the first: through-point and control-point curves, polylines.
    #[serde(default, skip_serializing_if = "is_default")]
    pub closed: bool,
    /// Whether it only guides and is no part of the profile.
    #[serde(default, skip_serializing_if = "is_default")]
    pub guide: bool,
    /// Weights of a control-point curve, one for each point; none: all 1.
    #[serde(default, skip_serializing_if = "is_default")]
    pub weights: Vec<Amount>,
    /// Knots of a control-point curve; none: even ones.
    #[serde(default, skip_serializing_if = "is_default")]
    pub knots: Vec<f64>,
    /// How far apart in its parameter a through-point curve passes through its points.
    #[serde(default, skip_serializing_if = "is_default")]
    pub spacing: Spacing,
    /// Which way an arc about its centre runs.
    #[serde(default, skip_serializing_if = "is_default")]
    pub way: ArcWay,
    /// Handle at the first point of a through-point curve: how far and where its tangent reaches.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_handle: Option<[Amount; 2]>,
    /// Handle at the last point.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_handle: Option<[Amount; 2]>,
    /// For a tangent arc, the curve that it goes on from; none: the one before it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub after: Option<String>,
    /// Points that edits leave where they are, by their place in the list.
    #[serde(default, skip_serializing_if = "is_default")]
    pub frozen: Vec<usize>,
    /// Whether it runs against the direction that its kind gives it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub reversed: bool,
}

/// A drawn curve with every formula evaluated, in millimetres and radians, in the drawing's plane.
pub(super) struct Evaluated<'a> {
    pub drawn: &'a DrawnCurve,
    pub points: Vec<Point2>,
    pub values: BTreeMap<&'static str, f64>,
    weights: Vec<f64>,
    handles: [Option<Vector2>; 2],
}

impl DrawnCurve {
    /// A curve of a kind through points.
    #[must_use]
    pub fn new(id: &str, kind: CurveKind, points: Vec<DrawnPoint>) -> Self {
        Self {
            id: id.into(),
            kind,
            points,
            values: BTreeMap::new(),
            closed: false,
            guide: false,
            weights: Vec::new(),
            knots: Vec::new(),
            spacing: Spacing::default(),
            way: ArcWay::default(),
            start_handle: None,
            end_handle: None,
            after: None,
            frozen: Vec::new(),
            reversed: false,
        }
    }

    /// Runs it the other way: by the order of its points where it has one, else by the mark for it.
    pub(crate) fn reverse(&mut self) {
        let by_points = [
            CurveKind::ThroughPoints,
            CurveKind::ControlPoints,
            CurveKind::Bezier,
            CurveKind::Polyline,
            CurveKind::Arc,
        ];
        if !by_points.contains(&self.kind) {
            self.reversed = !self.reversed;
            return;
        }
        let last = self.points.len().saturating_sub(1);
        self.points.reverse();
        self.weights.reverse();
        let ends =
            self.knots.first().copied().unwrap_or_default() + self.knots.last().copied().unwrap_or_default();
        self.knots = self.knots.iter().rev().map(|k| ends - k).collect();
        std::mem::swap(&mut self.start_handle, &mut self.end_handle);
        let turned = |h: &mut Option<[Amount; 2]>| {
            if let Some(h) = h {
                for a in h.iter_mut() {
                    *a = match a {
                        Amount::Number(n) => Amount::Number(-*n),
                        Amount::Formula(text) => Amount::Formula(format!("-({text})")),
                    };
                }
            }
        };
        turned(&mut self.start_handle);
        turned(&mut self.end_handle);
        for i in &mut self.frozen {
            *i = last.saturating_sub(*i);
        }
    }

    /// A point was put in (`by` 1) or taken out (`by` -1) at a place: what counts points moves along.
    pub(crate) fn points_changed(&mut self, place: usize, by: i64) {
        // Knots and weights belong to the old number of points.
        self.knots.clear();
        if by > 0 && !self.weights.is_empty() {
            self.weights.insert(place.min(self.weights.len()), Amount::Number(1.0));
        } else if by < 0 && place < self.weights.len() {
            self.weights.remove(place);
        }
        self.frozen = self
            .frozen
            .iter()
            .filter(|&&i| by > 0 || i != place)
            .map(|&i| {
                let moves = if by > 0 { i >= place } else { i > place };
                if moves { i.saturating_add_signed(by as isize) } else { i }
            })
            .collect();
    }

    /// Takes the form of a spline given in millimetres, as a control-point curve in units of `unit` mm.
    pub(crate) fn become_spline(&mut self, spline: &NurbsCurve, unit: f64) {
        let tidy = |x: f64| Amount::Number(x / unit + 0.0);
        let points = spline.control_points().iter().map(|p| [tidy(p.x), tidy(p.y)].into()).collect();
        let weights = if spline.is_rational() {
            spline.weights().into_iter().map(Amount::Number).collect()
        } else {
            Vec::new()
        };
        *self = Self {
            guide: self.guide,
            weights,
            knots: spline.knots().knots().to_vec(),
            values: [("degree".to_string(), Amount::Number(spline.degree() as f64))].into(),
            ..Self::new(&self.id, CurveKind::ControlPoints, points)
        };
    }

    /// Every value in it that a formula can stand for.
    pub(super) fn amounts(&mut self) -> Vec<&mut Amount> {
        let points = self.points.iter_mut().flat_map(|p| match p {
            DrawnPoint::At(amounts) => amounts.as_mut_slice(),
            DrawnPoint::Pinned(_) => &mut [],
        });
        let handles = self.start_handle.iter_mut().chain(&mut self.end_handle).flatten();
        points.chain(self.values.values_mut()).chain(&mut self.weights).chain(handles).collect()
    }

    pub(super) fn field(&self, what: &str) -> String {
        format!("curves/{}/{what}", self.id)
    }

    pub(super) fn evaluate<'a>(
        &'a self,
        context: &Context<'_>,
        frame: &Frame,
    ) -> Result<Evaluated<'a>, Notice> {
        let pair = |[x, y]: &[Amount; 2], field: &str| {
            Ok::<_, Notice>(Point2::new(
                context.value(x, Quantity::Length, field)?,
                context.value(y, Quantity::Length, field)?,
            ))
        };
        let point = |(i, p): (usize, &DrawnPoint)| {
            let field = self.field(&format!("points/{i}"));
            match p {
                DrawnPoint::At(amounts) => pair(amounts, &field),
                DrawnPoint::Pinned(pin) => pin.place(context, frame, &field),
            }
        };
        let points = self.points.iter().enumerate().map(point).collect::<Result<Vec<_>, _>>()?;
        let mut values = BTreeMap::new();
        for &(name, quantity, default) in self.kind.values() {
            let given = self.values.get(name);
            let field = self.field(name);
            let value = match given {
                Some(tension) if name == "tension" => Spacing::tension(context, tension, &field)?,
                given => given.map_or(Ok(default), |a| context.value(a, quantity, &field))?,
            };
            values.insert(name, value);
        }
        if let Some(unknown) = self.values.keys().find(|k| !values.contains_key(k.as_str())) {
            let message = format!("{} has no value `{unknown}`; remove it", self.id);
            return Err(Notice::about(&self.field(unknown), message));
        }
        let weights = self
            .weights
            .iter()
            .map(|w| context.value(w, Quantity::Ratio, &self.field("weights")))
            .collect::<Result<_, _>>()?;
        let handle = |h: &Option<[Amount; 2]>, name| {
            h.as_ref().map(|h| Ok(pair(h, &self.field(name))?.coords)).transpose()
        };
        let handles = [handle(&self.start_handle, "start_handle")?, handle(&self.end_handle, "end_handle")?];
        Ok(Evaluated { drawn: self, points, values, weights, handles })
    }

    /// Where along the points a new one near `at` belongs.
    pub(crate) fn place_for(&self, points: &[Point2], at: Point2) -> usize {
        let space: Vec<Point3> = points.iter().map(|p| Point3::new(p.x, p.y, 0.0)).collect();
        let at = Point3::new(at.x, at.y, 0.0);
        let nearest_leg = || {
            let legs =
                space.windows(2).map(|w| closest_on_curve(&NurbsCurve::line(w[0], w[1]), &at).distance);
            legs.enumerate().min_by(|a, b| a.1.total_cmp(&b.1)).map_or(points.len(), |(i, _)| i + 1)
        };
        let CurveKind::ThroughPoints = self.kind else { return nearest_leg() };
        let Ok(curve) = self.spacing.curve(0.0, &space, &EndDerivatives::free(), 0.0) else {
            return nearest_leg();
        };
        let parameter = closest_on_curve(&curve, &at).parameter;
        let passed = self.spacing.parameters(&space, &curve).iter().filter(|&&t| t <= parameter).count();
        passed.clamp(1, points.len() - 1)
    }
}

impl Pin {
    /// Where the guide crosses the drawing's plane.
    fn place(&self, context: &Context<'_>, frame: &Frame, field: &str) -> Result<Point2, Notice> {
        let guides = context.curves(&self.pin, field)?;
        let found: Vec<Point2> = guides
            .iter()
            .flat_map(|c| &c.pieces)
            .flat_map(|c| geometry::plane_crossings(c, frame, context.tolerance.resolution))
            .map(|(_, p)| frame.flattened(&p))
            .collect();
        let near = self.near.map_or(Point2::origin(), |[x, y]| Point2::new(x, y));
        found.into_iter().min_by(|a, b| (a - near).norm().total_cmp(&(b - near).norm())).ok_or_else(|| {
            let name = context.recipe.step_name(&self.pin.step);
            let at = guides[0].start();
            let message = format!("{name} does not cross this plane, so that a point pinned to it has no place; unpin it or move the guide");
            Notice::about(field, message).at(at)
        })
    }
}

impl Evaluated<'_> {
    fn value(&self, name: &str) -> f64 {
        self.values.get(name).copied().unwrap_or_default()
    }

    /// The smooth pieces in the plane z = 0; `before` is the curve that a tangent arc goes on from.
    pub(super) fn pieces(
        &self,
        before: Option<&NurbsCurve>,
        resolution: f64,
    ) -> Result<Vec<NurbsCurve>, GeometryError> {
        let kind = self.drawn.kind;
        let (least, most) = kind.points();
        if !(least..=most).contains(&self.points.len()) {
            return Err(GeometryError::TooFewPoints { given: self.points.len(), needed: least });
        }
        let flat: Vec<Point3> = self.points.iter().map(|p| Point3::new(p.x, p.y, 0.0)).collect();
        let centre = flat[0];
        let turned = || {
            let (sin, cos) = self.value("turn").sin_cos();
            let x = Vector3::new(cos, sin, 0.0);
            Frame { origin: centre, x, y: Vector3::z().cross(&x), z: Vector3::z() }
        };
        let positive = |names: &[&str]| {
            names
                .iter()
                .all(|n| self.value(n) > resolution)
                .then_some(())
                .ok_or(GeometryError::NoDirection { at: centre.into() })
        };
        let one = |curve: NurbsCurve| vec![curve];
        match kind {
            CurveKind::ThroughPoints => self.through(&flat, resolution).map(one),
            CurveKind::ControlPoints => self.controlled(&flat, resolution).map(one),
            CurveKind::Bezier => bezier(&flat).map(one),
            CurveKind::Polyline => polyline(&flat, self.drawn.closed, resolution),
            CurveKind::Arc => three_point_arc(&flat, resolution).map(one),
            CurveKind::ArcAbout => arc_about(&flat, self.drawn.way).map(one),
            CurveKind::TangentArc => tangent_arc(before, &flat[0]).map(one),
            CurveKind::Circle => {
                positive(&["radius"])?;
                circle_arc(&turned(), self.value("radius"), 0.0, TAU).map(one)
            }
            CurveKind::Ellipse => {
                positive(&["radius_x", "radius_y"])?;
                let (from, to) = (self.value("from"), self.value("to"));
                let sweep = if (to - from).abs() > TAU { TAU } else { to - from };
                let unit =
                    Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
                let frame = turned();
                let (a, b) = (self.value("radius_x"), self.value("radius_y"));
                let arc = circle_arc(&unit, 1.0, from, sweep)
                    .map_err(|_| GeometryError::NoDirection { at: centre.into() })?;
                Ok(one(arc.mapped(|p| frame.to_space(a * p.x, b * p.y))))
            }
            CurveKind::Rectangle => {
                positive(&["width", "height"])?;
                let frame = turned();
                let (w, h) = (self.value("width"), self.value("height"));
                let corners = [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)].map(|(x, y)| frame.to_space(x, y));
                polyline(&corners, true, resolution)
            }
            CurveKind::Polygon => {
                positive(&["radius"])?;
                let sides = self.value("sides") as usize;
                if !(3..=360).contains(&sides) {
                    return Err(GeometryError::TooFewPoints { given: sides, needed: 3 });
                }
                let (frame, radius) = (turned(), self.value("radius"));
                let corner = |k: usize| {
                    let (sin, cos) = (TAU * k as f64 / sides as f64).sin_cos();
                    frame.to_space(radius * cos, radius * sin)
                };
                polyline(&(0..sides).map(corner).collect::<Vec<_>>(), true, resolution)
            }
        }
    }

    fn through(&self, points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
        let (spacing, tension) = (self.drawn.spacing, self.value("tension"));
        if self.drawn.closed {
            return spacing.ring(tension, points, resolution);
        }
        let free = spacing.curve(tension, points, &EndDerivatives::free(), resolution)?;
        if self.handles == [None, None] {
            return Ok(free);
        }
        let d = free.domain();
        let at = spacing.parameters(points, &free);
        let last = points.len() - 1;
        let spans = [at[1] - at[0], at[last] - at[last - 1]];
        let at_ends = [free.derivatives(d.start).1[0], free.derivatives(d.end).1[0]];
        let derivative = |k: usize| {
            // A handle is where the first control point of a single cubic would stand.
            self.handles[k].map_or(at_ends[k], |h| Vector3::new(h.x, h.y, 0.0) * (3.0 / spans[k]))
        };
        let ends = EndDerivatives::tangents([derivative(0), derivative(1)]);
        spacing.curve(tension, points, &ends, resolution)
    }

    fn controlled(&self, points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
        let weights = (!self.weights.is_empty()).then_some(self.weights.as_slice());
        if self.drawn.closed {
            return closed_controlled(points, weights);
        }
        let wanted = (self.value("degree") as usize).max(1);
        if !self.drawn.knots.is_empty() {
            let knots = KnotVector::try_new(wanted, self.drawn.knots.clone())?;
            return NurbsCurve::try_new(knots, points, weights);
        }
        // Gathered points may coincide, but not so many that the curve stops at them.
        let run = points.windows(wanted.min(points.len() - 1) + 1);
        let stops = |w: &[Point3]| w.iter().all(|p| (p - w[0]).norm() <= resolution);
        if let Some(i) = run.clone().position(stops) {
            return Err(GeometryError::RepeatedPoint { first: i, second: i + 1, at: points[i].into() });
        }
        let knots = KnotVector::clamped_uniform(wanted.min(points.len() - 1), points.len())?;
        NurbsCurve::try_new(knots, points, weights)
    }
}

/// The closed cubic B-spline with even knots: the polygon run round far enough that the middle turn is untouched by
/// the clamped ends.
fn closed_controlled(points: &[Point3], weights: Option<&[f64]>) -> Result<NurbsCurve, GeometryError> {
    const DEGREE: usize = 3;
    const EXTRA: usize = 2 * DEGREE;
    let n = points.len();
    if n < 3 {
        return Err(GeometryError::TooFewPoints { given: n, needed: 3 });
    }
    let index = |k: usize| (k + n * EXTRA - EXTRA) % n;
    let around: Vec<Point3> = (0..n + 2 * EXTRA).map(|k| points[index(k)]).collect();
    let weights: Option<Vec<f64>> =
        weights.map(|w| (0..n + 2 * EXTRA).map(|k| w.get(index(k)).copied().unwrap_or(1.0)).collect());
    let knots = KnotVector::clamped_uniform(DEGREE, around.len())?;
    let breaks = knots.breaks();
    let (from, to) = (breaks[EXTRA], breaks[EXTRA + n]);
    let curve = NurbsCurve::try_new(knots, &around, weights.as_deref())?.part(from, to);
    // Both ends are one place to the last digit.
    Ok(curve.with_ends(None, Some(curve.start())))
}

fn bezier(points: &[Point3]) -> Result<NurbsCurve, GeometryError> {
    let pieces = (points.len() - 1) / 3;
    if points.len() != 3 * pieces + 1 {
        return Err(GeometryError::TooFewPoints { given: points.len(), needed: 3 * pieces + 4 });
    }
    let inner = (1..pieces).flat_map(|k| [k as f64 / pieces as f64; 3]);
    let knots = [0.0; 4].into_iter().chain(inner).chain([1.0; 4]).collect();
    NurbsCurve::try_new(KnotVector::try_new(3, knots)?, points, None)
}

fn polyline(points: &[Point3], closed: bool, resolution: f64) -> Result<Vec<NurbsCurve>, GeometryError> {
    let mut around = points.to_vec();
    if closed {
        if points.len() < 3 {
            return Err(GeometryError::TooFewPoints { given: points.len(), needed: 3 });
        }
        around.push(points[0]);
    }
    if let Some(i) = around.windows(2).position(|w| (w[1] - w[0]).norm() <= resolution) {
        let second = (i + 1) % points.len();
        return Err(GeometryError::RepeatedPoint { first: i, second, at: around[i].into() });
    }
    Ok(around.windows(2).map(|w| NurbsCurve::line(w[0], w[1])).collect())
}

fn three_point_arc(points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
    let (a, b, c) = (points[0], points[1], points[2]);
    if let Some((i, j)) =
        [(0, 1), (1, 2), (0, 2)].into_iter().find(|&(i, j)| (points[i] - points[j]).norm() <= resolution)
    {
        return Err(GeometryError::RepeatedPoint { first: i, second: j, at: points[i].into() });
    }
    let Some((frame, radius)) = circle_through(a, b, c) else { return Ok(NurbsCurve::line(a, c)) };
    let end = frame.coordinates(&c);
    let sweep = end.y.atan2(end.x).rem_euclid(TAU);
    Ok(circle_arc(&frame, radius, 0.0, sweep)?.with_ends(Some(a), Some(c)))
}

/// From the second point about the first one to the direction of the third; where that is the direction in which it begins,
/// a whole turn but by the shorter way.
fn arc_about(points: &[Point3], way: ArcWay) -> Result<NurbsCurve, GeometryError> {
    let (centre, start, toward) = (points[0], points[1], points[2]);
    let none = GeometryError::NoDirection { at: centre.into() };
    let out = start - centre;
    let frame = Frame::new(centre, out, Vector3::z().cross(&out)).ok_or(none.clone())?;
    let c = frame.coordinates(&toward);
    if c.xy().norm() == 0.0 {
        return Err(none);
    }
    let shorter = c.y.atan2(c.x);
    let turned = |angle: f64| {
        let turned = angle.rem_euclid(TAU);
        if (WHOLE_TURN..=TAU - WHOLE_TURN).contains(&turned) { turned } else { TAU }
    };
    let sweep = match way {
        ArcWay::Counterclockwise => turned(shorter),
        ArcWay::Clockwise => -turned(-shorter),
        ArcWay::Shorter => shorter,
    };
    circle_arc(&frame, out.norm(), 0.0, sweep)
}

fn tangent_arc(before: Option<&NurbsCurve>, to: &Point3) -> Result<NurbsCurve, GeometryError> {
    let none = GeometryError::NoDirection { at: (*to).into() };
    let before = before.ok_or(none.clone())?;
    let (from, tangent) = (before.end(), before.tangent(before.domain().end).ok_or(none.clone())?);
    let chord = to - from;
    if chord.norm() == 0.0 {
        return Err(none);
    }
    // The angle between tangent and chord is half the arc's sweep (Euclid III.32).
    let half = tangent.xy().perp(&chord.xy()).atan2(tangent.xy().dot(&chord.xy()));
    if half.abs() < 1e-12 {
        return Ok(NurbsCurve::line(from, *to));
    }
    if (half.abs() - PI).abs() < 1e-9 {
        return Err(none);
    }
    let radius = chord.norm() / (2.0 * half.abs().sin());
    let left = Vector3::z().cross(&tangent) * half.signum();
    let centre = from + left * radius;
    let out = from - centre;
    let frame = Frame::new(centre, out, Vector3::z().cross(&out)).ok_or(none)?;
    Ok(circle_arc(&frame, radius, 0.0, 2.0 * half)?.with_ends(Some(from), Some(*to)))
}
