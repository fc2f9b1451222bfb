//! Sections of lofts and sweeps: run alike and begun alike (`aligned`, in a ring `around`), divided into `columns` by the
//! lines between their `corners` or where they are joined by hand (`pairs`), and brought to common knots so that the skin
//! through them is as smooth as they are (`rows`). `outline` is one section by its length, `pose` and `sighted` how it is
//! seen beside others, `matching` which corners of two go together, `law` how those run along each other.

mod aligned;
mod around;
mod columns;
mod corners;
mod law;
mod matching;
mod outline;
mod pairs;
mod pose;
mod rows;
mod sighted;

use geometry::{GeometryError, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve, compatible_within};

pub(crate) use self::aligned::{align, backwards};
use self::columns::{Column, columns_by_themselves};
use self::outline::Outline;
pub(crate) use self::outline::{CORNER, cut_at_corners};
pub(crate) use self::pairs::Paired;
use self::rows::fitted;
pub(crate) use self::rows::{is_point, points_weighted};

use crate::SurfacingError;
use crate::loft::Section;

/// Places at which sections are compared.
const ALIGNED_AT: usize = 16;
/// Places per knot span from which the nearest places of two sections are looked for.
const APART_PER_SPAN: usize = 4;
/// Steps in which they are approached.
const APPROACHES: usize = 20;
/// Cosine of the turn beyond which a row of sections goes back on itself.
const BACK: f64 = -0.5;
/// How much shorter the way through all sections must be in another order.
const SHORTER: f64 = 0.8;

/// One section before it is aligned with the others; a point has no pieces.
#[derive(Debug, Clone, Default)]
pub(crate) struct Run {
    pub pieces: Vec<NurbsCurve>,
    /// Run the other way than it would be by itself.
    pub reversed: bool,
    /// Begun at this share of its own length, in its own direction.
    pub begins: Option<f64>,
}

impl Run {
    /// Of pieces that run end to end; those with corners inside are cut there.
    pub fn of(pieces: &[NurbsCurve]) -> Self {
        Self { pieces: cut_at_corners(pieces), reversed: false, begins: None }
    }
}

pub(crate) fn middle(points: &[Point3]) -> Vector3 {
    points.iter().map(|p| p.coords).sum::<Vector3>() / points.len() as f64
}

/// Places at equal shares of a run's length, its end left out.
pub(crate) fn places(run: &[NurbsCurve]) -> Vec<Point3> {
    Outline::coarse(run).places(0.0, ALIGNED_AT)
}

/// Whether each piece of a run begins at a corner: the first one where the run closes there.
pub(crate) fn corners(run: &[NurbsCurve], closed: bool) -> Vec<bool> {
    Outline::coarse(run).corners(closed)
}

/// The rows of faces, and the largest distance in millimetres of one from its section.
pub(crate) struct Rows {
    pub faces: Vec<Vec<NurbsCurve>>,
    pub max_deviation: f64,
}

/// For each face the curves of all sections that it goes through, made compatible; a section that is a point has no pieces
/// and comes in `points`. Faces meet at corners of the sections and at joints of their pieces, where those pair up; where
/// the sections are smooth, the skin through the rows is.
pub(crate) fn rows_of_faces(
    runs: &[Vec<NurbsCurve>],
    points: &[Option<Point3>],
    closed: bool,
    straight: bool,
    tolerance: &Tolerance,
) -> Result<Rows, GeometryError> {
    let solid: Vec<&Vec<NurbsCurve>> = runs.iter().filter(|run| !run.is_empty()).collect();
    rows_of_columns(columns_by_themselves(&solid, closed, tolerance), points, straight, tolerance)
}

/// The same for sections that are joined at given places.
pub(crate) fn rows_between_pairs(
    paired: &Paired,
    points: &[Option<Point3>],
    straight: bool,
    tolerance: &Tolerance,
) -> Result<Rows, GeometryError> {
    rows_of_columns(paired.columns(tolerance), points, straight, tolerance)
}

fn rows_of_columns(
    columns: Vec<Column>,
    points: &[Option<Point3>],
    straight: bool,
    tolerance: &Tolerance,
) -> Result<Rows, GeometryError> {
    let mut rows = Rows { faces: Vec::new(), max_deviation: 0.0 };
    for mut column in columns {
        for (i, at) in points.iter().enumerate() {
            if let Some(at) = at {
                column.insert_point(i, *at);
            }
        }
        let fitted = fitted(&column, straight, tolerance)?;
        rows.faces.extend(fitted.faces);
        rows.max_deviation = rows.max_deviation.max(fitted.max_deviation);
    }
    Ok(rows)
}

