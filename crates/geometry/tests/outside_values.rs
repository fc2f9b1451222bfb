//! More published values and identities: bases, conics, curvatures. Setups named as in the books and standards; book
//! numbers are quoted from memory, digits were computed independently of this project.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_1_SQRT_2, FRAC_PI_2, PI, SQRT_2, TAU};

use geometry::{
    Frame, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, circle_arc, crossings, gauss_legendre,
    self_crossing,
};

fn p(x: f64, y: f64) -> Point3 {
    Point3::new(x, y, 0.0)
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

fn bezier(points: &[Point3], weights: Option<&[f64]>) -> NurbsCurve {
    NurbsCurve::try_new(KnotVector::bezier(points.len() - 1), points, weights).unwrap()
}

fn frame(x: Vector3, y: Vector3) -> Frame {
    Frame::new(Point3::origin(), x, y).unwrap()
}

fn knots_2() -> KnotVector {
    KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 4.0, 5.0, 5.0, 5.0]).unwrap()
}

fn curve_8() -> NurbsCurve {
    let knots =
        KnotVector::try_new(3, vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 5.0, 5.0, 5.0]).unwrap();
    let points =
        [(0.0, 0.0), (1.0, 2.0), (2.0, -1.0), (3.0, 3.0), (4.0, 0.0), (5.0, 2.0), (6.0, -2.0), (7.0, 1.0)];
    NurbsCurve::try_new(knots, &points.map(|(x, y)| p(x, y)), None).unwrap()
}

/// A curve whose y is the spline with the given coefficients and whose x is its parameter (BS-14: Greville).
fn graph(knots: KnotVector, coefficients: &[f64]) -> NurbsCurve {
    let points: Vec<Point3> = knots.greville().iter().zip(coefficients).map(|(x, y)| p(*x, *y)).collect();
    NurbsCurve::try_new(knots, &points, None).unwrap()
}

#[test]
fn basis_functions_have_their_integrals_and_precision() {
    // BS-13: integral of N_i is (u_(i+p+1) - u_i) / (p+1) (de Boor, chapter X).
    let expected = [1.0 / 3.0, 2.0 / 3.0, 1.0, 1.0, 2.0 / 3.0, 2.0 / 3.0, 1.0 / 3.0, 1.0 / 3.0];
    for (i, integral) in expected.iter().enumerate() {
        let mut coefficients = [0.0; 8];
        coefficients[i] = 1.0;
        let curve = graph(knots_2(), &coefficients);
        let mut sum = 0.0;
        for w in knots_2().breaks().windows(2) {
            for &(x, weight) in gauss_legendre(4) {
                sum += weight * (w[1] - w[0]) * curve.point(w[0] + x * (w[1] - w[0])).y;
            }
        }
        near(sum, *integral, 1e-14);
    }
    // BS-15: Marsden's identity: Greville coefficients give u, u_(i+1) u_(i+2) give u squared.
    let squares = graph(knots_2(), &[0.0, 0.0, 2.0, 6.0, 12.0, 16.0, 20.0, 25.0]);
    for u in [1.0 / 3.0, 17.0 / 8.0, 22.0 / 5.0] {
        let q = squares.point(u);
        near(q.x, u, 1e-14);
        near(q.y, u * u, 1e-13);
    }
    // BS-16: the uniform cubic basis at a knot and at mid-span, away from the clamped ends.
    let knots = KnotVector::clamped_uniform(3, 12).unwrap();
    let breaks = knots.breaks();
    let (at, middle) = (breaks[4], 0.5 * (breaks[4] + breaks[5]));
    let values = knots.basis(knots.span(at), at);
    for (value, expected) in values.iter().zip([1.0 / 6.0, 4.0 / 6.0, 1.0 / 6.0, 0.0]) {
        near(*value, expected, 1e-15);
    }
    let values = knots.basis(knots.span(middle), middle);
    for (value, expected) in values.iter().zip([1.0 / 48.0, 23.0 / 48.0, 23.0 / 48.0, 1.0 / 48.0]) {
        near(*value, expected, 1e-15);
    }
    // BS-20: at a double knot a quadratic is only continuous: N5' is 2 on its left and -2 on its right.
    let mut coefficients = [0.0; 8];
    coefficients[5] = 1.0;
    let bump = graph(knots_2(), &coefficients);
    near(bump.derivatives(4.0 - 1e-10).1[0].y, 2.0, 1e-8);
    near(bump.derivatives(4.0).1[0].y, -2.0, 1e-9);
}

