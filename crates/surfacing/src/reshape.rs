//! Reshape: a surface edited by its control points.
//!
//! Changes are made one after the other. Those that put in rows or raise the degree keep the shape exactly (The NURBS Book,
//! chapter 5); recasting fits it anew and says how far that is off; the others move control points.

use geometry::{EndsKept, Frame, NurbsSurface, Point3, Tolerance, Vector3, recast_surface_along};

use crate::SurfacingError;
use crate::flat::best_plane;

/// Most control points in one direction.
const MOST_POINTS: usize = 400;

/// Control points that are picked, each counted from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NetPick {
    /// All points of one place along u.
    Row(usize),
    /// All points of one place along v.
    Column(usize),
    /// One point, by its row and column.
    Point(usize, usize),
}

/// One direction of a surface, or both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Along {
    /// Along u.
    U,
    /// Along v.
    V,
    /// Along both.
    Both,
}

impl Along {
    fn each(self) -> &'static [bool] {
        match self {
            Self::U => &[true],
            Self::V => &[false],
            Self::Both => &[true, false],
        }
    }
}

/// A border of a surface.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Border {
    /// Where u begins.
    FirstRow,
    /// Where u ends.
    LastRow,
    /// Where v begins.
    FirstColumn,
    /// Where v ends.
    LastColumn,
}

/// Where points are gathered.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum GatherAt {
    /// At a place.
    Place(Point3),
    /// Midway between two other control points, each by its row and column.
    Midway([usize; 2], [usize; 2]),
    /// On the straight line between the first and the last of them, by the shortest way.
    Line,
    /// On the plane that fits them best, by the shortest way.
    Plane,
}

/// A change of a surface's control points.
#[derive(Debug, Clone, PartialEq)]
pub enum NetChange {
    /// One more row or column, at a share 0 to 1 of the domain; the shape stays.
    Insert {
        /// Along u for a row, along v for a column.
        along: Along,
        /// Where.
        at: f64,
    },
    /// So many more rows or columns, where the knots stand farthest apart; the shape stays.
    Evenly {
        /// Along u for rows, along v for columns.
        along: Along,
        /// How many.
        count: usize,
    },
    /// A higher degree; the shape stays.
    Raise {
        /// In which direction.
        along: Along,
        /// The degree.
        degree: usize,
    },
    /// Another number of points and degree, fitted anew.
    Recast {
        /// In which direction.
        along: Along,
        /// How many points there.
        points: usize,
        /// The degree there.
        degree: usize,
        /// What its borders keep across them.
        kept: EndsKept,
    },
    /// Moved, in millimetres.
    Move {
        /// Which points.
        picks: Vec<NetPick>,
        /// How far.
        by: Vector3,
    },
    /// Grown about their middle.
    Scale {
        /// Which points.
        picks: Vec<NetPick>,
        /// How much in x, y and z.
        factors: Vector3,
    },
    /// Turned about an axis through their middle.
    Turn {
        /// Which points.
        picks: Vec<NetPick>,
        /// Its direction.
        axis: Vector3,
        /// The angle in radians.
        angle: f64,
    },
    /// Brought together.
    Gather {
        /// Which points.
        picks: Vec<NetPick>,
        /// Where.
        at: GatherAt,
    },
    /// A border curve pulled, with the rows behind it following less and less.
    Pull {
        /// Which border.
        border: Border,
        /// How far it is moved, in millimetres.
        by: Vector3,
        /// The axis and the angle in radians by which it is turned about its middle.
        turn: (Vector3, f64),
        /// How many rows behind it follow.
        follow: usize,
    },
}

/// What a surface is reshaped with.
#[derive(Debug, Clone, PartialEq)]
pub struct Reshape<'a> {
    /// The changes, in order.
    pub changes: &'a [NetChange],
    /// Points that stay where they are, whatever is changed; counted in the net as it is in the end.
    pub frozen: &'a [NetPick],
    /// The plane across which every change is made on the other side too.
    pub mirror: Option<Frame>,
}