/// All sections as one compatible curve each over 0 to 1, from the rows of their faces, and the parameters at which those
/// meet.
pub(crate) fn one_row_each(faces: &[Vec<NurbsCurve>]) -> Result<(Vec<NurbsCurve>, Vec<f64>), GeometryError> {
    let count = faces.first().map_or(0, Vec::len);
    // Faces take their mean shares of the sections.
    let mut joints = vec![0.0; faces.len() + 1];
    for i in 0..count {
        let sizes: Vec<f64> = faces.iter().map(|rows| rows[i].polygon_length().max(1e-9)).collect();
        let whole: f64 = sizes.iter().sum();
        let mut sum = 0.0;
        for (k, size) in sizes.iter().enumerate() {
            sum += size;
            joints[k + 1] += sum / whole / count as f64;
        }
    }
    joints[faces.len()] = 1.0;
    let row = |i: usize| {
        let pieces: Vec<NurbsCurve> = faces.iter().map(|rows| rows[i].clone()).collect();
        NurbsCurve::of_pieces_over(&pieces, &joints)
    };
    let whole = (0..count).map(row).collect::<Result<Vec<_>, _>>()?;
    Ok((compatible_within(&whole, 0.0)?.0, joints))
}

/// Refuses section `i` where its control points do not pair up with those of another one, piece by piece.
pub(crate) fn check_alike(
    model: &[NurbsCurve],
    run: &[NurbsCurve],
    i: usize,
    at: Point3,
) -> Result<(), SurfacingError> {
    let structure = |c: &NurbsCurve| (c.degree(), c.homogeneous().len());
    if run.len() == model.len() && run.iter().zip(model).all(|(a, b)| structure(a) == structure(b)) {
        return Ok(());
    }
    let counts = [model, run].map(|r| r.iter().map(|c| c.homogeneous().len()).sum());
    Err(SurfacingError::UnequalRows { section: i + 1, counts, at: at.into() })
}

/// Refuses neighbouring sections that meet.
pub(crate) fn check_apart(runs: &[Vec<NurbsCurve>], tolerance: &Tolerance) -> Result<(), SurfacingError> {
    for (i, pair) in runs.windows(2).enumerate() {
        for (a, b) in pair[0].iter().flat_map(|a| pair[1].iter().map(move |b| (a, b))) {
            if let Some(at) = meeting(a, b, tolerance.join) {
                return Err(SurfacingError::SectionsTouch { sections: [i + 1, i + 2], at: at.into() });
            }
        }
    }
    Ok(())
}

/// A place at which two curves come within `distance` mm of each other.
fn meeting(a: &NurbsCurve, b: &NurbsCurve, distance: f64) -> Option<Point3> {
    let ((low, high), (other_low, other_high)) = (a.control_bounds(), b.control_bounds());
    let gap = (other_low - high).sup(&(low - other_high));
    if gap.max() > distance {
        return None;
    }
    let apart = |t: f64| closest_on_curve(b, &a.point(t));
    let seeds: Vec<f64> = a.knots().sampled(APART_PER_SPAN);
    let found: Vec<f64> = seeds.iter().map(|&t| apart(t).distance).collect();
    let last = seeds.len() - 1;
    for i in 0..=last {
        if found[i] > found[i.saturating_sub(1)] || found[i] > found[(i + 1).min(last)] {
            continue;
        }
        let mut t = seeds[i];
        let mut best = found[i];
        for _ in 0..APPROACHES {
            let foot = closest_on_curve(a, &apart(t).point);
            if foot.distance >= best {
                break;
            }
            (t, best) = (foot.parameter, foot.distance);
        }
        if best <= distance {
            return Some(a.point(t));
        }
    }
    None
}

/// Refuses sections that go forth and back, where another order would not.
pub(crate) fn check_order(
    runs: &[Vec<NurbsCurve>],
    sections: &[Section],
    ring: bool,
) -> Result<(), SurfacingError> {
    let middles: Vec<Point3> = runs
        .iter()
        .zip(sections)
        .map(|(run, section)| match section {
            Section::Point(at) => *at,
            Section::Curves { .. } => Point3::from(middle(&places(run))),
        })
        .collect();
    let steps: Vec<Vector3> = middles.windows(2).map(|w| w[1] - w[0]).collect();
    let back = steps.windows(2).position(|w| w[0].dot(&w[1]) < BACK * w[0].norm() * w[1].norm());
    let Some(at) = back.map(|i| i + 2).filter(|_| !ring) else { return Ok(()) };
    let way = |order: &[usize]| order.windows(2).map(|w| (middles[w[1]] - middles[w[0]]).norm()).sum::<f64>();
    let given: Vec<usize> = (0..middles.len()).collect();
    // From either end always on to the nearest one that is left.
    let nearest_first = |start: usize| {
        let mut left = given.clone();
        let mut order = vec![left.remove(start)];
        while let Some(next) = (0..left.len()).min_by(|&a, &b| {
            let from = middles[order[order.len() - 1]];
            (middles[left[a]] - from).norm().total_cmp(&(middles[left[b]] - from).norm())
        }) {
            order.push(left.remove(next));
        }
        order
    };
    let best = given.iter().map(|&s| nearest_first(s)).min_by(|a, b| way(a).total_cmp(&way(b)));
    match best {
        Some(mut order) if way(&order) < SHORTER * way(&given) => {
            if order[0] > order[order.len() - 1] {
                order.reverse();
            }
            let order = order.iter().map(|i| i + 1).collect();
            Err(SurfacingError::OutOfOrder { section: at + 1, order, at: middles[at].into() })
        }
        _ => Ok(()),
    }
}
