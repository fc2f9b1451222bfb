//! The surface through curves (section 10.3): their control points are interpolated column by column.

use crate::nurbs_curve::SAME_WEIGHT;
use crate::steady::{blended, steadiness, steady};
use crate::{
    EndDerivatives, GeometryError, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3,
    check_work, interpolate, interpolate_ring,
};

/// How a skin goes through its sections.
#[derive(Debug, Clone, PartialEq)]
pub enum Skin {
    /// Smooth, of the highest degree up to 3 that the sections allow.
    Smooth {
        /// For the first and the last section: how the skin leaves it there, as derivatives of the section's control
        /// points along the skin, the first ones first, per mm of the skin's length; none for a free end.
        ends: [Vec<Vec<Vector3>>; 2],
    },
    /// Straight from each section to the next.
    Straight,
    /// Smooth, and from the last section on to the first without a seam that shows.
    Ring,
}

impl Skin {
    /// Smooth with free ends.
    #[must_use]
    pub fn free() -> Self {
        Self::Smooth { ends: [Vec::new(), Vec::new()] }
    }
}

/// Where a skin passes through its sections: shared by all faces of one skin, so that neighbours have the same edge.
#[derive(Debug, Clone, PartialEq)]
pub struct SkinCourse {
    /// Parameters in v, from 0 to 1; the first section counts once more at the end of a ring.
    pub at: Vec<f64>,
    /// Length of the skin in mm.
    pub length: f64,
    /// How much of the skin is steady instead of smooth, 0 to 1: none where the smooth one keeps near its sections.
    pub steadiness: f64,
}

impl SkinCourse {
    /// For faces, each with the same number of compatible sections: the mean over all columns of control points of each
    /// one's chord parameters (equation 10.8), here of the chords themselves; a face counts for as much of the sections as
    /// it has of their length.
    ///
    /// # Errors
    /// `TooFewPoints` for fewer than two sections, `RepeatedPoint` for sections that lie on each other.
    pub fn of(faces: &[Vec<NurbsCurve>], ring: bool) -> Result<Self, GeometryError> {
        let count = faces.first().map_or(0, Vec::len);
        if count < 2 {
            return Err(GeometryError::TooFewPoints { given: count, needed: 2 });
        }
        let rows: Vec<Vec<Point3>> = (0..count + usize::from(ring))
            .map(|i| faces.iter().flat_map(|rows| rows[i % count].control_points()).collect())
            .collect();
        let shares = shares(faces);
        let mean = |w: &[Vec<Point3>]| {
            let chords = w[0].iter().zip(&w[1]).map(|(a, b)| (b - a).norm());
            chords.zip(&shares).map(|(chord, share)| chord * share).sum::<f64>()
        };
        let steps: Vec<f64> = rows.windows(2).map(mean).collect();
        let length: f64 = steps.iter().sum();
        if let Some(i) = steps.iter().position(|s| *s <= 1e-9 * length) {
            let at = rows[i][0].into();
            return Err(GeometryError::RepeatedPoint { first: i, second: i + 1, at });
        }
        let mut run = 0.0;
        let mut at = vec![0.0];
        at.extend(steps.iter().map(|s| {
            run += s;
            run / length
        }));
        at[rows.len() - 1] = 1.0;
        let steadiness = steadiness(&rows, &at, ring)?;
        Ok(Self { at, length, steadiness })
    }

    /// Lengths of its first and its last step, in mm.
    #[must_use]
    pub fn end_steps(&self) -> [f64; 2] {
        let last = self.at.len() - 1;
        [(self.at[1] - self.at[0]) * self.length, (self.at[last] - self.at[last - 1]) * self.length]
    }
}

/// How much each control point of all faces counts, by the lengths of those: 1 in all.
fn shares(faces: &[Vec<NurbsCurve>]) -> Vec<f64> {
    let length = |rows: &Vec<NurbsCurve>| rows.iter().map(NurbsCurve::polygon_length).sum::<f64>();
    let whole = faces.iter().map(length).sum::<f64>().max(f64::MIN_POSITIVE);
    let of_face = |rows: &Vec<NurbsCurve>| {
        let share = length(rows) / whole;
        let count = rows[0].homogeneous().len();
        std::iter::repeat_n(share / count as f64, count)
    };
    faces.iter().flat_map(of_face).collect()
}

/// The skin through compatible sections, u along them and v across.
///
/// # Errors
/// `TooFewPoints` for fewer than two sections, `KnotCount` for ones that are not compatible, `RepeatedPoint` for sections
/// that lie on each other.
pub fn skin(sections: &[NurbsCurve], how: &Skin) -> Result<NurbsSurface, GeometryError> {
    let course = SkinCourse::of(&[sections.to_vec()], *how == Skin::Ring)?;
    skin_along(sections, &course, how)
}