#[test]
fn curves_keep_their_ends_under_every_form() {
    // BS-19, section 3.3: end derivatives.
    let curve = curve_8();
    assert!((curve.derivatives(0.0).1[0] - Vector3::new(3.0, 6.0, 0.0)).norm() < 1e-13);
    assert!((curve.derivatives(5.0).1[0] - Vector3::new(3.0, 9.0, 0.0)).norm() < 1e-13);
    // BS-09: elevation of (0,0), (1,2), (2,0).
    let raised = bezier(&[p(0.0, 0.0), p(1.0, 2.0), p(2.0, 0.0)], None).elevated().unwrap();
    let expected = [(0.0, 0.0), (2.0 / 3.0, 4.0 / 3.0), (4.0 / 3.0, 4.0 / 3.0), (2.0, 0.0)];
    for (q, (x, y)) in raised.control_points().iter().zip(expected) {
        assert!((q - p(x, y)).norm() < 1e-14);
    }
    // BS-24: reversed curves are the same curve.
    let back = curve.reversed();
    for k in 0..=50 {
        let u = f64::from(k) * 0.1;
        assert!((curve.point(u) - back.point(5.0 - u)).norm() < 1e-13);
    }
    // BS-26: the scalar cubic 0, 3, -1, 2 has its extremes where 9 - 42 t + 42 t^2 = 0.
    let scalar = bezier(&[p(0.0, 0.0), p(1.0 / 3.0, 3.0), p(2.0 / 3.0, -1.0), p(1.0, 2.0)], None);
    let root = |sign: f64| (42.0 + sign * (42.0f64 * 42.0 - 4.0 * 42.0 * 9.0).sqrt()) / 84.0;
    near(scalar.point(root(-1.0)).y, 1.188_982_236_504_614, 1e-12);
    near(scalar.point(root(1.0)).y, 0.811_017_763_495_386_4, 1e-12);
}

