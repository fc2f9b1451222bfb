//! Extrusions and flat faces against handbook values, at three scales.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::PI;

use geometry::{Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc};
use proptest::prelude::*;
use shapes::{SCALES, circle, ellipse, frame_at, mapped, named, near, polygon, sound, square};
use surfacing::{Outside, Reach, SurfacingError, Turn, extrude, flat, revolve};
use topology::{Body, closure};

/// Pulled out of a plane without draft, closed where it can be.
fn pulled(
    curves: Vec<NurbsCurve>,
    direction: Vector3,
    reach: &Reach,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    extrude(&named(curves), &direction, reach, 0.0, true, tolerance).map(|e| e.body)
}

/// With draft, from the plane upwards.
fn drafted(
    curves: Vec<NurbsCurve>,
    from: f64,
    to: f64,
    degrees: f64,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    let reach = Reach::Between(from, to);
    extrude(&named(curves), &Vector3::z(), &reach, degrees.to_radians(), true, tolerance).map(|e| e.body)
}

#[test]
fn outlines_extrude_into_prisms_with_their_holes() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let grown = |curves: Vec<NurbsCurve>| curves.into_iter().map(|c| c.mapped(|p| p * scale)).collect();
        let reach = Reach::Between(-2.0 * scale, 5.0 * scale);
        let make = |outline: Vec<NurbsCurve>| pulled(outline, Vector3::z(), &reach, &tolerance).unwrap();
        // A prism's volume is its base times its height (Euclid XI, 39 and XII, 7).
        near(sound(&make(grown(square(3.0, 0.0))), 0), 36.0 * 7.0 * scale.powi(3), 1e-9);
        near(sound(&make(grown(circle(3.0, 0.0))), 0), PI * 9.0 * 7.0 * scale.powi(3), 1e-6);
        let mut tube = circle(3.0, 0.0);
        tube.extend(circle(2.0, 0.0));
        near(sound(&make(grown(tube)), 1), PI * 5.0 * 7.0 * scale.powi(3), 1e-6);
    }
}

#[test]
fn an_extrusion_ends_at_a_slanted_plane_and_an_open_one_stays_a_surface() {
    let tolerance = Tolerance::default();
    // A round bar cut at a slant: area times the height over the middle.
    let plane = Frame::new(Point3::new(0.0, 0.0, 10.0), Vector3::y(), Vector3::new(1.0, 0.0, 0.7)).unwrap();
    let made = pulled(circle(3.0, 0.0), Vector3::z(), &Reach::UpTo(plane), &tolerance).unwrap();
    near(sound(&made, 0), PI * 9.0 * 10.0, 1e-6);
    let open = vec![NurbsCurve::line(Point3::origin(), Point3::new(4.0, 0.0, 0.0))];
    let sheet = pulled(open.clone(), Vector3::z(), &Reach::Between(0.0, 3.0), &tolerance).unwrap();
    let Body::Shell(shell) = &sheet else { panic!("a sheet is no solid") };
    assert_eq!((shell.faces().len(), closure(shell).free_edges.len()), (1, 4));
    near(sheet.measure().area, 12.0, 1e-9);
    let refused = |direction: Vector3, reach: Reach| pulled(open.clone(), direction, &reach, &tolerance);
    assert!(matches!(refused(Vector3::x(), Reach::Between(0.0, 3.0)), Err(SurfacingError::NoLength { .. })));
    assert!(matches!(refused(Vector3::z(), Reach::Between(2.0, 2.0)), Err(SurfacingError::NoLength { .. })));
    // Nothing stands on an outline that is moved in its own plane.
    for outline in [circle(3.0, 0.0), square(2.0, 1.0)] {
        let flat = pulled(outline, Vector3::new(0.6, 0.8, 0.0), &Reach::Between(0.0, 9.0), &tolerance);
        assert!(matches!(flat, Err(SurfacingError::NoLength { .. })));
    }
    let beside = Frame::new(Point3::new(0.0, 9.0, 0.0), Vector3::x(), Vector3::z()).unwrap();
    assert!(matches!(refused(Vector3::z(), Reach::UpTo(beside)), Err(SurfacingError::NoLength { .. })));
}

#[test]
fn outlines_side_by_side_are_no_solid_with_a_void() {
    let mut two = square(3.0, 0.0);
    two.extend(square(2.0, 0.0).into_iter().map(|c| c.mapped(|p| p + Vector3::x() * 20.0)));
    let make = |close| {
        extrude(
            &named(two.clone()),
            &Vector3::z(),
            &Reach::Between(0.0, 5.0),
            0.0,
            close,
            &Tolerance::default(),
        )
        .map(|e| e.body)
    };
    assert!(matches!(make(true), Err(SurfacingError::SideBySide { at }) if at[0] > 10.0));
    assert!(matches!(make(false), Ok(Body::Shell(_))));
}