/// A border that is gathered to a point, where the rows next to it leave their common plane: the surface pinches there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pinch {
    /// The border.
    pub border: Border,
    /// How far the next row leaves its plane, in millimetres.
    pub off: f64,
    /// Where it does so most.
    pub at: Point3,
}

/// A reshaped surface.
#[derive(Debug, Clone, PartialEq)]
pub struct Reshaped {
    /// The surface.
    pub surface: NurbsSurface,
    /// Largest distance between the surface before and after a recasting, in millimetres; none without one.
    pub max_deviation: Option<f64>,
    /// How many frozen points some change would have moved.
    pub stayed: usize,
    /// The largest distance by which a control point was moved, in millimetres.
    pub largest_move: f64,
    /// Ends that pinch.
    pub pinches: Vec<Pinch>,
}

/// The surface after all changes.
///
/// # Errors
/// `NoSuchPoint` for a pick beyond the net, `NotSymmetric` for a mirror that the net has no symmetry about,
/// `TooManyPoints`; `Degree` and `TooFewPoints` for degrees and counts that do not fit.
pub fn reshape(
    surface: &NurbsSurface,
    how: &Reshape<'_>,
    tolerance: &Tolerance,
) -> Result<Reshaped, SurfacingError> {
    let mut net = Net::of(surface, tolerance);
    let mut max_deviation: Option<f64> = None;
    let (mut stayed, mut largest_move) = (0, 0.0_f64);
    for (number, change) in how.changes.iter().enumerate() {
        if let Some(mut formed) = in_form(&net.surface, change)? {
            // A row that is put in on one side is put in on the other one too.
            if let (Some(plane), NetChange::Insert { along, at }) = (&how.mirror, change) {
                let by_rows = net.mirrored_rows(plane, tolerance)?;
                if *at != 0.5 && along.each().contains(&by_rows) {
                    let along = if by_rows { Along::U } else { Along::V };
                    let other = NetChange::Insert { along, at: 1.0 - at };
                    formed = in_form(&formed.0, &other)?.unwrap_or(formed);
                }
            }
            if let Some(deviation) = formed.1 {
                max_deviation = Some(max_deviation.unwrap_or(0.0).max(deviation));
            }
            if formed.0.knots_u().point_count().max(formed.0.knots_v().point_count()) > MOST_POINTS {
                return Err(SurfacingError::TooManyPoints { most: MOST_POINTS });
            }
            net = Net::of(&formed.0, tolerance);
            continue;
        }
        let mut moved = net.changed(change, number + 1)?;
        if let Some(plane) = &how.mirror {
            net.mirror(&mut moved, plane, tolerance)?;
        }
        net.link(&mut moved);
        // What is frozen counts in the net as it is in the end; before rows are put in it may have fewer.
        for index in net.picked(how.frozen, None)? {
            if (moved[index] - net.points[index]).norm() > tolerance.resolution {
                stayed += 1;
            }
            moved[index] = net.points[index];
        }
        let far = moved.iter().zip(&net.points).map(|(a, b)| (a - b).norm()).fold(0.0, f64::max);
        largest_move = largest_move.max(far);
        net = net.with(moved)?;
    }
    let pinches = net.pinches(tolerance);
    Ok(Reshaped { surface: net.surface, max_deviation, stayed, largest_move, pinches })
}

