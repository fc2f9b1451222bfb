//! Curvatures as the map shows them, and combs, against formulas of classical surfaces.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_1_SQRT_2, PI};
use std::sync::Arc;

use geometry::{
    GeometryError, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, fit_surface,
};
use topology::{Bounding, MeshTolerance, bounded_shell, curvatures, mesh, natural_shell, surface_combs};

/// What the map shows of a surface: each corner of its mesh with Gaussian and mean curvature.
fn map(surface: NurbsSurface, chord: f64) -> Vec<(Point3, f64, f64)> {
    let shell = natural_shell(Arc::new(surface), "side", &Tolerance::default()).unwrap();
    let mesh = mesh(&shell, MeshTolerance::chord(chord)).unwrap();
    let bends = curvatures(&shell, &mesh);
    let corners = mesh.faces[0].vertices.iter().zip(&bends[0]);
    corners.map(|(v, [k, h])| (mesh.positions[v.position as usize], *k, *h)).collect()
}

/// The nine-point circle's corners and weights (The NURBS Book, section 7.5), about the origin.
fn circle() -> (KnotVector, Vec<[f64; 3]>) {
    let knots = vec![0.0, 0.0, 0.0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1.0, 1.0, 1.0];
    let w = FRAC_1_SQRT_2;
    let points = [(1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1), (0, -1), (1, -1), (1, 0)];
    let at =
        |(k, (x, y)): (usize, (i32, i32))| [f64::from(x), f64::from(y), if k % 2 == 0 { 1.0 } else { w }];
    (KnotVector::try_new(2, knots).unwrap(), points.into_iter().enumerate().map(at).collect())
}

/// A circle of radius r in the plane of the axis, R out from it, turned all the way round (section 8.5).
fn torus(large: f64, small: f64) -> NurbsSurface {
    let (knots, ring) = circle();
    let net: Vec<Homogeneous> = ring
        .iter()
        .flat_map(|a| {
            ring.iter().map(move |b| {
                let (rho, z, w) = (large + small * b[0], small * b[1], a[2] * b[2]);
                Homogeneous::new(rho * a[0] * w, rho * a[1] * w, z * w, w)
            })
        })
        .collect();
    NurbsSurface::from_homogeneous(knots.clone(), knots, net).unwrap()
}

/// An ellipsoid as a sphere that is stretched: half a circle turned all the way round, then scaled.
fn ellipsoid([a, b, c]: [f64; 3]) -> NurbsSurface {
    let (knots, ring) = circle();
    let half = KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 0.5, 0.5, 1.0, 1.0, 1.0]).unwrap();
    let arc = [
        [0.0, -1.0, 1.0],
        [1.0, -1.0, FRAC_1_SQRT_2],
        [1.0, 0.0, 1.0],
        [1.0, 1.0, FRAC_1_SQRT_2],
        [0.0, 1.0, 1.0],
    ];
    let net: Vec<Homogeneous> = ring
        .iter()
        .flat_map(|p| {
            arc.iter().map(move |q| {
                let w = p[2] * q[2];
                Homogeneous::new(a * q[0] * p[0] * w, b * q[0] * p[1] * w, c * q[1] * w, w)
            })
        })
        .collect();
    NurbsSurface::from_homogeneous(knots, half, net).unwrap()
}

fn fitted(at: impl Fn(f64, f64) -> Point3, ends: [[f64; 2]; 2]) -> NurbsSurface {
    let at = |u: f64, v: f64| Ok::<_, GeometryError>(at(u, v));
    fit_surface(at, [&ends[0], &ends[1]], [false, false], 1e-7).unwrap().surface
}

