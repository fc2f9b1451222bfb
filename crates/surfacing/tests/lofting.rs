//! Lofts and ruled surfaces against handbook values, at three scales.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{PI, TAU};
use std::sync::Arc;

use geometry::{
    Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, closest_on_surface,
    through_points,
};
use proptest::prelude::*;
use shapes::{SCALES, circle, drawn, ellipse, frame_at, in_space, mapped, near, polygon, sound, square};
use surfacing::{Between, Loft, LoftEnd, Section, SurfacingError, Way, loft};
use topology::Body;

fn body_of(sections: &[Section], how: &Loft, tolerance: &Tolerance) -> Body {
    loft(sections, how, tolerance).unwrap().body
}

fn straight() -> Loft {
    Loft { between: Between::Straight, ..Loft::default() }
}

fn line(a: [f64; 3], b: [f64; 3]) -> Vec<NurbsCurve> {
    vec![NurbsCurve::line(a.into(), b.into())]
}

fn only_surface(body: &Body) -> Arc<NurbsSurface> {
    Arc::clone(&body.shells()[0].faces()[0].surface)
}

#[test]
fn lofts_between_two_sections_are_the_frustums_of_the_handbooks() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let grown =
            |curves: Vec<NurbsCurve>| drawn(curves.into_iter().map(|c| c.mapped(|p| p * scale)).collect());
        let make = |a: Vec<NurbsCurve>, b: Vec<NurbsCurve>| {
            body_of(&[grown(a), grown(b)], &Loft::default(), &tolerance)
        };
        // Frustum of a pyramid h (A + sqrt(A B) + B) / 3 (Heron, Metrica II), and of a cone.
        let volume = 9.0 / 3.0 * (36.0 + (36.0_f64 * 16.0).sqrt() + 16.0) * scale.powi(3);
        near(sound(&make(square(3.0, 0.0), square(2.0, 9.0)), 0), volume, 1e-9);
        let volume = PI * 9.0 / 3.0 * (9.0 + 6.0 + 4.0) * scale.powi(3);
        near(sound(&make(circle(3.0, 0.0), circle(2.0, 9.0)), 0), volume, 1e-6);
    }
}

#[test]
fn a_loft_runs_into_a_point_and_around_a_ring() {
    let tolerance = Tolerance::default();
    // Cone and pyramid: a third of base times height.
    let tip = Section::Point(Point3::new(0.0, 0.0, 12.0));
    let cone = body_of(&[drawn(circle(3.0, 0.0)), tip.clone()], &Loft::default(), &tolerance);
    near(sound(&cone, 0), PI * 9.0 * 12.0 / 3.0, 1e-6);
    let pyramid = body_of(&[drawn(square(3.0, 0.0)), tip.clone()], &Loft::default(), &tolerance);
    near(sound(&pyramid, 0), 36.0 * 12.0 / 3.0, 1e-9);
    // Twelve circles of radius 1 about a ring of radius 5: a torus, 2 pi^2 R r^2, as near as twelve sections come.
    let ring: Vec<Section> = (0..12)
        .map(|k| {
            let a = TAU * f64::from(k) / 12.0;
            let out = Vector3::new(a.cos(), a.sin(), 0.0);
            let frame = Frame::new(Point3::from(out * 5.0), out, Vector3::z()).unwrap();
            in_space(vec![circle_arc(&frame, 1.0, 0.0, TAU).unwrap()])
        })
        .collect();
    let made = body_of(&ring, &Loft { between: Between::Ring, ..Loft::default() }, &tolerance);
    near(sound(&made, 1), 2.0 * PI * PI * 5.0, 1e-3);
    // Circles of other sizes at uneven places: a ring has no first section.
    let places =
        [(0.0, 1.0), (0.7, 1.4), (2.6, 0.7), (3.5, 1.3), (5.2, 0.8)].map(|(a, radius): (f64, f64)| {
            let out = Vector3::new(a.cos(), a.sin(), 0.0);
            let frame = Frame::new(Point3::from(out * 5.0), out, Vector3::z()).unwrap();
            in_space(vec![circle_arc(&frame, radius, 0.0, TAU).unwrap()])
        });
    let begun = |first: usize| {
        let mut places = places.to_vec();
        places.rotate_left(first);
        sound(&body_of(&places, &Loft { between: Between::Ring, ..Loft::default() }, &tolerance), 1)
    };
    (1..5).for_each(|first| near(begun(first), begun(0), 1e-10));
    let Err(SurfacingError::PointInside { section: 2, .. }) =
        loft(&[drawn(circle(3.0, 0.0)), tip, drawn(circle(3.0, 20.0))], &Loft::default(), &tolerance)
    else {
        panic!("a point in the middle")
    };
}