#[test]
fn an_extruded_ellipse_has_the_handbooks_area_and_volume() {
    // LS-08: lateral area is perimeter times height, V = pi a b h (derived).
    let made = pulled(
        vec![ellipse(2.0, 1.0, 0.0, 0.0)],
        Vector3::z(),
        &Reach::Between(0.0, 7.0),
        &Tolerance::default(),
    )
    .unwrap();
    near(sound(&made, 0), 43.982_297_150_257_11, 1e-9);
    near(made.measure().area, 67.819_137_543_833_73 + 2.0 * 2.0 * PI, 1e-8);
}

#[test]
fn a_draft_narrows_an_outline_as_it_rises() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let grown = |c: Vec<NurbsCurve>| mapped(c, |p| p * scale);
        // DR-03: a rectangle 10 x 20, 5 high, 3 degrees inward (prismatoid, derived).
        let rectangle =
            grown(polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 20.0, 0.0], [0.0, 20.0, 0.0]]));
        let made = drafted(rectangle.clone(), 0.0, 5.0 * scale, 3.0, &tolerance).unwrap();
        near(sound(&made, 0), 961.151_928_092_615_8 * scale.powi(3), 1e-9);
        let (low, high) = topology::bounds(made.shells()[0]).unwrap();
        near(high.x - low.x, 10.0 * scale, 1e-9);
        // The draft measured back on the faces: 3 degrees on all four sides.
        for face in made.shells()[0].faces().iter().filter(|f| f.role.starts_with("side")) {
            let (u, v) = face.surface.domain();
            let normal = face.surface.normal(u.at(0.4), v.at(0.6)).unwrap();
            near(normal.z.abs().asin().to_degrees(), 3.0, 1e-9);
        }
        // Both ways from the plane in the middle, and run the other way round, it is twice that.
        let turned: Vec<NurbsCurve> = rectangle.iter().rev().map(NurbsCurve::reversed).collect();
        let both = drafted(turned, -5.0 * scale, 5.0 * scale, 3.0, &tolerance).unwrap();
        near(sound(&both, 0), 2.0 * 961.151_928_092_615_8 * scale.powi(3), 1e-9);
        // DR-01: a circle of radius 20 that rises by 40 with this draft is a frustum that ends with radius 18.
        let cone =
            drafted(grown(circle(20.0, 0.0)), 0.0, 40.0 * scale, 2.862_405_226_111_748, &tolerance).unwrap();
        let frustum = PI * 40.0 / 3.0 * (400.0 + 360.0 + 324.0);
        near(sound(&cone, 0), frustum * scale.powi(3), 1e-8);
    }
}

#[test]
fn a_hole_grows_wider_with_the_draft_and_rounded_corners_keep_it() {
    let tolerance = Tolerance::default();
    // Holes open upwards as the outside closes, so that the part comes off its mould (common practice, no source).
    let mut plate = square(20.0, 0.0);
    plate.extend(circle(5.0, 0.0));
    let made = drafted(plate, 0.0, 10.0, 2.0, &tolerance).unwrap();
    let step = 10.0 * 2.0_f64.to_radians().tan();
    let outside = 10.0 / 3.0 * (1600.0 + (2.0 * (20.0 - step)).powi(2) + 40.0 * 2.0 * (20.0 - step));
    let hole = PI * 10.0 / 3.0 * (25.0 + (5.0 + step).powi(2) + 5.0 * (5.0 + step));
    near(sound(&made, 1), outside - hole, 1e-7);
    // A slot: two lines and two half circles, all joints smooth; area and perimeter by plane geometry.
    let arc = |x: f64, begin: f64| {
        let frame = Frame { origin: Point3::new(x, 0.0, 0.0), ..frame_at(0.0) };
        circle_arc(&frame, 4.0, begin, PI).unwrap()
    };
    let line = |a: [f64; 2], b: [f64; 2]| {
        NurbsCurve::line(Point3::new(a[0], a[1], 0.0), Point3::new(b[0], b[1], 0.0))
    };
    let slot = vec![
        line([-10.0, -4.0], [10.0, -4.0]),
        arc(10.0, -PI / 2.0),
        line([10.0, 4.0], [-10.0, 4.0]),
        arc(-10.0, PI / 2.0),
    ];
    let made = drafted(slot, 0.0, 6.0, 5.0, &tolerance).unwrap();
    let k = 5.0_f64.to_radians().tan();
    // Steiner: A - P s + pi s^2, integrated over the height.
    let (area, around) = (160.0 + 16.0 * PI, 40.0 + 8.0 * PI);
    let volume = 6.0 * area - around * k * 18.0 + PI * k * k * 72.0;
    near(sound(&made, 0), volume, 1e-7);
}