/// The skin through compatible sections of which the course is known.
///
/// # Errors
/// As for [`skin`].
pub fn skin_along(
    sections: &[NurbsCurve],
    course: &SkinCourse,
    how: &Skin,
) -> Result<NurbsSurface, GeometryError> {
    check_work();
    let mut rows = sections.to_vec();
    if *how == Skin::Ring {
        rows.extend(sections.first().cloned());
    }
    let smooth = skin_over(&rows, &course.at, course.length, how)?;
    let has_curvature = matches!(how, Skin::Smooth { ends } if ends.iter().any(|e| e.len() > 1));
    if course.steadiness == 0.0 || *how == Skin::Straight || has_curvature {
        return Ok(smooth);
    }
    let last = rows.len() - 1;
    let end = |k: usize, c: usize| {
        let Skin::Smooth { ends } = how else { return None };
        let weight = rows[k * last].homogeneous()[c].w;
        Some((ends[k].first()?.get(c)? * (course.length * weight)).push(0.0))
    };
    let steady = steady(&rows, &course.at, how, end)?;
    if course.steadiness == 1.0 { Ok(steady) } else { blended(&smooth, &steady, course.steadiness) }
}

fn check_compatible(rows: &[NurbsCurve]) -> Result<(), GeometryError> {
    let along = rows[0].knots();
    match rows.iter().find(|r| r.knots() != along) {
        Some(other) => {
            let (knots, degree) = (other.knots().knots().len(), other.degree());
            Err(GeometryError::KnotCount { knots, points: along.point_count(), degree })
        }
        None => Ok(()),
    }
}

/// The skin through rows at given parameters; derivatives at its ends count per mm of `whole`.
fn skin_over(
    rows: &[NurbsCurve],
    parameters: &[f64],
    whole: f64,
    how: &Skin,
) -> Result<NurbsSurface, GeometryError> {
    let count = rows.len();
    if count < 2 || parameters.len() != count {
        return Err(GeometryError::TooFewPoints { given: count.min(parameters.len()), needed: count.max(2) });
    }
    check_compatible(rows)?;
    let along = rows[0].knots();
    let through = |column: &[Point3], ends: &EndDerivatives| match how {
        Skin::Ring if count > 3 => interpolate_ring(column, parameters),
        Skin::Straight => interpolate(column, parameters, 1, ends),
        _ => interpolate(column, parameters, 3.min(count - 1 + ends.start.len() + ends.end.len()), ends),
    };
    // Equal weights stay just that, whatever rounding would make of them.
    let weight = rows[0].homogeneous()[0].w;
    let plain =
        rows.iter().flat_map(|r| r.homogeneous()).all(|h| (h.w - weight).abs() <= SAME_WEIGHT * weight);
    let mut net: Vec<Homogeneous> = Vec::new();
    let mut across: Option<KnotVector> = None;
    for c in 0..along.point_count() {
        let column: Vec<Homogeneous> = rows.iter().map(|r| r.homogeneous()[c]).collect();
        // Weights do not change along the skin at its ends, so that the points' derivatives are only multiplied.
        let ends = |scale: &dyn Fn(&Homogeneous) -> f64| {
            let Skin::Smooth { ends } = how else { return EndDerivatives::free() };
            let given = |k: usize| {
                let weight = scale(&column[k * (count - 1)]);
                let powers =
                    ends[k].iter().zip(1..).filter_map(|(d, order)| Some(d.get(c)? * whole.powi(order)));
                powers.map(|d| d * weight).collect()
            };
            EndDerivatives { start: given(0), end: given(1) }
        };
        let space: Vec<Point3> = column.iter().map(|h| Point3::from(h.xyz())).collect();
        let space = through(&space, &ends(&|h| h.w))?;
        if plain {
            net.extend(space.control_points().into_iter().map(|p| p.coords.push(weight)));
        } else {
            let weights: Vec<Point3> = column.iter().map(|h| Point3::new(h.w, 0.0, 0.0)).collect();
            let weights = through(&weights, &ends(&|_| 0.0))?;
            let pairs = space.control_points().into_iter().zip(weights.control_points());
            net.extend(pairs.map(|(p, w)| p.coords.push(w.x)));
        }
        across.get_or_insert_with(|| space.knots().clone());
    }
    let across = across.ok_or(GeometryError::TooFewPoints { given: 0, needed: 1 })?;
    NurbsSurface::from_homogeneous(along.clone(), across, net)
}

/// The smooth skin through compatible sections, each at its own parameter in v; these rise from 0 to 1.
///
/// # Errors
/// `TooFewPoints` for fewer than two sections, `KnotCount` for ones that are not compatible, `KnotOrder` for parameters
/// that do not rise.
pub fn skin_through(sections: &[NurbsCurve], parameters: &[f64]) -> Result<NurbsSurface, GeometryError> {
    check_work();
    let length = 1.0;
    skin_over(sections, parameters, length, &Skin::free())
}