#[test]
fn sections_are_passed_through_whatever_way_they_run_and_wherever_they_begin() {
    let tolerance = Tolerance::default();
    let ellipse = |a: f64, b: f64, z: f64, begin: f64, back: bool| {
        let whole =
            circle_arc(&frame_at(z), 1.0, begin, TAU).unwrap().mapped(|p| Point3::new(a * p.x, b * p.y, p.z));
        vec![if back { whole.reversed() } else { whole }]
    };
    let rows = [
        ellipse(4.0, 2.0, 0.0, 0.0, false),
        ellipse(3.0, 2.5, 6.0, 1.1, true),
        ellipse(3.5, 1.5, 12.0, 4.0, false),
        ellipse(2.0, 2.0, 18.0, 2.5, true),
    ];
    let sections: Vec<Section> = rows.iter().cloned().map(drawn).collect();
    let made = body_of(&sections, &Loft::default(), &tolerance);
    let volume = sound(&made, 0);
    let surface = &made.shells()[0].faces()[0].surface;
    for row in &rows {
        for k in 0..40 {
            let p = row[0].point(row[0].domain().at(f64::from(k) / 40.0));
            let off = closest_on_surface(surface, &p).distance;
            assert!(off < tolerance.fit, "{off} at {p}");
        }
    }
    // Without twist it is nearly the same as with sections that begin and run alike.
    let alike = [(4.0, 2.0, 0.0), (3.0, 2.5, 6.0), (3.5, 1.5, 12.0), (2.0, 2.0, 18.0)];
    let tidy: Vec<Section> = alike.iter().map(|&(a, b, z)| drawn(ellipse(a, b, z, 0.0, false))).collect();
    near(volume, sound(&body_of(&tidy, &Loft::default(), &tolerance), 0), 1e-2);
}

#[test]
fn a_loft_square_to_its_sections_leaves_them_so() {
    let tolerance = Tolerance::default();
    let sections = [drawn(circle(3.0, 0.0)), drawn(circle(5.0, 8.0)), drawn(circle(3.0, 16.0))];
    let how = Loft { ends: [LoftEnd::Square(1.0), LoftEnd::Square(1.0)], close: false, ..Loft::default() };
    let made = body_of(&sections, &how, &tolerance);
    let surface = made.shells()[0].faces()[0].surface.clone();
    let (u, v) = surface.domain();
    for k in 0..12 {
        for end in [v.start, v.end] {
            let normal = surface.normal(u.at(f64::from(k) / 12.0), end).unwrap();
            assert!(normal.z.abs() < 1e-9, "{normal}");
        }
    }
}

#[test]
fn sections_that_do_not_make_a_loft_are_named() {
    let tolerance = Tolerance::default();
    let open = vec![NurbsCurve::line(Point3::new(-3.0, 0.0, 5.0), Point3::new(3.0, 0.0, 5.0))];
    let mixed = loft(&[drawn(circle(3.0, 0.0)), drawn(open)], &Loft::default(), &tolerance).unwrap_err();
    assert_eq!(
        mixed.to_string(),
        "section 2 is open, the ones before it are closed; close or open it, or leave it out"
    );
    let crossing =
        loft(&[drawn(circle(3.0, 0.0)), drawn(circle(3.0, 0.0))], &Loft::default(), &tolerance).unwrap_err();
    assert!(matches!(crossing, SurfacingError::SectionsTouch { sections: [1, 2], .. }), "{crossing}");
    assert!(matches!(
        loft(&[drawn(circle(3.0, 0.0))], &Loft::default(), &tolerance),
        Err(SurfacingError::TooFewSections { .. })
    ));
}