#[test]
fn curved_pieces_grow_in_their_own_nature_at_corners_that_open_with_the_draft() {
    for (radius, rise, degrees) in
        [(4.0, 6.0, -5.0), (40.0, 3.0, -30.0), (1.0, 20.0, -1.0), (10.0, 30.0, -20.0)]
    {
        let tolerance = Tolerance::default();
        let slope = f64::tan(-f64::to_radians(degrees));
        let simpson = |area: &dyn Fn(f64) -> f64| {
            let weights = [1.0, 4.0, 1.0];
            (0..1000)
                .map(|i| {
                    (0..3).map(|j| weights[j] * area((i as f64 + 0.5 * j as f64) * rise * 1e-3)).sum::<f64>()
                })
                .sum::<f64>()
                * rise
                * 1e-3
                / 6.0
        };
        // A half disc: at every height a disc about the same middle, cut by a line as far below it as the sides have gone.
        let arc = circle_arc(&frame_at(0.0), radius, 0.0, PI).unwrap();
        let half = vec![arc.clone(), NurbsCurve::line(arc.end(), arc.start())];
        let made = drafted(half, 0.0, rise, degrees, &tolerance).unwrap();
        let above = |h: f64| {
            let (d, r) = (h * slope, radius + h * slope);
            0.5 * PI * r * r + d * (r * r - d * d).sqrt() + r * r * (d / r).asin()
        };
        let wanted = simpson(&above);
        near(sound(&made, 0), wanted, 2e-5 * wanted);
        // A lens of two equal arcs through the middles of each other's circles: two discs of one radius over each other.
        let shifted = |x: f64, from: f64| {
            let frame = Frame { origin: Point3::new(x, 0.0, 0.0), ..frame_at(0.0) };
            circle_arc(&frame, radius, from, PI / 1.5).unwrap()
        };
        let lens = vec![shifted(-0.5 * radius, -PI / 3.0), shifted(0.5 * radius, PI / 1.5)];
        let made = drafted(lens, 0.0, rise, degrees, &tolerance).unwrap();
        let common = |h: f64| {
            let r = radius + h * slope;
            2.0 * r * r * (0.5 * radius / r).acos() - 0.5 * radius * (4.0 * r * r - radius * radius).sqrt()
        };
        let wanted = simpson(&common);
        near(sound(&made, 0), wanted, 2e-5 * wanted);
    }
}

#[test]
fn a_draft_that_has_no_room_says_what_height_would_fit() {
    let tolerance = Tolerance::default();
    // A bar 4 wide with 45 degrees of draft meets itself at a height of 2.
    let bar = polygon(&[[0.0, 0.0, 0.0], [30.0, 0.0, 0.0], [30.0, 4.0, 0.0], [0.0, 4.0, 0.0]]);
    let refused = drafted(bar, 0.0, 5.0, 45.0, &tolerance).unwrap_err();
    let SurfacingError::DraftSwallows { fits, .. } = refused else { panic!("{refused}") };
    assert!((1.9..=2.001).contains(&fits), "{fits}");
    assert!(refused.place().is_some());
    assert!(matches!(
        drafted(square(3.0, 0.0), 0.0, 5.0, 85.0, &tolerance),
        Err(SurfacingError::DraftTooSteep { .. })
    ));
    let bent = mapped(square(3.0, 0.0), |p| Point3::new(p.x, p.y, 0.1 * p.x * p.y));
    assert!(matches!(drafted(bent, 0.0, 5.0, 5.0, &tolerance), Err(SurfacingError::NotFlat { .. })));
}