#[test]
fn conics_are_exact_rationals() {
    // EX-01: a quarter circle; its parameter is no angle.
    let quarter = bezier(&[p(1.0, 0.0), p(1.0, 1.0), p(0.0, 1.0)], Some(&[1.0, FRAC_1_SQRT_2, 1.0]));
    let q = quarter.point(0.25);
    near(q.y.atan2(q.x).to_degrees(), 21.598_160_983_692_44, 1e-11);
    near(quarter.derivatives(0.0).1[0].y, SQRT_2, 1e-13);
    // EX-04: seven points, three arcs of 120 degrees with middle weight 1/2.
    let r3 = 3f64.sqrt();
    let knots =
        KnotVector::try_new(2, [0.0, 0.0, 0.0, 1.0, 1.0, 2.0, 2.0, 3.0, 3.0, 3.0].map(|k| k / 3.0).to_vec())
            .unwrap();
    let triangle = [
        p(r3 / 2.0, 0.5),
        p(0.0, 2.0),
        p(-r3 / 2.0, 0.5),
        p(-r3, -1.0),
        p(0.0, -1.0),
        p(r3, -1.0),
        p(r3 / 2.0, 0.5),
    ];
    let seven = NurbsCurve::try_new(knots, &triangle, Some(&[1.0, 0.5, 1.0, 0.5, 1.0, 0.5, 1.0])).unwrap();
    // EX-05: half a circle in one cubic, a whole one in one quintic.
    let half = bezier(
        &[p(1.0, 0.0), p(1.0, 2.0), p(-1.0, 2.0), p(-1.0, 0.0)],
        Some(&[1.0, 1.0 / 3.0, 1.0 / 3.0, 1.0]),
    );
    let whole =
        [(1.0, 0.0), (1.0, 4.0), (-3.0, 2.0), (-3.0, -2.0), (1.0, -4.0), (1.0, 0.0)].map(|(x, y)| p(x, y));
    let whole = bezier(&whole, Some(&[1.0, 0.2, 0.2, 0.2, 0.2, 1.0]));
    for curve in [&quarter, &seven, &half, &whole] {
        for k in 0..=60 {
            near(curve.point(f64::from(k) / 60.0).coords.norm(), 1.0, 1e-14);
        }
    }
    near(seven.length(), TAU, 1e-10);
    // EX-06: the middle weight tells ellipse, parabola and hyperbola apart by the shoulder's height w / (1 + w).
    for w in [0.5, 1.0, 2.0] {
        let conic = bezier(&[p(-1.0, 0.0), p(0.0, 1.0), p(1.0, 0.0)], Some(&[1.0, w, 1.0]));
        near(conic.point(0.5).y, w / (1.0 + w), 1e-15);
    }
    // EX-07: the hyperbola x^2 - y^2 = 1.
    let (c, s) = (1f64.cosh(), 1f64.sinh());
    let branch = bezier(&[p(c, -s), p(1.0 / c, 0.0), p(c, s)], Some(&[1.0, c, 1.0]));
    for k in 0..=40 {
        let q = branch.point(f64::from(k) / 40.0);
        near(q.x * q.x - q.y * q.y, 1.0, 1e-13);
    }
    // EX-11: the best known polynomial cubic stays outside by at most 2.7253e-4.
    let k = 4.0 * (SQRT_2 - 1.0) / 3.0;
    let cubic = bezier(&[p(1.0, 0.0), p(1.0, k), p(k, 1.0), p(0.0, 1.0)], None);
    let worst =
        (0..=4000).map(|i| cubic.point(f64::from(i) / 4000.0).coords.norm() - 1.0).fold(0.0, f64::max);
    near(worst, 0.000_272_530_007_427_705_5, 1e-9);
}

/// A curve in the xz plane turned once about z, row by row round.
fn turned(meridian: &NurbsCurve) -> NurbsSurface {
    let round = circle_arc(&frame(Vector3::x(), Vector3::y()), 1.0, 0.0, TAU).unwrap();
    let mut net = Vec::new();
    for c in round.homogeneous() {
        for m in meridian.homogeneous() {
            let (r, z) = (m.x / m.w, m.z / m.w);
            let w = c.w * m.w;
            net.push(geometry::Homogeneous::new(c.x / c.w * r * w, c.y / c.w * r * w, z * w, w));
        }
    }
    NurbsSurface::from_homogeneous(round.knots().clone(), meridian.knots().clone(), net).unwrap()
}

fn xz_arc(centre: (f64, f64), radius: f64, start: f64, sweep: f64) -> NurbsCurve {
    let at = Frame { origin: Point3::new(centre.0, 0.0, centre.1), ..frame(Vector3::x(), Vector3::z()) };
    circle_arc(&at, radius, start, sweep).unwrap()
}