#[test]
fn ruled_surfaces_are_those_of_the_textbooks() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        // RU-01: z = xy over the unit square, ruled between two of its sides.
        let side = |x: f64| in_space(mapped(line([x, 0.0, 0.0], [x, 1.0, x]), |p| p * scale));
        let made = body_of(&[side(0.0), side(1.0)], &straight(), &tolerance);
        near(made.measure().area, 1.280_789_275_273_404 * scale * scale, 1e-10);
        // LS-03: a square to the same square turned by 45 and by 90 degrees, corner to corner.
        for (degrees, volume) in [(45.0_f64, 8.0 + 2.0 * 2.0_f64.sqrt()), (90.0, 8.0)] {
            let (sin, cos) = degrees.to_radians().sin_cos();
            let corners: Vec<[f64; 3]> = [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]]
                .map(|[x, y]| [(x * cos - y * sin) * scale, (x * sin + y * cos) * scale, 3.0 * scale])
                .to_vec();
            // Begun at the corner that was turned there, and not at the nearest one.
            let top = Section::Curves {
                pieces: polygon(&corners),
                normal: None,
                reversed: false,
                begins: Some(0.0),
            };
            let bottom = drawn(mapped(square(1.0, 0.0), |p| p * scale));
            near(sound(&body_of(&[bottom, top], &straight(), &tolerance), 0), volume * scale.powi(3), 1e-9);
        }
        // LS-02: the parabola through circles of radius 1, 2, 1.
        let rings = [1.0, 2.0, 1.0].iter().enumerate();
        let rings: Vec<Section> =
            rings.map(|(k, r)| drawn(mapped(circle(*r, k as f64), |p| p * scale))).collect();
        near(
            sound(&body_of(&rings, &Loft::default(), &tolerance), 0),
            86.0 * PI / 15.0 * scale.powi(3),
            1e-6,
        );
    }
}

#[test]
fn a_crossed_pair_is_untwisted_by_itself_and_twisted_by_hand() {
    let tolerance = Tolerance::default();
    let low = in_space(line([0.0, 0.0, 0.0], [10.0, 0.0, 0.0]));
    let high = |reversed| Section::Curves {
        pieces: line([10.0, 0.0, 6.0], [0.0, 0.0, 6.0]),
        normal: None,
        reversed,
        begins: None,
    };
    let plain = loft(&[low.clone(), high(false)], &straight(), &tolerance).unwrap();
    near(plain.body.measure().area, 60.0, 1e-9);
    assert_eq!(plain.runs[1][0].start(), Point3::new(0.0, 0.0, 6.0));
    let crossed = body_of(&[low, high(true)], &straight(), &tolerance);
    assert!(crossed.measure().area < 40.0, "{}", crossed.measure().area);
}

#[test]
fn rulings_are_chosen_so_that_the_strip_unrolls() {
    let tolerance = Tolerance::default();
    let how = Loft { between: Between::Developable, ..Loft::default() };
    // Two circles in planes that lean: their common developable is known by its tangent planes, so that along every ruling
    // the normal must not turn (RU-03). Ruled evenly it turns by degrees.
    let leaning = |r: f64, z: f64, tilt: f64| {
        let (sin, cos) = tilt.sin_cos();
        let frame = Frame::new(Point3::new(0.0, 2.0, z), Vector3::x(), Vector3::new(0.0, cos, sin)).unwrap();
        vec![circle_arc(&frame, r, 0.0, TAU).unwrap()]
    };
    let sections = [in_space(leaning(6.0, 0.0, 0.0)), in_space(leaning(3.0, 9.0, 0.5))];
    let made = loft(&sections, &how, &tolerance).unwrap();
    let twist = made.largest_twist.unwrap().to_degrees();
    assert!(twist < 0.1, "{twist}");
    assert!(made.max_deviation.unwrap() <= tolerance.fit);
    sound(&made.body, 0);
    let surface = only_surface(&made.body);
    let normal_turn =
        |s: &NurbsSurface, u: f64| s.normal(u, 0.0).unwrap().angle(&s.normal(u, 1.0).unwrap()).to_degrees();
    let most = |s: &NurbsSurface| (1..40).map(|k| normal_turn(s, f64::from(k) / 40.0)).fold(0.0, f64::max);
    assert!(most(&surface) < 0.2, "{}", most(&surface));
    let even = only_surface(&body_of(&sections, &straight(), &tolerance));
    assert!(most(&even) > 2.0, "{}", most(&even));
    // An oblique cone (RU-07) unrolls as it is; z = xy cannot, and says by how much.
    let tip = [drawn(circle(3.0, 0.0)), Section::Point(Point3::new(3.0, 0.0, 4.0))];
    near(sound(&body_of(&tip, &straight(), &tolerance), 0), 37.699_111_843_077_52, 1e-6);
    near(
        body_of(&tip, &Loft { close: false, ..straight() }, &tolerance).measure().area,
        49.949_419_097_853_43,
        1e-6,
    );
    let saddle =
        [in_space(line([0.0, 0.0, 0.0], [0.0, 1.0, 0.0])), in_space(line([1.0, 0.0, 0.0], [1.0, 1.0, 1.0]))];
    // Along its rulings the normal turns by atan of the gain in slope: 45 degrees at the end of the steepest one.
    let twist = loft(&saddle, &how, &tolerance).unwrap().largest_twist.unwrap().to_degrees();
    assert!((30.0..=45.001).contains(&twist), "{twist}");
}

