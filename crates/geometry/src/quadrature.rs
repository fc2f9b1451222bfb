use std::sync::OnceLock;

const LARGEST: usize = 32;

/// Nodes in `[0, 1]` and weights (sum 1) of the Gauss-Legendre rule with `count` points, 1 to 32.
///
/// # References
/// Abramowitz & Stegun 25.4.29; nodes by Newton's method on the Legendre recurrence.
#[must_use]
pub fn gauss_legendre(count: usize) -> &'static [(f64, f64)] {
    static RULES: OnceLock<Vec<Vec<(f64, f64)>>> = OnceLock::new();
    let rules = RULES.get_or_init(|| (0..=LARGEST).map(rule).collect());
    &rules[count.clamp(1, LARGEST)]
}

fn rule(n: usize) -> Vec<(f64, f64)> {
    let legendre = |x: f64| {
        let (mut p0, mut p1) = (1.0, x);
        for k in 2..=n {
            let k = k as f64;
            (p0, p1) = (p1, ((2.0 * k - 1.0) * x * p1 - (k - 1.0) * p0) / k);
        }
        (p1, n as f64 * (x * p1 - p0) / (x * x - 1.0))
    };
    (0..n)
        .map(|i| {
            let mut x = -(std::f64::consts::PI * (i as f64 + 0.75) / (n as f64 + 0.5)).cos();
            for _ in 0..100 {
                let (p, slope) = legendre(x);
                let step = p / slope;
                x -= step;
                if step.abs() < 1e-16 {
                    break;
                }
            }
            if 2 * i + 1 == n {
                x = 0.0;
            }
            let slope = legendre(x).1;
            (0.5 * (x + 1.0), 1.0 / ((1.0 - x * x) * slope * slope))
        })
        .collect()
}