#[test]
fn turned_surfaces_bend_as_differential_geometry_says() {
    // do Carmo, sections 3-2 and 3-3. CV-01: a sphere of radius 3.
    let sphere = turned(&xz_arc((0.0, 0.0), 3.0, -FRAC_PI_2, PI));
    // CV-02: a cylinder of radius 2. CV-03: a cone of half angle 30 degrees where it is 1 wide.
    let line = |a: (f64, f64), b: (f64, f64)| {
        NurbsCurve::line(Point3::new(a.0, 0.0, a.1), Point3::new(b.0, 0.0, b.1))
    };
    let cylinder = turned(&line((2.0, 0.0), (2.0, 5.0)));
    let cone = turned(&line((0.5, 0.0), (1.5, 1.0 / (PI / 6.0).tan())));
    for k in 1..20 {
        let (u, v) = (f64::from(k) / 20.0, f64::from(20 - k) / 20.0);
        let (gauss, mean) = sphere.derivatives(u, v).curvatures().unwrap();
        near(gauss, 1.0 / 9.0, 1e-12);
        near(mean.abs(), 1.0 / 3.0, 1e-12);
        let (gauss, mean) = cylinder.derivatives(u, v).curvatures().unwrap();
        near(gauss, 0.0, 1e-13);
        near(mean.abs(), 0.25, 1e-13);
    }
    let (gauss, mean) = cone.derivatives(0.37, 0.5).curvatures().unwrap();
    near(gauss, 0.0, 1e-12);
    near(2.0 * mean.abs(), 0.866_025_403_784_438_6, 1e-12);
    // CV-04, CV-05: the torus 3, 1, by the angle of the tube that a place's own distance from the axis tells.
    let torus = turned(&xz_arc((3.0, 0.0), 1.0, 0.0, TAU));
    for k in 0..12 {
        let d = torus.derivatives(0.13, f64::from(k) / 12.0);
        let rho = d.point.coords.xy().norm();
        let cos = rho - 3.0;
        let (gauss, mean) = d.curvatures().unwrap();
        near(gauss, cos / rho, 1e-11);
        near(mean.abs(), ((3.0 + 2.0 * cos) / (2.0 * rho)).abs(), 1e-11);
    }
}

#[test]
fn a_saddle_bends_as_its_formula_says() {
    // CV-09: z = x y: K = -1 / (1 + x^2 + y^2)^2, |H| = |x y| / (1 + x^2 + y^2)^1.5.
    let corner = |x: f64, y: f64| Point3::new(x, y, x * y);
    let saddle =
        NurbsSurface::bilinear(corner(-3.0, -3.0), corner(3.0, -3.0), corner(-3.0, 3.0), corner(3.0, 3.0));
    for (x, y, gauss, mean) in
        [(0.0, 0.0, -1.0, 0.0), (1.0, 2.0, -0.027_777_777_777_777_78, 0.136_082_763_487_954_3)]
    {
        let (k, h) = saddle.derivatives((x + 3.0) / 6.0, (y + 3.0) / 6.0).curvatures().unwrap();
        near(k, gauss, 1e-13);
        near(h.abs(), mean, 1e-13);
    }
}

#[test]
fn crossings_are_where_algebra_puts_them() {
    // IN-10: two crossed ellipses meet at (+-2 / sqrt 5, +-2 / sqrt 5).
    let circle = circle_arc(&frame(Vector3::x(), Vector3::y()), 1.0, 0.0, TAU).unwrap();
    let wide = circle.mapped(|q| p(2.0 * q.x, q.y));
    let high = circle.mapped(|q| p(q.x, 2.0 * q.y));
    let found = crossings(&wide, &high, 1e-3);
    assert_eq!(found.len(), 4);
    for c in found {
        near(c.point.x.abs(), 0.894_427_190_999_915_9, 1e-12);
        near(c.point.y.abs(), 0.894_427_190_999_915_9, 1e-12);
    }
    // IN-11: the loop of a cubic crosses itself at (1/2, 3/8).
    let loops = bezier(&[p(0.0, 0.0), p(3.0, 2.0), p(-2.0, 2.0), p(1.0, 0.0)], None);
    let c = self_crossing(&[loops], false, 1e-4).unwrap();
    near(c.point.x, 0.5, 1e-11);
    near(c.point.y, 0.375, 1e-11);
    let mut parameters = [c.first_parameter, c.second_parameter];
    parameters.sort_by(f64::total_cmp);
    near(parameters[0], 0.066_987_298_107_780_68, 1e-11);
    near(parameters[1], 0.933_012_701_892_219_3, 1e-11);
}