#[test]
fn a_published_aerofoil_is_lofted_into_a_wing() {
    let tolerance = Tolerance::default();
    // NACA 0012, NA-02 and NA-03: half thickness by the polynomial of Report 460, area 0.08221 of the chord's square.
    let half = |x: f64| {
        0.6 * (0.2969 * x.sqrt() - 0.1260 * x - 0.3516 * x * x + 0.2843 * x.powi(3) - 0.1015 * x.powi(4))
    };
    near(half(0.25), 0.059_412_421_875, 1e-12);
    let section = |chord: f64, z: f64| {
        let n = 60;
        let station = |k: i32| (1.0 - (PI * f64::from(k) / f64::from(n)).cos()) / 2.0;
        let upper = (0..=n).rev().map(|k| (station(k), half(station(k))));
        let lower = (1..=n).map(|k| (station(k), -half(station(k))));
        let points: Vec<Point3> =
            upper.chain(lower).map(|(x, y)| Point3::new(x * chord, y * chord, z)).collect();
        let skin = through_points(&points, 1e-6).unwrap();
        let end = NurbsCurve::line(points[points.len() - 1], points[0]);
        vec![skin, end]
    };
    let wing = [drawn(section(100.0, 0.0)), drawn(section(60.0, 400.0))];
    let volume = sound(&body_of(&wing, &straight(), &tolerance), 0);
    // Areas grow with the square of the chord, which falls evenly: a frustum.
    let area = 0.082_21;
    let expected = area * 400.0 / 3.0 * (100.0 * 100.0 + 100.0 * 60.0 + 60.0 * 60.0);
    near(volume, expected, 1e-4);
}

#[test]
fn a_loft_agrees_with_its_neighbours() {
    let tolerance = Tolerance::default();
    // From the rim of a cylinder of radius 10 to that of a sphere of the same radius farther on.
    let pull =
        |z: f64| body_of(&[drawn(circle(10.0, z)), drawn(circle(10.0, z + 8.0))], &straight(), &tolerance);
    let tube = only_surface(&pull(-8.0));
    let ball = geometry::circle_arc(
        &Frame::new(Point3::new(0.0, 0.0, 30.0), Vector3::x(), Vector3::z()).unwrap(),
        8.0,
        -0.6,
        1.2,
    )
    .unwrap();
    let axis = geometry::Axis::new(Point3::origin(), Vector3::z()).unwrap();
    let ball = surfacing::revolve(
        &[(ball, "arc".into())],
        &axis,
        surfacing::Turn::Round { sweep: TAU },
        false,
        (surfacing::Outside::RightOfProfile, false),
        &tolerance,
    )
    .unwrap();
    let ball = Arc::clone(&ball.body.shells()[0].faces()[0].surface);
    let start = vec![circle_arc(&frame_at(0.0), 10.0, 0.0, TAU).unwrap()];
    let z = 30.0 - 8.0 * 0.6_f64.sin();
    let end = vec![circle_arc(&frame_at(z), 8.0 * 0.6_f64.cos(), 0.0, TAU).unwrap()];
    let neighbour = |surface: &Arc<NurbsSurface>, curvature| LoftEnd::Neighbour {
        surfaces: vec![Arc::clone(surface)],
        curvature,
        pull: 1.0,
        way: Way::Toward,
        turn: 0.0,
        side: None,
    };
    for curvature in [false, true] {
        let how = Loft {
            ends: [neighbour(&tube, curvature), neighbour(&ball, curvature)],
            close: false,
            ..Loft::default()
        };
        let made = loft(&[in_space(start.clone()), in_space(end.clone())], &how, &tolerance).unwrap();
        for angle in made.end_angles {
            assert!(angle.unwrap().to_degrees() < 0.1, "{angle:?}");
        }
        let surface = only_surface(&made.body);
        // Across its end the loft bends as the sphere does, 1/8, or is straight as the tube is, where that was asked for.
        for (v, bend) in [(0.0, 0.0), (1.0, 1.0 / 8.0)] {
            for k in 0..8 {
                let d = surface.derivatives(f64::from(k) / 8.0 + 0.01, v);
                let n = d.area_vector().normalize();
                let across = d.vv.dot(&n).abs() / d.v.norm_squared();
                if curvature {
                    assert!((across - bend).abs() <= 0.02 * bend + 1e-6, "{across} {bend}");
                }
            }
        }
    }
    for (ends, at_last) in
        [([neighbour(&ball, false), LoftEnd::Free], false), ([LoftEnd::Free, neighbour(&tube, false)], true)]
    {
        let off = Loft { ends, ..Loft::default() };
        let refused = loft(&[in_space(start.clone()), in_space(end.clone())], &off, &tolerance).unwrap_err();
        let SurfacingError::OffNeighbour { last, distance, .. } = refused else { panic!("{refused}") };
        assert!(last == at_last && distance > 1.0, "{refused}");
    }
}

