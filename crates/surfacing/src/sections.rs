//! Sections of lofts and sweeps: run alike, begun alike, and piece by piece the rows of a face.

use geometry::{GeometryError, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve, compatible_within};

use crate::SurfacingError;
use crate::loft::Section;

/// Share of the fit tolerance that sections may lose when they are given common knots.
const SHARE_OF_FIT: f64 = 0.5;
/// Places at which sections are compared.
const ALIGNED_AT: usize = 16;
/// Samples per knot span of a section, of which those places are taken.
const MEASURED_PER_SPAN: usize = 8;
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
    pub fn of(pieces: Vec<NurbsCurve>) -> Self {
        Self { pieces, reversed: false, begins: None }
    }
}

/// Turns sections to run alike, and begins closed ones alike, each after the one before it; empty ones stay out.
pub(crate) fn align(runs: Vec<Run>, closed: bool, tolerance: &Tolerance) -> Vec<Vec<NurbsCurve>> {
    let mut aligned: Vec<Vec<NurbsCurve>> = Vec::with_capacity(runs.len());
    let mut before: Option<(Vec<NurbsCurve>, Vec<Point3>)> = None;
    for run in runs {
        if run.pieces.is_empty() {
            aligned.push(Vec::new());
            continue;
        }
        let own = match run.begins {
            Some(share) if closed => begun_at_share(&run.pieces, share, tolerance),
            _ => run.pieces.clone(),
        };
        let mut here = own.clone();
        if let Some((earlier, marks)) = &before {
            let turns = [own.clone(), backwards(&own)];
            let begun = turns.map(|turn| {
                if closed && run.begins.is_none() {
                    begun_alike(&turn, earlier, marks, tolerance)
                } else {
                    turn
                }
            });
            // The way round that twists least.
            let by_twist = |a: &Vec<NurbsCurve>| apart(&places(a), marks);
            here = begun.into_iter().min_by(|a, b| by_twist(a).total_cmp(&by_twist(b))).unwrap_or(own);
        }
        if run.reversed {
            here = backwards(&here);
        }
        // What was turned by hand does not turn the ones after it.
        let model = if run.reversed { backwards(&here) } else { here.clone() };
        let marks = places(&model);
        before = Some((model, marks));
        aligned.push(here);
    }
    aligned
}

pub(crate) fn backwards(run: &[NurbsCurve]) -> Vec<NurbsCurve> {
    run.iter().rev().map(NurbsCurve::reversed).collect()
}

pub(crate) fn middle(points: &[Point3]) -> Vector3 {
    points.iter().map(|p| p.coords).sum::<Vector3>() / points.len() as f64
}

/// Sum of squared distances between marks of two runs, about their own middles.
fn apart(a: &[Point3], b: &[Point3]) -> f64 {
    let (m, n) = (middle(a), middle(b));
    a.iter().zip(b).map(|(p, q)| ((p.coords - m) - (q.coords - n)).norm_squared()).sum()
}

/// A run's polyline, each of its points with the length run until there, the piece and its parameter.
fn measured(run: &[NurbsCurve]) -> Vec<(f64, usize, f64, Point3)> {
    let mut out: Vec<(f64, usize, f64, Point3)> = Vec::new();
    for (k, piece) in run.iter().enumerate() {
        for t in piece.knots().sampled(MEASURED_PER_SPAN) {
            let p = piece.point(t);
            let length = out.last().map_or(0.0, |last| last.0 + (p - last.3).norm());
            out.push((length, k, t, p));
        }
    }
    out
}

/// Piece and parameter at a share of a run's length, near enough for comparing and beginning.
fn at_share(polyline: &[(f64, usize, f64, Point3)], share: f64) -> (usize, f64) {
    let wanted = polyline[polyline.len() - 1].0 * share.clamp(0.0, 1.0);
    let i = polyline.partition_point(|p| p.0 < wanted).clamp(1, polyline.len() - 1);
    let (a, b) = (&polyline[i - 1], &polyline[i]);
    if a.1 != b.1 || b.0 <= a.0 {
        return (b.1, b.2);
    }
    (b.1, a.2 + (b.2 - a.2) * ((wanted - a.0) / (b.0 - a.0)))
}

/// Places at equal shares of a run's length, its end left out.
pub(crate) fn places(run: &[NurbsCurve]) -> Vec<Point3> {
    let polyline = measured(run);
    (0..ALIGNED_AT)
        .map(|k| {
            let (piece, t) = at_share(&polyline, k as f64 / ALIGNED_AT as f64);
            run[piece].point(t)
        })
        .collect()
}