#[test]
fn the_map_shows_the_curvatures_of_classical_surfaces() {
    // CV-04, CV-05: the torus 3, 1: K = cos phi / (r (R + r cos phi)), |H| = |R + 2 r cos phi| / (2 r (R + r cos phi)).
    for (p, k, h) in map(torus(3.0, 1.0), 0.05) {
        let cos = p.x.hypot(p.y) - 3.0;
        assert!((k - cos / (3.0 + cos)).abs() < 1e-9, "{p}");
        assert!((h.abs() - (3.0 + 2.0 * cos).abs() / (2.0 * (3.0 + cos))).abs() < 1e-9, "{p}");
    }
    // CV-08: the ellipsoid 3, 2, 1; at its poles the net has no normal, and a place beside them counts.
    for (p, k, h) in map(ellipsoid([3.0, 2.0, 1.0]), 0.02) {
        let s = p.x * p.x / 81.0 + p.y * p.y / 16.0 + p.z * p.z;
        let known = 1.0 / (36.0 * s * s);
        let mean = (p.coords.norm_squared() - 14.0).abs() / (72.0 * s.powf(1.5));
        assert!(
            (k - known).abs() < 1e-3 * known && (h.abs() - mean).abs() < 1e-3 * mean,
            "{p}: {k} for {known}"
        );
    }
    // CV-06: the catenoid rho = 2 cosh(z / 2): K = -1 / (4 cosh^4(z / 2)), H = 0.
    let catenoid = fitted(
        |u, v| Point3::new(2.0 * (v / 2.0).cosh() * u.cos(), 2.0 * (v / 2.0).cosh() * u.sin(), v),
        [[0.0, 2.0], [-1.5, 1.5]],
    );
    for (p, k, h) in map(catenoid, 0.01) {
        let known = -1.0 / (4.0 * (p.z / 2.0).cosh().powi(4));
        assert!((k - known).abs() < 2e-3 && h.abs() < 2e-3, "{p}: {k} for {known}, {h}");
    }
    // CV-07: the helicoid (v cos u, v sin u, 2 u): K = -4 / (4 + v^2)^2, H = 0.
    let helicoid = fitted(|u, v| Point3::new(v * u.cos(), v * u.sin(), 2.0 * u), [[0.0, 2.0], [-1.0, 1.0]]);
    for (p, k, h) in map(helicoid, 0.01) {
        let known = -4.0 / (4.0 + p.x * p.x + p.y * p.y).powi(2);
        assert!((k - known).abs() < 2e-3 && h.abs() < 2e-3, "{p}: {k} for {known}, {h}");
    }
}

#[test]
fn euler_and_the_largest_curvature_agree() {
    // CV-15: on the torus 3, 1 at phi = 60 degrees, kappa_n = k1 cos^2 + k2 sin^2 for directions 0, 30, 45, 90 degrees from
    // the tube's meridian.
    let surface = torus(3.0, 1.0);
    let foot = geometry::closest_on_surface(&surface, &Point3::new(0.0, 3.5, (PI / 3.0).sin()));
    let d = surface.derivatives(foot.parameters[0], foot.parameters[1]);
    let (along, meridian) = (d.u.normalize(), d.v.normalize());
    for (degrees, known) in [
        (0.0_f64, 1.0),
        (30.0, 0.785_714_285_714_285_7),
        (45.0, 0.571_428_571_428_571_4),
        (90.0, 0.142_857_142_857_142_9),
    ] {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let found = d.normal_curvature(&(meridian * cos + along * sin)).unwrap().abs();
        assert!((found - known).abs() < 1e-9, "{found} for {known}");
    }
    assert!((d.largest_curvature() - 1.0).abs() < 1e-9);
}