#[test]
fn a_dome_over_a_section_is_round_at_its_top() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let base = drawn(mapped(circle(10.0, 0.0), |p| p * scale));
        let tip = Section::Point(Point3::new(0.0, 0.0, 10.0 * scale));
        // Leaving the base as fast as the dome comes in: 1.657 radii, by the mean way of the nine control points to the tip.
        let way = (5.0 * 200.0_f64.sqrt() + 4.0 * 300.0_f64.sqrt()) / 9.0;
        let how = Loft { ends: [LoftEnd::Square(16.569 / way), LoftEnd::Rounded(1.0)], ..Loft::default() };
        let dome = body_of(&[base.clone(), tip.clone()], &how, &tolerance);
        // The cubic that follows a quarter circle within 0.03 percent of its radius (EX-11): half of a ball.
        near(sound(&dome, 0), 2.0 / 3.0 * PI * 1000.0 * scale.powi(3), 5e-3);
        let surface = dome.shells()[0].faces().iter().find(|f| f.role == "side").unwrap().surface.clone();
        let near_tip = surface.normal(0.3, 1.0 - 1e-6).unwrap();
        assert!(near_tip.z.abs() > 0.999_99, "{near_tip}");
        let pointed = body_of(&[base, tip], &Loft::default(), &tolerance);
        assert!(only_surface(&pointed).normal(0.3, 1.0 - 1e-6).unwrap().z.abs() < 0.9);
    }
}

#[test]
fn guides_are_followed_between_the_sections_and_missed_ones_are_named() {
    let tolerance = Tolerance::default();
    // Four half ellipses whose ends ride on two guides that bulge between them.
    let bulge = |z: f64| 10.0 + 4.0 * (z / 30.0 * PI).sin().powi(2) * (1.0 - z / 60.0);
    let guide = |sign: f64| {
        let points: Vec<Point3> =
            (0..=30).map(|k| Point3::new(sign * bulge(f64::from(k)), 0.0, f64::from(k))).collect();
        vec![through_points(&points, 1e-6).unwrap()]
    };
    let section = |z: f64| {
        let arc = circle_arc(&frame_at(z), 1.0, 0.0, PI).unwrap();
        in_space(vec![arc.mapped(|p| Point3::new(bulge(z) * p.x, 6.0 * p.y, p.z))])
    };
    let sections = [section(0.0), section(15.0), section(30.0)];
    let how = Loft { guides: vec![guide(1.0), guide(-1.0)], ..Loft::default() };
    let made = loft(&sections, &how, &tolerance).unwrap();
    assert!(made.max_deviation.unwrap() <= tolerance.fit, "{made:?}");
    let surface = only_surface(&made.body);
    for curve in [guide(1.0), guide(-1.0)] {
        for k in 0..=60 {
            let p = curve[0].point(f64::from(k) / 60.0);
            let off = closest_on_surface(&surface, &p).distance;
            assert!(off <= 2.0 * tolerance.fit, "{off} at {p}");
        }
    }
    for section in &sections {
        let Section::Curves { pieces, .. } = section else { panic!() };
        for k in 0..=20 {
            let p = pieces[0].point(pieces[0].domain().at(f64::from(k) / 20.0));
            assert!(closest_on_surface(&surface, &p).distance <= 2.0 * tolerance.fit);
        }
    }
    // A guide on one side only carries the sections along; one that stands off is named with its distance.
    let one = Loft { guides: vec![guide(1.0)], ..Loft::default() };
    loft(&sections, &one, &tolerance).unwrap();
    let off: Vec<NurbsCurve> = mapped(guide(1.0), |p| p + Vector3::x() * 0.5);
    let refused =
        loft(&sections, &Loft { guides: vec![guide(-1.0), off], ..Loft::default() }, &tolerance).unwrap_err();
    assert!(
        matches!(refused, SurfacingError::GuideMisses { guide: 2, section: 1, distance, .. } if (distance - 0.5).abs() < 0.05),
        "{refused}"
    );
}