/// The surface after a change that leaves its shape or fits it anew, with the deviation of the latter; none for others.
fn in_form(
    surface: &NurbsSurface,
    change: &NetChange,
) -> Result<Option<(NurbsSurface, Option<f64>)>, SurfacingError> {
    let knots = |s: &NurbsSurface, is_u: bool| if is_u { s.knots_u().clone() } else { s.knots_v().clone() };
    let with_knot =
        |s: &NurbsSurface, is_u: bool, t: f64| if is_u { s.with_knot_u(t) } else { s.with_knot_v(t) };
    let mut out = surface.clone();
    // Refused before the work: what is asked for may be more than memory holds.
    let wanted = match change {
        NetChange::Evenly { along, count } => {
            let now = along.each().iter().map(|&is_u| knots(surface, is_u).point_count()).max();
            now.unwrap_or(0).saturating_add(*count)
        }
        NetChange::Recast { points, .. } => *points,
        _ => 0,
    };
    if wanted > MOST_POINTS {
        return Err(SurfacingError::TooManyPoints { most: MOST_POINTS });
    }
    Ok(Some(match change {
        NetChange::Insert { along, at } => {
            for &is_u in along.each() {
                let knots = knots(&out, is_u);
                let t = knots.snapped(knots.domain().at(at.clamp(0.0, 1.0)));
                out = with_knot(&out, is_u, t);
            }
            (out, None)
        }
        NetChange::Evenly { along, count } => {
            for &is_u in along.each() {
                for _ in 0..*count {
                    let middle = knots(&out, is_u).middle_of_widest_span();
                    out = with_knot(&out, is_u, middle);
                }
            }
            (out, None)
        }
        NetChange::Raise { along, degree } => {
            for &is_u in along.each() {
                out = if is_u { out.elevated_u(*degree)? } else { out.elevated_v(*degree)? };
            }
            (out, None)
        }
        NetChange::Recast { along, points, degree, kept } => {
            let mut worst = 0.0_f64;
            for &is_u in along.each() {
                let fitted = recast_surface_along(&out, is_u, *degree, *points, *kept)?;
                worst += fitted.max_deviation;
                out = fitted.surface;
            }
            (out, Some(worst))
        }
        _ => return Ok(None),
    }))
}

/// A surface with its control points, and which of them are one place and must stay so.
struct Net {
    surface: NurbsSurface,
    points: Vec<Point3>,
    rows: usize,
    columns: usize,
    /// Sets of points that are one: both ends of a closed row or column.
    twins: Vec<[usize; 2]>,
}

impl Net {
    fn of(surface: &NurbsSurface, tolerance: &Tolerance) -> Self {
        let (rows, columns) = (surface.knots_u().point_count(), surface.knots_v().point_count());
        let [in_u, in_v] = surface.closes(tolerance.resolution);
        let mut twins = Vec::new();
        if in_u {
            twins.extend((0..columns).map(|j| [j, (rows - 1) * columns + j]));
        }
        if in_v {
            twins.extend((0..rows).map(|i| [i * columns, (i + 1) * columns - 1]));
        }
        Self { points: surface.control_points(), surface: surface.clone(), rows, columns, twins }
    }

    fn with(self, points: Vec<Point3>) -> Result<Self, SurfacingError> {
        let weights: Vec<f64> = self.surface.homogeneous().iter().map(|h| h.w).collect();
        let (u, v) = (self.surface.knots_u().clone(), self.surface.knots_v().clone());
        let surface = NurbsSurface::try_new(u, v, &points, Some(&weights))?;
        Ok(Self { surface, points, ..self })
    }

    fn index(&self, [i, j]: [usize; 2]) -> Option<usize> {
        (i < self.rows && j < self.columns).then_some(i * self.columns + j)
    }

    /// Numbers of the points that are picked, each once, in order; picks beyond the net are refused if a change is named by
    /// its number, else left out.
    fn picked(&self, picks: &[NetPick], change: Option<usize>) -> Result<Vec<usize>, SurfacingError> {
        let mut out = Vec::new();
        for pick in picks {
            let found: Vec<Option<usize>> = match *pick {
                NetPick::Row(i) => (0..self.columns).map(|j| self.index([i, j])).collect(),
                NetPick::Column(j) => (0..self.rows).map(|i| self.index([i, j])).collect(),
                NetPick::Point(i, j) => vec![self.index([i, j])],
            };
            if let (true, Some(change)) = (found.iter().any(Option::is_none), change) {
                let (rows, columns) = (self.rows, self.columns);
                return Err(SurfacingError::NoSuchPoint { change, rows, columns });
            }
            out.extend(found.into_iter().flatten());
        }
        out.sort_unstable();
        out.dedup();
        Ok(out)
    }