#[test]
fn an_extrusion_up_to_a_face_ends_on_it() {
    let tolerance = Tolerance::default();
    // Below a sphere of radius 10 about the origin, from a plane 20 under its middle: a cylinder of radius 6 less the cap
    // of height 2 that the sphere takes away (VO-02, cap volume pi h^2 (3 R - h) / 3).
    let arc =
        circle_arc(&Frame::new(Point3::origin(), Vector3::x(), Vector3::z()).unwrap(), 10.0, -PI / 2.0, PI)
            .unwrap();
    let axis = geometry::Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let sphere = revolve(
        &[(arc, "arc".into())],
        &axis,
        Turn::Round { sweep: 2.0 * PI },
        true,
        (Outside::RightOfProfile, false),
        &tolerance,
    )
    .unwrap();
    let face = sphere.body.shells()[0].faces()[0].clone();
    let low = mapped(circle(6.0, 0.0), |p| p - Vector3::z() * 20.0);
    // Both caps of the sphere lie in the direction; the nearer one counts. Its pole lies inside the outline, where the
    // surface has no seam to cross but for the one that leads to it.
    let made = pulled(low, Vector3::z(), &Reach::UpToFace(Box::new(face.clone())), &tolerance);
    assert!(
        matches!(&made, Err(SurfacingError::Topology(topology::TopologyError::AcrossSeam { .. }))),
        "{made:?}"
    );
    // Beside the seam and the pole it closes: against quadrature of the height over the disc, 20 - sqrt(100 - r^2) each.
    let aside = mapped(circle(2.0, 0.0), |p| Point3::new(p.x - 5.0, p.y, -20.0));
    let made = pulled(aside, Vector3::z(), &Reach::UpToFace(Box::new(face.clone())), &tolerance).unwrap();
    let mut volume = 0.0;
    let n = 400;
    for i in 0..n {
        for j in 0..n {
            let r = 2.0 * (f64::from(i) + 0.5) / f64::from(n);
            let a = 2.0 * PI * (f64::from(j) + 0.5) / f64::from(n);
            let (x, y) = (r * a.cos() - 5.0, r * a.sin());
            volume += (20.0 - (100.0 - x * x - y * y).sqrt())
                * r
                * (2.0 / f64::from(n))
                * (2.0 * PI / f64::from(n));
        }
    }
    near(sound(&made, 0), volume, 1e-5);
    let beside = mapped(circle(2.0, 0.0), |p| Point3::new(p.x + 50.0, p.y, -20.0));
    let missed = pulled(beside, Vector3::z(), &Reach::UpToFace(Box::new(face.clone())), &tolerance);
    assert!(matches!(missed, Err(SurfacingError::Misses { .. })), "{missed:?}");
    let two =
        [-4.0, 4.0].map(|y| mapped(circle(1.0, 0.0), |p| Point3::new(p.x - 5.0, p.y + y, -20.0))).concat();
    let several = pulled(two, Vector3::z(), &Reach::UpToFace(Box::new(face)), &tolerance);
    assert!(matches!(several, Err(SurfacingError::SideBySide { .. })), "{several:?}");
}

#[test]
fn flat_faces_have_their_outlines_area_with_holes_and_islands() {
    let tolerance = Tolerance::default();
    let mut outlines = square(10.0, 4.0);
    outlines.extend(circle(5.0, 4.0));
    outlines.extend(circle(2.0, 4.0));
    let made = flat(&outlines, &frame_at(4.0), "face", &tolerance).unwrap();
    near(made.measure().area, 400.0 - PI * 25.0 + PI * 4.0, 1e-9);
    assert_eq!(made.shells()[0].faces().len(), 2);
    let leaning: Vec<NurbsCurve> =
        square(3.0, 0.0).iter().map(|c| c.mapped(|p| Point3::new(p.x, p.y, 0.1 * p.x * p.y))).collect();
    assert!(matches!(
        flat(&leaning, &frame_at(0.0), "face", &tolerance),
        Err(SurfacingError::NotFlat { .. })
    ));
    let open = &square(3.0, 0.0)[..3];
    assert!(
        matches!(flat(open, &frame_at(0.0), "face", &tolerance), Err(SurfacingError::OpenOutline { gap, .. }) if (gap - 6.0).abs() < 1e-9)
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// A drafted polygon is a solid between the prisms of its two ends, or is refused with a place; nothing panics.
    #[test]
    fn drafted_outlines_are_solids_or_refused(
        radii in prop::collection::vec(4.0..12.0f64, 3..9),
        height in 0.5..12.0f64,
        degrees in -30.0..30.0f64,
    ) {
        let n = radii.len();
        let corners: Vec<[f64; 3]> = radii.iter().enumerate().map(|(k, r)| {
            let a = 2.0 * PI * k as f64 / n as f64;
            [r * a.cos(), r * a.sin(), 0.0]
        }).collect();
        match drafted(polygon(&corners), 0.0, height, degrees, &Tolerance::default()) {
            Ok(body) => {
                prop_assert!(body.is_solid());
                let volume = body.measure().volume;
                let plain = pulled(polygon(&corners), Vector3::z(), &Reach::Between(0.0, height), &Tolerance::default()).unwrap().measure().volume;
                prop_assert!((volume < plain + 1e-6) == (degrees >= 0.0) || (volume - plain).abs() < 1e-6 * plain, "{volume} {plain}");
            }
            Err(e) => prop_assert!(e.place().is_some(), "{e}"),
        }
    }
}
