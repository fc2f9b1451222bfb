use crate::{Domain, NurbsSurface, Vector3};

/// Most lines per direction.
const MAX_LINES: usize = 4000;
/// Share of the chord tolerance for each way in which a surface bends.
const SHARE: f64 = 0.55;
/// Places in a span, and across it, at which a bend is looked at.
const ACROSS: usize = 3;

/// Parameter lines in u and v, domain ends and knots included, spaced so that the cells between them, as flat as triangles,
/// stay about within `chord` mm of the surface and turn by no more than `angle` radians; `density` makes them closer by a
/// factor.
#[must_use]
pub fn parameter_lines(surface: &NurbsSurface, chord: f64, angle: f64, density: f64) -> (Vec<f64>, Vec<f64>) {
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
    let mut steps_u = vec![1.0f64; us.len() - 1];
    let mut steps_v = vec![1.0f64; vs.len() - 1];
    for (i, &u) in su.iter().enumerate() {
        for (j, &v) in sv.iter().enumerate() {
            let d = surface.derivatives(u, v);
            let Some(n) = d.area_vector().try_normalize(1e-12) else { continue };
            let ask = |steps: &mut [f64], k: usize, breaks: &[f64], first: &Vector3, second: &Vector3| {
                let h = breaks[k + 1] - breaks[k];
                let bend = second.dot(&n).abs();
                // Both directions share the chord tolerance where the surface bends both ways.
                let by_chord = h * (bend / (8.0 * SHARE * chord)).sqrt();
                let by_angle = h * bend / (first.norm().max(1e-12) * angle);
                steps[k] = steps[k].max(by_chord).max(by_angle);
            };
            ask(&mut steps_u, i / ACROSS, &us, &d.u, &d.uu);
            ask(&mut steps_v, j / ACROSS, &vs, &d.v, &d.vv);
            // A twist lifts the middle of a cell off its sides, by a quarter of what it turns over the cell.
            let cell = (us[i / ACROSS + 1] - us[i / ACROSS]) * (vs[j / ACROSS + 1] - vs[j / ACROSS]);
            let by_twist = (d.uv.dot(&n).abs() * cell / (4.0 * SHARE * chord)).sqrt();
            steps_u[i / ACROSS] = steps_u[i / ACROSS].max(by_twist);
            steps_v[j / ACROSS] = steps_v[j / ACROSS].max(by_twist);
        }
    }
    let lines = |breaks: &[f64], steps: &[f64]| {
        let mut out = vec![breaks[0]];
        for (pair, &n) in breaks.windows(2).zip(steps) {
            let n = if n <= 1.0 && density == 1.0 { 1 } else { (n * density).ceil() as usize };
            let n = n.clamp(1, MAX_LINES / (breaks.len() - 1) + 1);
            let d = Domain::new(pair[0], pair[1]);
            out.extend((1..=n).map(|k| d.at(k as f64 / n as f64)));
        }
        out
    };
    (lines(&us, &steps_u), lines(&vs, &steps_v))
}