#[test]
fn a_guide_leads_closed_sections_from_square_to_square() {
    let tolerance = Tolerance::default();
    let sections: Vec<Section> = [0.0, 20.0, 40.0].iter().map(|&z| drawn(circle(8.0, z))).collect();
    let points: Vec<Point3> = (0..=40)
        .map(|k| Point3::new(0.0, 8.0 + 2.0 * (f64::from(k) / 20.0 * PI).sin().powi(2), f64::from(k)))
        .collect();
    let guide = vec![through_points(&points, 1e-6).unwrap()];
    let made = loft(&sections, &Loft { guides: vec![guide.clone()], ..Loft::default() }, &tolerance).unwrap();
    sound(&made.body, 0);
    let surface = only_surface(&made.body);
    for k in 0..=20 {
        let p = guide[0].point(f64::from(k) / 20.0);
        assert!(closest_on_surface(&surface, &p).distance <= 2.0 * tolerance.fit);
    }
}

#[test]
fn control_rows_keep_the_sections_structure() {
    let tolerance = Tolerance::default();
    let row = |y: f64, bump: f64| {
        let points: Vec<Point3> = [0.0, 4.0, 9.0, 15.0, 20.0, 25.0]
            .iter()
            .enumerate()
            .map(|(k, &x)| Point3::new(x, y, bump * (k % 3) as f64))
            .collect();
        NurbsCurve::from_control_points(&points, 1e-6).unwrap()
    };
    let rows = [row(0.0, 1.0), row(8.0, 3.0), row(15.0, 2.0), row(24.0, 0.0)];
    let sections: Vec<Section> = rows.iter().map(|r| in_space(vec![r.clone()])).collect();
    let how = Loft { between: Between::ControlRows, ..Loft::default() };
    let surface = only_surface(&body_of(&sections, &how, &tolerance));
    assert_eq!((surface.knots_u().point_count(), surface.knots_v().point_count()), (6, 4));
    let net = surface.control_points();
    for (j, row) in rows.iter().enumerate() {
        for (i, p) in row.control_points().iter().enumerate() {
            assert_eq!(net[i * 4 + j], *p);
        }
    }
    let shorter = in_space(line([0.0, 30.0, 0.0], [25.0, 30.0, 0.0]));
    let mixed: Vec<Section> = sections.into_iter().chain([shorter]).collect();
    let refused = loft(&mixed, &how, &tolerance).unwrap_err();
    assert!(matches!(refused, SurfacingError::UnequalRows { section: 5, counts: [6, 2], .. }), "{refused}");
}

#[test]
fn a_loft_is_approximated_to_a_grid_with_what_that_costs() {
    let tolerance = Tolerance::default();
    let sections: Vec<Section> = (0..6)
        .map(|k| {
            let y = 10.0 * f64::from(k);
            let points: Vec<Point3> = (0..12)
                .map(|i| Point3::new(f64::from(i) * 5.0, y, (f64::from(i) * 0.6 + y * 0.05).sin() * 4.0))
                .collect();
            in_space(vec![through_points(&points, 1e-6).unwrap()])
        })
        .collect();
    let exact = only_surface(&body_of(&sections, &Loft::default(), &tolerance));
    let mut before = f64::INFINITY;
    for count in [5, 8, 14] {
        let made =
            loft(&sections, &Loft { grid: Some([count, count]), ..Loft::default() }, &tolerance).unwrap();
        let surface = only_surface(&made.body);
        assert_eq!((surface.knots_u().point_count(), surface.knots_v().point_count()), (count, count));
        let told = made.max_deviation.unwrap();
        assert!(told < before, "{told} {before}");
        before = told;
        for i in 0..=12 {
            for j in 0..=12 {
                let p = exact.point(f64::from(i) / 12.0, f64::from(j) / 12.0);
                assert!(closest_on_surface(&surface, &p).distance <= 1.05 * told + 1e-9);
            }
        }
    }
    assert!(before < 0.05, "{before}");
}