#[test]
fn combs_stand_outside_as_long_as_the_curvature_and_end_with_the_face() {
    let (knots, ring) = circle();
    let lift = |z: f64| {
        ring.iter().map(move |p| Homogeneous::new(5.0 * p[0] * p[2], 5.0 * p[1] * p[2], z * p[2], p[2]))
    };
    let [low, high] =
        [0.0, 8.0].map(|z| NurbsCurve::from_homogeneous(knots.clone(), lift(z).collect()).unwrap());
    let wall = NurbsSurface::ruled(&low, &high).unwrap();
    let shell = natural_shell(Arc::new(wall), "wall", &Tolerance::default()).unwrap();
    let combs = surface_combs(&shell.faces()[0], 3, 24);
    assert_eq!(combs.len(), 6);
    for tooth in combs.iter().flatten() {
        // Round the wall 1 / r, straight up nothing.
        let length = tooth.out.norm();
        assert!(length < 1e-9 || (length - 0.2).abs() < 1e-9, "{length}");
        assert!(length < 1e-9 || tooth.out.dot(&tooth.at.coords) > 0.0);
    }
    // A round part of a plane: combs end at its edge.
    let plane = NurbsSurface::bilinear(
        Point3::new(-9.0, -9.0, 0.0),
        Point3::new(9.0, -9.0, 0.0),
        Point3::new(-9.0, 9.0, 0.0),
        Point3::new(9.0, 9.0, 0.0),
    );
    let pcurve = low.mapped(|p| Point3::new((p.x + 9.0) / 18.0, (p.y + 9.0) / 18.0, 0.0));
    let run = vec![Bounding { curve: low.clone(), pcurve }];
    let disc = bounded_shell(&Arc::new(plane), &[run], "disc", &Tolerance::default()).unwrap();
    assert!((topology::area(&disc) - PI * 25.0).abs() < 1e-6);
    let inside = surface_combs(&disc.faces()[0], 5, 24)
        .into_iter()
        .flatten()
        .all(|t| t.at.coords.norm() <= 5.0 + 1e-9);
    assert!(inside);
}

#[test]
fn knots_alone_make_no_mesh_finer() {
    // A wave along x drawn out along y, with borders that wave across that, and the same with hundreds of knots more. The
    // area under the arc length of the wave, by a fine polygon, is what both meshes come to.
    let net: Vec<Point3> = (0..8)
        .flat_map(|i| {
            [-40.0, 40.0].map(|y| Point3::new(10.0 * f64::from(i), y, if i % 2 == 0 { 4.0 } else { -4.0 }))
        })
        .collect();
    let knots = KnotVector::clamped_uniform(3, 8).unwrap();
    let plain = NurbsSurface::try_new(knots, KnotVector::bezier(1), &net, None).unwrap();
    let dense = (1..300).fold(plain.clone(), |s, k| s.with_knot_u(plain.domain().0.at(f64::from(k) / 300.0)));
    let wave = plain.curve_at_v(0.0);
    let places: Vec<Point3> =
        (0..=100_000).map(|k| wave.point(wave.domain().at(f64::from(k) / 1e5))).collect();
    let expected = 80.0 * places.windows(2).map(|w| (w[1] - w[0]).norm()).sum::<f64>();
    for chord in [0.1, 0.01] {
        let counts = [&plain, &dense].map(|surface| {
            let shell = natural_shell(Arc::new(surface.clone()), "wave", &Tolerance::default()).unwrap();
            let mesh = mesh(&shell, MeshTolerance::chord(chord)).unwrap();
            assert!(mesh.converged, "{}", mesh.max_deviation);
            let area: f64 = mesh
                .triangles()
                .map(|t| {
                    let [a, b, c] = t.map(|i| mesh.positions[i as usize]);
                    0.5 * (b - a).cross(&(c - a)).norm()
                })
                .sum();
            assert!((area / expected - 1.0).abs() < 0.02 * chord, "{area} for {expected}");
            mesh.triangles().count()
        });
        assert!(counts[1] <= 2 * counts[0], "{counts:?}");
    }
}

#[test]
fn a_sheet_with_straight_borders_is_meshed_sparingly() {
    // Its borders along x = 0 and y run straight, while it bends and twists inside: as fine along them as inside, and no finer.
    let knots = KnotVector::clamped_uniform(3, 20).unwrap();
    let at = |k: usize| {
        let (x, y) = (5.0 * (k / 20) as f64, 5.0 * (k % 20) as f64);
        Point3::new(x, y, 6.0 * (x / 15.0).sin() * (y / 18.0).cos())
    };
    let points: Vec<Point3> = (0..400).map(at).collect();
    let surface = NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap();
    let shell = natural_shell(Arc::new(surface), "sheet", &Tolerance::default()).unwrap();
    for (chord, most) in [(0.1, 4_000), (0.01, 30_000)] {
        let mesh = mesh(&shell, MeshTolerance::chord(chord)).unwrap();
        assert!(mesh.converged && mesh.max_deviation <= chord, "{}", mesh.max_deviation);
        assert!(mesh.positions.len() <= most, "{} for {chord}", mesh.positions.len());
    }
}
