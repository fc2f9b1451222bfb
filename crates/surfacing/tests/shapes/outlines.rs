//! Outlines of many kinds, by chance, for tests of what is made from sections.

use std::f64::consts::TAU;

use geometry::{Frame, NurbsCurve, Point3, circle_arc, through_points};
use proptest::prelude::*;

use super::{ellipse, polygon};

/// Outlines in the plane z = 0 about the origin, some with corners, some smooth, in one piece or several.
#[derive(Debug, Clone)]
pub enum Family {
    Ellipse {
        a: f64,
        b: f64,
    },
    /// Corners of a polygon, by angle and radius, each rounded or not.
    Rounded {
        radii: Vec<f64>,
        rounding: f64,
    },
    /// A spline through points whose ends meet at a corner.
    Drop {
        radii: Vec<f64>,
    },
    /// The upper and the lower side of an aerofoil-like outline, its trailing edge sharp or blunt.
    Foil {
        thickness: f64,
        blunt: bool,
    },
}

pub fn families() -> impl Strategy<Value = Family> {
    let radii = || prop::collection::vec(14.0..22.0f64, 4..7);
    prop_oneof![
        (8.0..30.0f64, 8.0..30.0f64).prop_map(|(a, b)| Family::Ellipse { a, b }),
        (radii(), prop::sample::select(vec![0.0, 1.0, 3.0]))
            .prop_map(|(radii, rounding)| Family::Rounded { radii, rounding }),
        radii().prop_map(|radii| Family::Drop { radii }),
        (0.06..0.24f64, prop::bool::ANY).prop_map(|(thickness, blunt)| Family::Foil { thickness, blunt }),
    ]
}

impl Family {
    /// The same with what lies below the x axis as a likeness of what lies above it.
    pub fn symmetric(self) -> Self {
        let likeness = |radii: Vec<f64>| {
            let n = radii.len();
            (0..n).map(|k| radii[k.min((n - k) % n)]).collect()
        };
        match self {
            Self::Rounded { radii, rounding } => Self::Rounded { radii: likeness(radii), rounding },
            Self::Drop { radii } => Self::Drop { radii: likeness(radii) },
            own => own,
        }
    }

    pub fn outline(&self) -> Vec<NurbsCurve> {
        let around = |radii: &[f64]| -> Vec<[f64; 3]> {
            let at = |(k, r): (usize, &f64)| {
                let angle = TAU * k as f64 / radii.len() as f64;
                [r * angle.cos(), r * angle.sin(), 0.0]
            };
            radii.iter().enumerate().map(at).collect()
        };
        match self {
            Self::Ellipse { a, b } => vec![ellipse(*a, *b, 0.0, 0.0)],
            Self::Rounded { radii, rounding } if *rounding == 0.0 => polygon(&around(radii)),
            Self::Rounded { radii, rounding } => rounded(&around(radii), *rounding),
            Self::Drop { radii } => {
                let mut points: Vec<Point3> = around(radii).into_iter().map(Point3::from).collect();
                points.push(points[0]);
                vec![through_points(&points, 1e-6).unwrap()]
            }
            Self::Foil { thickness, blunt } => {
                let edge = if *blunt { 0.01 } else { 0.0 };
                let side = |up: f64| -> Vec<Point3> {
                    let at = |k: usize| {
                        let x = (k as f64 / 16.0).powi(2);
                        let half = thickness * (1.48 * (x.sqrt() - x) + 0.4 * x * (1.0 - x)) + 0.5 * edge * x;
                        Point3::new(60.0 * (x - 0.4), 60.0 * up * half, 0.0)
                    };
                    (0..=16).map(at).collect()
                };
                let upper = through_points(&side(1.0).into_iter().rev().collect::<Vec<_>>(), 1e-6).unwrap();
                let lower = through_points(&side(-1.0), 1e-6).unwrap();
                let mut out = vec![upper, lower];
                if *blunt {
                    out.push(NurbsCurve::line(out[1].end(), out[0].start()));
                }
                out
            }
        }
    }
}

/// A polygon with its corners rounded by arcs.
fn rounded(corners: &[[f64; 3]], radius: f64) -> Vec<NurbsCurve> {
    let n = corners.len();
    let p = |k: usize| Point3::from(corners[k % n]);
    let arc = |k: usize| {
        let (before, here, after) = (p(k + n - 1), p(k), p(k + 1));
        let (a, b) = ((before - here).normalize(), (after - here).normalize());
        let half = 0.5 * a.angle(&b);
        let middle = here + (a + b).normalize() * (radius / half.sin());
        let from = here + a * (radius / half.tan());
        let frame = Frame::new(middle, from - middle, -a).unwrap();
        circle_arc(&frame, radius, 0.0, TAU * 0.5 - 2.0 * half).unwrap()
    };
    let arcs: Vec<NurbsCurve> = (0..n).map(arc).collect();
    (0..n)
        .flat_map(|k| [arcs[k].clone(), NurbsCurve::line(arcs[k].end(), arcs[(k + 1) % n].start())])
        .collect()
}

/// The area inside a closed plane outline by Green's theorem, with Simpson's rule on parts of its knot spans.
pub fn area(outline: &[NurbsCurve]) -> f64 {
    let mut sum = 0.0;
    for curve in outline {
        let f = |t: f64| {
            let (p, v) = curve.moving(t);
            0.5 * (p.x * v.y - p.y * v.x)
        };
        for w in curve.knots().sampled(200).windows(2) {
            sum += (w[1] - w[0]) / 6.0 * (f(w[0]) + 4.0 * f(0.5 * (w[0] + w[1])) + f(w[1]));
        }
    }
    sum.abs()
}