    /// Control points after a change that moves some.
    fn changed(&self, change: &NetChange, number: usize) -> Result<Vec<Point3>, SurfacingError> {
        let mut out = self.points.clone();
        let middle = |picked: &[usize]| {
            let sum: Vector3 = picked.iter().map(|&k| self.points[k].coords).sum();
            Point3::from(sum / picked.len().max(1) as f64)
        };
        match change {
            NetChange::Move { picks, by } => {
                for k in self.picked(picks, Some(number))? {
                    out[k] += by;
                }
            }
            NetChange::Scale { picks, factors } => {
                let picked = self.picked(picks, Some(number))?;
                let about = middle(&picked);
                for k in picked {
                    out[k] = about + (self.points[k] - about).component_mul(factors);
                }
            }
            NetChange::Turn { picks, axis, angle } => {
                let picked = self.picked(picks, Some(number))?;
                let about = middle(&picked);
                let turn = rotation(axis, *angle);
                for k in picked {
                    out[k] = about + turn * (self.points[k] - about);
                }
            }
            NetChange::Gather { picks, at } => self.gather(&mut out, picks, at, number)?,
            NetChange::Pull { border, by, turn: (axis, angle), follow } => {
                let (line, count) = match border {
                    Border::FirstRow | Border::LastRow => (self.columns, self.rows),
                    Border::FirstColumn | Border::LastColumn => (self.rows, self.columns),
                };
                let at = |step: usize, k: usize| match border {
                    Border::FirstRow => step * self.columns + k,
                    Border::LastRow => (self.rows - 1 - step) * self.columns + k,
                    Border::FirstColumn => k * self.columns + step,
                    Border::LastColumn => k * self.columns + self.columns - 1 - step,
                };
                let edge: Vec<usize> = (0..line).map(|k| at(0, k)).collect();
                let about = middle(&edge);
                let turn = rotation(axis, *angle);
                // The row behind the last one that follows stays where it is, as does all behind it.
                let follow = (*follow).min(count - 1);
                for k in 0..line {
                    let p = self.points[edge[k]];
                    let shift = about + turn * (p - about) + by - p;
                    for step in 0..=follow {
                        let share = 1.0 - step as f64 / (follow + 1) as f64;
                        // Level at both ends, so that neither the border nor what stays is bent where they meet.
                        let share = share * share * (3.0 - 2.0 * share);
                        out[at(step, k)] += shift * share;
                    }
                }
            }
            _ => {}
        }
        Ok(out)
    }

    fn gather(
        &self,
        out: &mut [Point3],
        picks: &[NetPick],
        at: &GatherAt,
        change: usize,
    ) -> Result<(), SurfacingError> {
        let picked = self.picked(picks, Some(change))?;
        let (Some(&first), Some(&last)) = (picked.first(), picked.last()) else { return Ok(()) };
        match at {
            GatherAt::Place(place) => picked.iter().for_each(|&k| out[k] = *place),
            GatherAt::Midway(a, b) => {
                let (rows, columns) = (self.rows, self.columns);
                let (Some(a), Some(b)) = (self.index(*a), self.index(*b)) else {
                    return Err(SurfacingError::NoSuchPoint { change, rows, columns });
                };
                let place = nalgebra::center(&self.points[a], &self.points[b]);
                picked.iter().for_each(|&k| out[k] = place);
            }
            GatherAt::Line => {
                let (a, b) = (self.points[first], self.points[last]);
                let along = b - a;
                if along.norm_squared() > 0.0 {
                    for &k in &picked {
                        out[k] = a + along * ((self.points[k] - a).dot(&along) / along.norm_squared());
                    }
                }
            }
            GatherAt::Plane => {
                let places: Vec<Point3> = picked.iter().map(|&k| self.points[k]).collect();
                if let Some((origin, normal)) = best_plane(&places) {
                    for &k in &picked {
                        out[k] -= normal * (self.points[k] - origin).dot(&normal);
                    }
                }
            }
        }
        Ok(())
    }

    /// The point that is a point's likeness, row by row or column by column.
    fn partner(&self, by_rows: bool, k: usize) -> usize {
        let (i, j) = (k / self.columns, k % self.columns);
        if by_rows { (self.rows - 1 - i) * self.columns + j } else { i * self.columns + self.columns - 1 - j }
    }