/// A closed run begun where the one before it begins, seen from their middles.
fn begun_alike(
    run: &[NurbsCurve],
    earlier: &[NurbsCurve],
    marks: &[Point3],
    tolerance: &Tolerance,
) -> Vec<NurbsCurve> {
    let wanted = earlier[0].start() - middle(marks) + middle(&places(run));
    if run.len() > 1 {
        // At a joint, so that pieces stay whole.
        let off = |k: &usize| (run[*k].start() - wanted).norm();
        let nearest = (0..run.len()).min_by(|a, b| off(a).total_cmp(&off(b)));
        return begun_at_joint(run, nearest.unwrap_or(0));
    }
    begun_on_piece(run, 0, closest_on_curve(&run[0], &wanted).parameter, tolerance)
}

/// A closed run begun at a share of its length; one of several pieces at the joint nearest to that.
fn begun_at_share(run: &[NurbsCurve], share: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
    let (piece, t) = at_share(&measured(run), share.rem_euclid(1.0));
    if run.len() > 1 {
        let late = run[piece].domain().at(0.5) < t;
        return begun_at_joint(run, (piece + usize::from(late)) % run.len());
    }
    begun_on_piece(run, piece, t, tolerance)
}

fn begun_at_joint(run: &[NurbsCurve], joint: usize) -> Vec<NurbsCurve> {
    let mut turned = run.to_vec();
    turned.rotate_left(joint);
    turned
}

fn begun_on_piece(run: &[NurbsCurve], piece: usize, t: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
    run[piece].begun_at(t, tolerance.join).map_or_else(|| run.to_vec(), |c| vec![c])
}

/// The rows of faces, and the largest distance in millimetres of one from its section.
pub(crate) struct Rows {
    pub faces: Vec<Vec<NurbsCurve>>,
    pub max_deviation: f64,
}

/// For each face the curves of all sections that it goes through, made compatible: piece by piece where the sections have
/// as many of them, else each section as one curve.
pub(crate) fn rows_of_faces(runs: &[Vec<NurbsCurve>], tolerance: &Tolerance) -> Result<Rows, GeometryError> {
    let alike = runs.windows(2).all(|w| w[0].len() == w[1].len());
    let columns: Vec<Vec<NurbsCurve>> = if alike {
        let pieces = runs.first().map_or(0, Vec::len);
        (0..pieces).map(|k| runs.iter().map(|run| run[k].clone()).collect()).collect()
    } else {
        vec![runs.iter().map(|run| NurbsCurve::of_pieces(run)).collect::<Result<_, _>>()?]
    };
    let mut rows = Rows { faces: Vec::with_capacity(columns.len()), max_deviation: 0.0 };
    for column in columns {
        let (face, deviation) = compatible_within(&column, SHARE_OF_FIT * tolerance.fit)?;
        rows.faces.push(points_weighted(face)?);
        rows.max_deviation = rows.max_deviation.max(deviation);
    }
    Ok(rows)
}

/// Rows of which the first or the last may be a point: that takes over the weights of the one next to it, so that the
/// weights do not change on the way there.
fn points_weighted(mut rows: Vec<NurbsCurve>) -> Result<Vec<NurbsCurve>, GeometryError> {
    let last = rows.len() - 1;
    for (own, next) in [(0, 1), (last, last.saturating_sub(1))] {
        let at = rows[own].start();
        if own != next && rows[own].is_point(1e-12 * (1.0 + at.coords.norm())) {
            let weights = rows[next].weights();
            let tip = vec![at; weights.len()];
            rows[own] = NurbsCurve::try_new(rows[next].knots().clone(), &tip, Some(&weights))?;
        }
    }
    Ok(rows)
}

/// All sections as one compatible curve each over 0 to 1, and the parameters at which their pieces meet: the same for all
/// where they have as many pieces, else none but the ends.
pub(crate) fn one_row_each(
    runs: &[Vec<NurbsCurve>],
    tolerance: &Tolerance,
) -> Result<(Vec<NurbsCurve>, Vec<f64>), GeometryError> {
    let pieces = runs.first().map_or(0, Vec::len);
    if runs.iter().any(|r| r.len() != pieces) {
        return Ok((rows_of_faces(runs, tolerance)?.faces.swap_remove(0), vec![0.0, 1.0]));
    }
    // Joints at the mean of the sections' own shares.
    let mut joints = vec![0.0; pieces + 1];
    for run in runs {
        let sizes: Vec<f64> = run.iter().map(|c| c.polygon_length().max(1e-9)).collect();
        let whole: f64 = sizes.iter().sum();
        let mut sum = 0.0;
        for (k, size) in sizes.iter().enumerate() {
            sum += size;
            joints[k + 1] += sum / whole / runs.len() as f64;
        }
    }
    joints[pieces] = 1.0;
    let whole: Vec<NurbsCurve> =
        runs.iter().map(|run| NurbsCurve::of_pieces_over(run, &joints)).collect::<Result<_, _>>()?;
    let (rows, _) = compatible_within(&whole, SHARE_OF_FIT * tolerance.fit)?;
    Ok((points_weighted(rows)?, joints))
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