#[test]
fn sections_out_of_order_are_told_with_the_order_that_goes_on() {
    let tolerance = Tolerance::default();
    let sections: Vec<Section> =
        [0.0, 20.0, 10.0, 30.0].iter().map(|&z| drawn(circle(5.0 + z / 10.0, z))).collect();
    let refused = loft(&sections, &Loft::default(), &tolerance).unwrap_err();
    let SurfacingError::OutOfOrder { order, section, .. } = &refused else { panic!("{refused}") };
    assert_eq!((order.as_slice(), *section), ([1, 3, 2, 4].as_slice(), 3));
    // Round a bend sections turn back too, and are in order all the same.
    let bend: Vec<Section> = (0..5)
        .map(|k| {
            let a = PI * f64::from(k) / 4.0;
            let out = Vector3::new(a.cos(), a.sin(), 0.0);
            let frame = Frame::new(Point3::from(out * 20.0), out, Vector3::z()).unwrap();
            in_space(vec![circle_arc(&frame, 3.0, 0.0, TAU).unwrap()])
        })
        .collect();
    sound(&body_of(&bend, &Loft::default(), &tolerance), 0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Whatever the sections are, a loft passes through them and is closed, or is refused; nothing panics.
    #[test]
    fn lofts_are_solids_or_refused(
        sizes in prop::collection::vec((0.5..8.0f64, 0.5..8.0f64, -4.0..4.0f64, 0.0..TAU, any::<bool>()), 2..7),
        straight in any::<bool>(),
    ) {
        let tolerance = Tolerance::default();
        let rows: Vec<Vec<NurbsCurve>> = sizes.iter().enumerate().map(|(k, &(a, b, x, begin, back))| {
            let z = 10.0 * k as f64;
            let row = ellipse(a, b, z, begin).mapped(|p| Point3::new(x + p.x, p.y, p.z));
            vec![if back { row.reversed() } else { row }]
        }).collect();
        let sections: Vec<Section> = rows.iter().cloned().map(drawn).collect();
        let between = if straight { Between::Straight } else { Between::Smooth };
        let made = body_of(&sections, &Loft { between, ..Loft::default() }, &tolerance);
        prop_assert!(made.is_solid());
        let sides = made.shells()[0].faces().iter().filter(|f| f.role.starts_with("side"));
        let sides: Vec<&NurbsSurface> = sides.map(|f| f.surface.as_ref()).collect();
        prop_assert_eq!(sides.len(), if straight { rows.len() - 1 } else { 1 });
        for row in &rows {
            for k in 0..10 {
                let p = row[0].point(row[0].domain().at(f64::from(k) / 10.0));
                let off = sides.iter().map(|s| closest_on_surface(s, &p).distance).fold(f64::MAX, f64::min);
                prop_assert!(off < 1e-6, "{off} at {p}");
            }
        }
    }

    /// Sections in any order are lofted, or told with an order in which they can be.
    #[test]
    fn an_order_that_was_told_is_taken(shuffled in Just((0..6usize).collect::<Vec<_>>()).prop_shuffle()) {
        let tolerance = Tolerance::default();
        let section = |k: usize| drawn(circle(5.0 + (k % 3) as f64, 12.0 * k as f64));
        let sections: Vec<Section> = shuffled.iter().map(|&k| section(k)).collect();
        if let Err(SurfacingError::OutOfOrder { order, .. }) = loft(&sections, &Loft::default(), &tolerance) {
            let sorted: Vec<Section> = order.iter().map(|&i| sections[i - 1].clone()).collect();
            prop_assert!(loft(&sorted, &Loft::default(), &tolerance).is_ok());
        }
    }
}

/// Circles about the axis, each by its height and its radius.
fn rings(places: &[[f64; 2]]) -> Vec<Section> {
    places.iter().map(|[z, r]| drawn(circle(*r, *z))).collect()
}

/// Largest distance from the axis, and the range of heights.
fn extent(body: &Body) -> (f64, f64, f64) {
    let (mut r, mut low, mut high) = (0.0_f64, f64::MAX, f64::MIN);
    for face in body.shells()[0].faces().iter().filter(|f| f.role.starts_with("side")) {
        let (u, v) = face.surface.domain();
        for i in 0..=24 {
            for j in 0..=200 {
                let p = face.surface.point(u.at(f64::from(i) / 24.0), v.at(f64::from(j) / 200.0));
                r = r.max(p.coords.xy().norm());
                (low, high) = (low.min(p.z), high.max(p.z));
            }
        }
    }
    (r, low, high)
}

#[test]
fn lofts_keep_near_sections_of_very_unlike_size_and_step() {
    let tolerance = Tolerance::default();
    let cases: [(&[[f64; 2]], Option<f64>); 7] = [
        (&[[0.0, 30.0], [60.0, 30.0], [70.0, 10.0], [110.0, 10.0]], None),
        (&[[0.0, 30.0], [10.0, 30.0], [12.0, 8.0], [60.0, 8.0]], None),
        (&[[0.0, 20.0], [10.0, 20.0]], Some(12.0)),
        (&[[0.0, 20.0], [30.0, 22.0], [34.0, 20.0]], Some(36.0)),
        (&[[0.0, 10.0], [100.0, 12.0], [102.0, 11.0]], Some(104.0)),
        (&[[0.0, 50.0], [200.0, 48.0], [230.0, 40.0]], Some(240.0)),
        (&[[0.0, 3.0], [2.0, 3.0], [200.0, 60.0], [203.0, 60.0], [500.0, 2.0]], None),
    ];
    for (places, tip) in cases {
        let mut sections = rings(places);
        sections.extend(tip.map(|z| Section::Point(Point3::new(0.0, 0.0, z))));
        let body = body_of(&sections, &Loft::default(), &tolerance);
        let volume = sound(&body, 0);
        let all: Vec<[f64; 2]> = places.iter().copied().chain(tip.map(|z| [z, 0.0])).collect();
        let frustum = |w: &[[f64; 2]]| {
            let ([z, a], [y, b]) = (w[0], w[1]);
            PI / 3.0 * (y - z) * (a * a + a * b + b * b)
        };
        let straight: f64 = all.windows(2).map(frustum).sum();
        let widest = all.iter().map(|p| p[1]).fold(0.0, f64::max);
        let (r, low, high) = extent(&body);
        let top = all[all.len() - 1][0];
        assert!(r < 1.15 * widest, "{places:?}: {r} wide");
        assert!(low > -0.03 * top && high < 1.03 * top, "{places:?}: {low} to {high}");
        assert!((volume / straight - 1.0).abs() < 0.35, "{places:?}: {volume} of {straight}");
        assert!(topology::self_crossings(&body).is_empty(), "{places:?}");
    }
}

#[test]
fn a_loft_with_guides_leaves_its_ends_as_is_asked() {
    let tolerance = Tolerance::default();
    // Guides that rise straight up from the first circle and lean in at the second one; between them nothing else tells how.
    let guide = |k: usize, lean: f64| {
        let angle = TAU * k as f64 / 4.0 + 0.3;
        let at = |r: f64, z: f64| Point3::new(r * angle.cos(), r * angle.sin(), z);
        let control = [at(20.0, 0.0), at(20.0 + 15.0 * lean, 15.0), at(24.0, 30.0), at(15.0, 40.0)];
        vec![NurbsCurve::from_control_points(&control, 1e-9).unwrap()]
    };
    let sections = [drawn(circle(20.0, 0.0)), drawn(circle(15.0, 40.0))];
    let made = |lean: f64, ends: [LoftEnd; 2]| {
        let how = Loft { guides: (0..4).map(|k| guide(k, lean)).collect(), ends, ..Loft::default() };
        loft(&sections, &how, &tolerance)
    };
    let square = made(0.0, [LoftEnd::Square(1.0), LoftEnd::Free]).unwrap();
    let angle = square.end_angles[0].unwrap().to_degrees();
    assert!(angle < 0.05, "{angle}");
    // Pappus: the guides' area turned about the axis, with the cubic's own radius.
    let profile = |t: f64| {
        let c = guide(0, 0.0)[0].point(t);
        (c.coords.xy().norm(), c.z)
    };
    let steps = 20_000;
    let volume: f64 = (0..steps)
        .map(|k| {
            let [(r, z), (s, y)] = [k, k + 1].map(|i| profile(f64::from(i) / f64::from(steps)));
            PI / 3.0 * (y - z) * (r * r + r * s + s * s)
        })
        .sum();
    near(sound(&square.body, 0), volume, 1e-4);
    // A guide that leans 30 degrees outward there cannot be square to the section.
    let refused = made(30.0_f64.to_radians().tan(), [LoftEnd::Square(1.0), LoftEnd::Free]).unwrap_err();
    let SurfacingError::GuideLeaves { last: false, degrees, .. } = refused else { panic!("{refused}") };
    near(degrees, 30.0, 1e-2);
}