    /// Whether the net has its likeness on the other side of a plane row by row, and not column by column.
    fn mirrored_rows(&self, plane: &Frame, tolerance: &Tolerance) -> Result<bool, SurfacingError> {
        let off = |by_rows: bool| {
            let off =
                |k: usize| (mirrored(&self.points[k], plane) - self.points[self.partner(by_rows, k)]).norm();
            let each = (0..self.points.len()).map(|k| (off(k), k));
            each.max_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((0.0, 0))
        };
        let (rows, columns) = (off(true), off(false));
        let by_rows = rows.0 <= columns.0;
        let (distance, worst) = if by_rows { rows } else { columns };
        if distance > tolerance.join {
            return Err(SurfacingError::NotSymmetric { distance, at: self.points[worst].into() });
        }
        Ok(by_rows)
    }

    /// Makes every move on the other side of a plane too; where both of a pair are moved, the first one leads; what is its own likeness stays in the plane.
    fn mirror(
        &self,
        moved: &mut [Point3],
        plane: &Frame,
        tolerance: &Tolerance,
    ) -> Result<(), SurfacingError> {
        let by_rows = self.mirrored_rows(plane, tolerance)?;
        for k in 0..moved.len() {
            let other = self.partner(by_rows, k);
            let changed = |k: usize, moved: &[Point3]| (moved[k] - self.points[k]).norm() > 0.0;
            if other == k {
                moved[k] -= plane.z * plane.coordinates(&moved[k]).z;
            } else if k < other && changed(k, moved) {
                moved[other] = mirrored(&moved[k], plane);
            } else if k < other && changed(other, moved) {
                moved[k] = mirrored(&moved[other], plane);
            }
        }
        Ok(())
    }

    /// Keeps together what is one place: a closed surface stays closed.
    fn link(&self, moved: &mut [Point3]) {
        for &[a, b] in &self.twins {
            let changed = |k: usize| (moved[k] - self.points[k]).norm() > 0.0;
            if changed(a) {
                moved[b] = moved[a];
            } else if changed(b) {
                moved[a] = moved[b];
            }
        }
    }

    /// Borders that are one point, where the next row leaves the plane that fits it and the point best.
    fn pinches(&self, tolerance: &Tolerance) -> Vec<Pinch> {
        let row = |i: usize| (0..self.columns).map(|j| self.points[i * self.columns + j]).collect::<Vec<_>>();
        let column = |j: usize| (0..self.rows).map(|i| self.points[i * self.columns + j]).collect::<Vec<_>>();
        let sides = [
            (Border::FirstRow, row(0), row(1)),
            (Border::LastRow, row(self.rows - 1), row(self.rows - 2)),
            (Border::FirstColumn, column(0), column(1)),
            (Border::LastColumn, column(self.columns - 1), column(self.columns - 2)),
        ];
        let pinch = |(border, end, next): (Border, Vec<Point3>, Vec<Point3>)| {
            let tip = end[0];
            if end.iter().any(|p| (p - tip).norm() > tolerance.resolution) {
                return None;
            }
            // A plane through the tip itself: only directions from it count.
            let around: Vec<Point3> = next.iter().flat_map(|p| [*p, tip - (p - tip)]).collect();
            let (_, normal) = best_plane(&around)?;
            let off = |p: &Point3| (p - tip).dot(&normal).abs();
            let (off, at) = next.iter().map(|p| (off(p), *p)).max_by(|a, b| a.0.total_cmp(&b.0))?;
            (off > tolerance.join).then_some(Pinch { border, off, at })
        };
        sides.into_iter().filter_map(pinch).collect()
    }
}

fn mirrored(p: &Point3, plane: &Frame) -> Point3 {
    p - plane.z * (2.0 * plane.coordinates(p).z)
}

fn rotation(axis: &Vector3, angle: f64) -> nalgebra::Rotation3<f64> {
    let axis = nalgebra::Unit::try_new(*axis, 1e-12).unwrap_or_else(Vector3::z_axis);
    nalgebra::Rotation3::from_axis_angle(&axis, angle)
}
