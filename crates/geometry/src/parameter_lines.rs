use nalgebra::DMatrix;

use crate::{Domain, KnotVector, NurbsSurface, Vector3, check_work};

/// Most lines per direction.
const MAX_LINES: usize = 4000;
/// Share of the chord tolerance for each way in which a surface bends.
const SHARE: f64 = 0.55;
/// Places in a span, and across it, at which a bend is looked at.
const ACROSS: usize = 3;

/// Parameter lines in u and v, spaced so that the cells between them, as flat as triangles, stay about within `chord` mm of
/// the surface and turn by no more than `angle` radians; `density` makes them closer by a factor. Domain ends are among
/// them, and knots at which the surface may have a kink; spans that one cell follows are not told apart.
#[must_use]
pub fn parameter_lines(surface: &NurbsSurface, chord: f64, angle: f64, density: f64) -> (Vec<f64>, Vec<f64>) {
    check_work();
    let (us, vs) = (surface.knots_u().breaks(), surface.knots_v().breaks());
    let spread = |breaks: &[f64]| -> Vec<f64> {
        let mut out = Vec::new();
        for pair in breaks.windows(2) {
            let d = Domain::new(pair[0], pair[1]);
            out.extend((0..ACROSS).map(|k| d.at((k as f64 + 0.02) / (ACROSS as f64 - 0.96))));
        }
        out
    };
    let (su, sv) = (spread(&us), spread(&vs));
    let mut steps_u = vec![0.0_f64; us.len() - 1];
    let mut steps_v = vec![0.0_f64; vs.len() - 1];
    let (mut along_u, mut along_v) = (steps_u.clone(), steps_v.clone());
    let mut by_twist = DMatrix::<f64>::zeros(us.len() - 1, vs.len() - 1);
    for (i, &u) in su.iter().enumerate() {
        for (j, &v) in sv.iter().enumerate() {
            let d = surface.derivatives(u, v);
            let Some(n) = d.area_vector().try_normalize(1e-12) else { continue };
            let ask = |[steps, along]: [&mut [f64]; 2],
                       k: usize,
                       breaks: &[f64],
                       first: &Vector3,
                       second: &Vector3| {
                let h = breaks[k + 1] - breaks[k];
                let bend = second.dot(&n).abs();
                // Both directions share the chord tolerance where the surface bends both ways.
                let by_chord = h * (bend / (8.0 * SHARE * chord)).sqrt();
                let by_angle = h * bend / (first.norm().max(1e-12) * angle);
                steps[k] = steps[k].max(by_chord).max(by_angle);
                along[k] = along[k].max(h * first.norm());
            };
            ask([&mut steps_u, &mut along_u], i / ACROSS, &us, &d.u, &d.uu);
            ask([&mut steps_v, &mut along_v], j / ACROSS, &vs, &d.v, &d.vv);
            // A twist lifts the middle of a cell off its sides, by a quarter of what it turns over the cell.
            let cell = (us[i / ACROSS + 1] - us[i / ACROSS]) * (vs[j / ACROSS + 1] - vs[j / ACROSS]);
            let cells = &mut by_twist[(i / ACROSS, j / ACROSS)];
            *cells = cells.max(d.uv.dot(&n).abs() * cell / (4.0 * SHARE * chord));
        }
    }
    // It asks for that many cells; where a bend divides the one direction well enough already, for the rest in the other.
    let bent = (steps_u.clone(), steps_v.clone());
    for i in 0..steps_u.len() {
        for j in 0..steps_v.len() {
            let (cells, n, m) = (by_twist[(i, j)], bent.0[i], bent.1[j]);
            let even = cells.sqrt();
            let (n, m) = match () {
                () if m > even => (cells / m, m),
                () if n > even => (n, cells / n),
                () => (even, even),
            };
            steps_u[i] = steps_u[i].max(n);
            steps_v[j] = steps_v[j].max(m);
        }
    }
    let lines = |knots: &KnotVector, breaks: &[f64], steps: &[f64], lengths: &[f64]| {
        let mut out = vec![breaks[0]];
        for [first, last] in knots.smooth_runs() {
            let mut begin = first;
            for k in first..last {
                let over = begin..k + 2;
                if k + 1 < last && one_cell_follows(&steps[over.clone()], &lengths[over], density) {
                    continue;
                }
                let asked = steps[begin..=k].iter().sum::<f64>();
                let n = (asked * density).ceil() as usize;
                let n = n.clamp(1, MAX_LINES / steps.len() + 1);
                let d = Domain::new(out[out.len() - 1], breaks[k + 1]);
                out.extend((1..=n).map(|k| d.at(k as f64 / n as f64)));
                begin = k + 1;
            }
        }
        out
    };
    (lines(surface.knots_u(), &us, &steps_u, &along_u), lines(surface.knots_v(), &vs, &steps_v, &along_v))
}

/// Whether one cell over several spans, each with the steps that it asks for by itself and its length, follows them.
///
/// Bends add up, whichever way they go, and most where what lies beside them is long: at the end of a straight piece a bend
/// lifts the surface off the chord over both by four times of what it does off its own. By Green's function of the chord, a
/// span with the curvature k and the length a, its middle at m of the whole length h, lifts it by up to k a m (h - m) / h.
fn one_cell_follows(steps: &[f64], lengths: &[f64], density: f64) -> bool {
    let whole: f64 = lengths.iter().sum();
    let (mut passed, mut lifted) = (0.0, 0.0);
    for (asked, length) in steps.iter().zip(lengths) {
        let middle = passed + 0.5 * length;
        if *length > 0.0 {
            lifted += 8.0 * asked * asked * middle * (whole - middle) / (length * whole);
        }
        passed += length;
    }
    steps.iter().sum::<f64>() <= 1.0 && lifted * density * density <= 1.0
}
