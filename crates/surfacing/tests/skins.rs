//! Extrusions, lofts, sweeps and flat faces against handbook values; at three scales.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{
    Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc, closest_on_surface, through_points,
};
use proptest::prelude::*;
use surfacing::{
    Carry, Loft, LoftEnd, Reach, Section, SurfacingError, Sweep, SweepSection, Swept, Winding, extrude, flat,
    helix, loft, sweep,
};
use topology::{Body, MeshTolerance, closure, mesh};

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

fn frame_at(z: f64) -> Frame {
    Frame::new(Point3::new(0.0, 0.0, z), Vector3::x(), Vector3::y()).unwrap()
}

fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

fn polygon(points: &[[f64; 3]]) -> Vec<NurbsCurve> {
    let p = |k: usize| Point3::from(points[k % points.len()]);
    (0..points.len()).map(|k| NurbsCurve::line(p(k), p(k + 1))).collect()
}

fn square(half: f64, z: f64) -> Vec<NurbsCurve> {
    polygon(&[[-half, -half, z], [half, -half, z], [half, half, z], [-half, half, z]])
}

fn circle(radius: f64, z: f64) -> Vec<NurbsCurve> {
    vec![circle_arc(&frame_at(z), radius, 0.0, TAU).unwrap()]
}

fn named(curves: Vec<NurbsCurve>) -> Vec<(NurbsCurve, String)> {
    curves.into_iter().enumerate().map(|(k, c)| (c, format!("side {k}"))).collect()
}

fn drawn(pieces: Vec<NurbsCurve>) -> Section {
    Section::Curves { pieces, normal: Some(Vector3::z()), reversed: false }
}

fn plain() -> Loft {
    Loft { ends: [LoftEnd::Free; 2], straight: false, ring: false, close: true, name: "side".into() }
}

/// Closed, facing agreed, Euler-Poincaré with the genus given, and a mesh in which every edge has its opposite.
fn sound(body: &Body, genus: usize) -> f64 {
    let Body::Solid(solid) = body else {
        panic!("no solid: {:?}", closure(body.shells()[0]).free_edges.len())
    };
    for shell in solid.shells() {
        let c = closure(shell);
        assert!(c.is_watertight());
        assert!(c.largest_gap < 1e-2, "{}", c.largest_gap);
        assert_eq!(c.euler_poincare.genus, Some(genus), "{:?}", c.euler_poincare);
        let (low, high) = topology::bounds(shell).unwrap();
        let mesh = mesh(shell, MeshTolerance::chord((high - low).norm() / 500.0)).unwrap();
        let mut balance = std::collections::BTreeMap::new();
        for face in &mesh.faces {
            for t in &face.triangles {
                let at = t.map(|v| face.vertices[v as usize].position);
                for k in 0..3 {
                    let (a, b) = (at[k], at[(k + 1) % 3]);
                    *balance.entry((a.min(b), a.max(b))).or_insert(0) += if a < b { 1 } else { -1 };
                }
            }
        }
        assert!(balance.values().all(|b| *b == 0));
    }
    solid.measure().volume
}

#[test]
fn outlines_extrude_into_prisms_with_their_holes() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let grown = |curves: Vec<NurbsCurve>| curves.into_iter().map(|c| c.mapped(|p| p * scale)).collect();
        let reach = Reach::Between(-2.0 * scale, 5.0 * scale);
        let make = |outline: Vec<NurbsCurve>| {
            extrude(&named(outline), &Vector3::z(), &reach, true, &tolerance).unwrap()
        };
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
    let made =
        extrude(&named(circle(3.0, 0.0)), &Vector3::z(), &Reach::UpTo(plane), true, &tolerance).unwrap();
    near(sound(&made, 0), PI * 9.0 * 10.0, 1e-6);
    let open = vec![NurbsCurve::line(Point3::origin(), Point3::new(4.0, 0.0, 0.0))];
    let sheet =
        extrude(&named(open.clone()), &Vector3::z(), &Reach::Between(0.0, 3.0), true, &tolerance).unwrap();
    let Body::Shell(shell) = &sheet else { panic!("a sheet is no solid") };
    assert_eq!((shell.faces().len(), closure(shell).free_edges.len()), (1, 4));
    near(sheet.measure().area, 12.0, 1e-9);
    let refused = |direction: Vector3, reach: Reach| {
        extrude(&named(open.clone()), &direction, &reach, true, &tolerance)
    };
    assert!(matches!(refused(Vector3::x(), Reach::Between(0.0, 3.0)), Err(SurfacingError::NoLength { .. })));
    assert!(matches!(refused(Vector3::z(), Reach::Between(2.0, 2.0)), Err(SurfacingError::NoLength { .. })));
    let beside = Frame::new(Point3::new(0.0, 9.0, 0.0), Vector3::x(), Vector3::z()).unwrap();
    assert!(matches!(refused(Vector3::z(), Reach::UpTo(beside)), Err(SurfacingError::NoLength { .. })));
}

#[test]
fn outlines_side_by_side_are_no_solid_with_a_void() {
    let mut two = square(3.0, 0.0);
    two.extend(square(2.0, 0.0).into_iter().map(|c| c.mapped(|p| p + Vector3::x() * 20.0)));
    let make = |close| {
        extrude(&named(two.clone()), &Vector3::z(), &Reach::Between(0.0, 5.0), close, &Tolerance::default())
    };
    assert!(matches!(make(true), Err(SurfacingError::SideBySide { at }) if at[0] > 10.0));
    assert!(matches!(make(false), Ok(Body::Shell(_))));
}

#[test]
fn lofts_between_two_sections_are_the_frustums_of_the_handbooks() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let grown =
            |curves: Vec<NurbsCurve>| drawn(curves.into_iter().map(|c| c.mapped(|p| p * scale)).collect());
        let make = |a: Vec<NurbsCurve>, b: Vec<NurbsCurve>| {
            loft(&[grown(a), grown(b)], &plain(), &tolerance).unwrap()
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
    let cone = loft(&[drawn(circle(3.0, 0.0)), tip.clone()], &plain(), &tolerance).unwrap();
    near(sound(&cone, 0), PI * 9.0 * 12.0 / 3.0, 1e-6);
    let pyramid = loft(&[drawn(square(3.0, 0.0)), tip.clone()], &plain(), &tolerance).unwrap();
    near(sound(&pyramid, 0), 36.0 * 12.0 / 3.0, 1e-9);
    // Twelve circles of radius 1 about a ring of radius 5: a torus, 2 pi^2 R r^2, as near as twelve sections come.
    let ring: Vec<Section> = (0..12)
        .map(|k| {
            let a = TAU * f64::from(k) / 12.0;
            let out = Vector3::new(a.cos(), a.sin(), 0.0);
            let frame = Frame::new(Point3::from(out * 5.0), out, Vector3::z()).unwrap();
            Section::Curves {
                pieces: vec![circle_arc(&frame, 1.0, 0.0, TAU).unwrap()],
                normal: None,
                reversed: false,
            }
        })
        .collect();
    let made = loft(&ring, &Loft { ring: true, ..plain() }, &tolerance).unwrap();
    near(sound(&made, 1), 2.0 * PI * PI * 5.0, 1e-3);
    let Err(SurfacingError::PointInside { section: 2, .. }) =
        loft(&[drawn(circle(3.0, 0.0)), tip, drawn(circle(3.0, 20.0))], &plain(), &tolerance)
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
    let made = loft(&sections, &plain(), &tolerance).unwrap();
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
    near(volume, sound(&loft(&tidy, &plain(), &tolerance).unwrap(), 0), 1e-2);
}

#[test]
fn a_loft_square_to_its_sections_leaves_them_so() {
    let tolerance = Tolerance::default();
    let sections = [drawn(circle(3.0, 0.0)), drawn(circle(5.0, 8.0)), drawn(circle(3.0, 16.0))];
    let how = Loft { ends: [LoftEnd::Square(1.0); 2], close: false, ..plain() };
    let made = loft(&sections, &how, &tolerance).unwrap();
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
    let mixed = loft(&[drawn(circle(3.0, 0.0)), drawn(open)], &plain(), &tolerance).unwrap_err();
    assert_eq!(
        mixed.to_string(),
        "section 2 is open, the ones before it are closed; close or open it, or leave it out"
    );
    let crossing =
        loft(&[drawn(circle(3.0, 0.0)), drawn(circle(3.0, 0.0))], &plain(), &tolerance).unwrap_err();
    assert!(matches!(crossing, SurfacingError::SectionsTouch { sections: [1, 2], .. }), "{crossing}");
    assert!(matches!(
        loft(&[drawn(circle(3.0, 0.0))], &plain(), &tolerance),
        Err(SurfacingError::TooFewSections { .. })
    ));
}

fn swept(sections: &[SweepSection], path: &[NurbsCurve], carry: Carry<'_>, twist: f64, scale: f64) -> Swept {
    let how = Sweep {
        carry,
        twist: &|share| twist * share,
        scale: &|share| 1.0 + (scale - 1.0) * share,
        close: true,
        name: "side".into(),
    };
    sweep(sections, path, &how, &Tolerance::default()).unwrap()
}

#[test]
fn round_sweeps_have_the_volumes_of_pappus() {
    let tube = [SweepSection::Round(2.0)];
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 15.0))];
    near(sound(&swept(&tube, &line, Carry::Follow, 0.0, 1.0).body, 0), PI * 4.0 * 15.0, 1e-6);
    // Pappus: area times the way of its middle, for an elbow of 90 degrees and for a whole ring.
    let elbow = [circle_arc(&frame_at(0.0), 10.0, 0.0, PI / 2.0).unwrap()];
    near(sound(&swept(&tube, &elbow, Carry::Follow, 0.0, 1.0).body, 0), PI * 4.0 * 5.0 * PI, 1e-4);
    let ring = [circle_arc(&frame_at(0.0), 10.0, 0.0, TAU).unwrap()];
    near(sound(&swept(&tube, &ring, Carry::Follow, 0.0, 1.0).body, 1), PI * 4.0 * 20.0 * PI, 1e-4);
    // A wire along a helix: square sections keep their area too, since the way of the middle counts.
    let size = Winding { start_radius: 12.0, end_radius: 12.0, height: 16.0, turns: 2.0 };
    let path = helix(&frame_at(0.0), size, &Tolerance::default()).unwrap();
    let wire = swept(&[SweepSection::Round(1.0)], std::slice::from_ref(&path.curve), Carry::Follow, 0.0, 1.0);
    assert!(wire.converged, "{}", wire.max_deviation);
    near(sound(&wire.body, 0), PI * path.curve.length(), 1e-4);
    // A cone as a round sweep that shrinks: a frustum.
    near(
        sound(&swept(&tube, &line, Carry::Follow, 0.0, 0.5).body, 0),
        PI * 15.0 / 3.0 * (4.0 + 2.0 + 1.0),
        1e-6,
    );
}

#[test]
fn the_ways_of_carrying_a_section_differ_as_their_names_say() {
    let elbow =
        [circle_arc(&Frame::new(Point3::origin(), Vector3::x(), Vector3::z()).unwrap(), 20.0, 0.0, PI / 2.0)
            .unwrap()];
    let section = [SweepSection::Drawn(
        square(1.0, 0.0).iter().map(|c| c.mapped(|p| Point3::new(20.0 + p.x, p.y, 0.0))).collect(),
    )];
    // Kept: every section stays level, so that the volume is its area times the height gained.
    near(sound(&swept(&section, &elbow, Carry::KeepDirection, 0.0, 1.0).body, 0), 4.0 * 20.0, 1e-6);
    // Along the path: area times the way of the middle.
    for carry in [Carry::Follow, Carry::AlongDirection(Vector3::y())] {
        near(sound(&swept(&section, &elbow, carry, 0.0, 1.0).body, 0), 4.0 * 10.0 * PI, 1e-4);
    }
    // A twist by a quarter turn keeps the volume, and turns the last section.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 30.0))];
    let bar = [SweepSection::Drawn(polygon(&[
        [-3.0, -1.0, 0.0],
        [3.0, -1.0, 0.0],
        [3.0, 1.0, 0.0],
        [-3.0, 1.0, 0.0],
    ]))];
    let twisted = swept(&bar, &line, Carry::Follow, PI / 2.0, 1.0);
    assert!(twisted.converged);
    // Within the fit tolerance over all of its sides.
    near(sound(&twisted.body, 0), 12.0 * 30.0, 1e-3 * 16.0 * 30.0 / 360.0);
    let (low, high) = topology::bounds(twisted.body.shells()[0]).unwrap();
    assert!(high.y > 2.99 && low.y < -2.99, "{low} {high}");
}

/// A closed path that leaves every plane: its frame comes back turned, and the sweep has to make up for that.
fn crown() -> NurbsCurve {
    let at = |k: usize| {
        let a = TAU * k as f64 / 24.0;
        Point3::new(20.0 * a.cos(), 16.0 * a.sin(), 5.0 * (3.0 * a).sin() + 3.0 * a.cos())
    };
    let points: Vec<Point3> = (0..=24).map(|k| at(k % 24)).collect();
    geometry::interpolate_ring(&points, &geometry::chord_parameters(&points)).unwrap()
}

#[test]
fn a_closed_path_in_space_closes_without_a_jump() {
    let path = [crown()];
    let centre = path[0].start();
    let across = Frame::square_to(centre, path[0].tangent(0.0).unwrap()).unwrap();
    let bar: Vec<NurbsCurve> =
        square(1.0, 0.0).iter().map(|c| c.mapped(|p| across.to_space(p.x, 0.6 * p.y))).collect();
    for turns in [0.0, 2.0] {
        let made = swept(&[SweepSection::Drawn(bar.clone())], &path, Carry::Follow, turns * TAU, 1.0);
        assert!(made.converged, "{}", made.max_deviation);
        near(sound(&made.body, 1), 2.4 * path[0].length(), 1e-3);
    }
    let how =
        Sweep { carry: Carry::Follow, twist: &|s| PI * s, scale: &|_| 1.0, close: true, name: "side".into() };
    let half = sweep(&[SweepSection::Drawn(bar)], &path, &how, &Tolerance::default());
    assert!(matches!(half, Err(SurfacingError::NotBack { distance, .. }) if distance > 1.0));
}

#[test]
fn a_twist_is_even_along_the_way_and_sections_are_met_where_they_stand() {
    // A path whose parameter runs fast at first: a quarter turn is reached at half of its length all the same.
    let path = NurbsCurve::try_new(
        geometry::KnotVector::bezier(2),
        &[Point3::origin(), Point3::new(0.0, 0.0, 8.0), Point3::new(0.0, 0.0, 10.0)],
        None,
    )
    .unwrap();
    let spoke = vec![NurbsCurve::line(Point3::origin(), Point3::new(3.0, 0.0, 0.0))];
    let made = swept(&[SweepSection::Drawn(spoke)], std::slice::from_ref(&path), Carry::Follow, PI, 1.0);
    let surface = &made.body.shells()[0].faces()[0].surface;
    let t = path.parameter_at_share(0.5);
    near(path.point(t).z, 5.0, 1e-9);
    assert!(
        closest_on_surface(surface, &Point3::new(0.0, 3.0, 5.0))
            .distance
            .min(closest_on_surface(surface, &Point3::new(0.0, -3.0, 5.0)).distance)
            < 1e-3
    );
    // Two sections along a line, the second begun elsewhere and run the other way: both lie on the surface.
    let line = [NurbsCurve::line(Point3::origin(), Point3::new(0.0, 0.0, 30.0))];
    let second: Vec<NurbsCurve> = vec![circle_arc(&frame_at(30.0), 2.0, 2.0, TAU).unwrap().reversed()];
    let sections = [SweepSection::Drawn(circle(4.0, 0.0)), SweepSection::Drawn(second.clone())];
    let made = swept(&sections, &line, Carry::Follow, 0.0, 1.0);
    // Without a twist between them the radius passes through all values between, and no smaller one.
    let surface = &made.body.shells()[0].faces()[0].surface;
    let (u, v) = surface.domain();
    for k in 0..=20 {
        for j in 0..=20 {
            let p = surface.point(u.at(f64::from(k) / 20.0), v.at(f64::from(j) / 20.0));
            assert!(p.coords.xy().norm() > 2.0 - 1e-2 && p.coords.xy().norm() < 4.0 + 1e-2, "{p}");
        }
    }
    for k in 0..12 {
        let p = second[0].point(second[0].domain().at(f64::from(k) / 12.0));
        assert!(closest_on_surface(surface, &p).distance < 2e-3);
    }
}

#[test]
fn sweeps_that_would_fold_or_jump_are_refused_with_the_place() {
    let how = |carry| Sweep { carry, twist: &|_| 0.0, scale: &|_| 1.0, close: true, name: "side".into() };
    let tight = [circle_arc(&frame_at(0.0), 3.0, 0.0, PI).unwrap()];
    let err =
        sweep(&[SweepSection::Round(4.0)], &tight, &how(Carry::Follow), &Tolerance::default()).unwrap_err();
    assert!(matches!(err, SurfacingError::TooTight { radius, .. } if (radius - 3.0).abs() < 1e-6), "{err}");
    assert!(err.place().is_some());
    let corner = polygon(&[[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 10.0, 0.0]])[..2].to_vec();
    let err =
        sweep(&[SweepSection::Round(1.0)], &corner, &how(Carry::Follow), &Tolerance::default()).unwrap_err();
    assert_eq!(err, SurfacingError::PathCorner { at: [10.0, 0.0, 0.0] });
    let along = sweep(
        &[SweepSection::Round(1.0)],
        &corner[..1],
        &how(Carry::AlongDirection(Vector3::x())),
        &Tolerance::default(),
    );
    assert!(matches!(along, Err(SurfacingError::NoLength { .. })));
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

    /// Whatever the sections are, a loft passes through them and is closed, or is refused; nothing panics.
    #[test]
    fn lofts_are_solids_or_refused(
        sizes in prop::collection::vec((0.5..8.0f64, 0.5..8.0f64, -4.0..4.0f64, 0.0..TAU), 2..7),
        straight in any::<bool>(),
    ) {
        let tolerance = Tolerance::default();
        let rows: Vec<Vec<NurbsCurve>> = sizes.iter().enumerate().map(|(k, &(a, b, x, begin))| {
            let z = 10.0 * k as f64;
            vec![circle_arc(&frame_at(z), 1.0, begin, TAU).unwrap().mapped(|p| Point3::new(x + a * p.x, b * p.y, p.z))]
        }).collect();
        let sections: Vec<Section> = rows.iter().cloned().map(drawn).collect();
        let made = loft(&sections, &Loft { straight, ..plain() }, &tolerance).unwrap();
        prop_assert!(made.is_solid());
        let surface = &made.shells()[0].faces()[0].surface;
        for row in &rows {
            for k in 0..10 {
                let p = row[0].point(row[0].domain().at(f64::from(k) / 10.0));
                let off = closest_on_surface(surface, &p).distance;
                prop_assert!(off < 1e-6, "{off} at {p}");
            }
        }
    }

    /// A round sweep along any smooth path has the volume that Pappus gives, or says where it is too tight.
    #[test]
    fn round_sweeps_keep_to_pappus(points in prop::collection::vec((-30.0..30.0f64, -30.0..30.0f64, -30.0..30.0f64), 2..6)) {
        let points: Vec<Point3> = points.iter().map(|p| Point3::new(p.0, p.1, p.2)).collect();
        let Ok(path) = through_points(&points, 1e-3) else { return Ok(()) };
        let how = Sweep { carry: Carry::Follow, twist: &|_| 0.0, scale: &|_| 1.0, close: true, name: "side".into() };
        match sweep(&[SweepSection::Round(0.5)], std::slice::from_ref(&path), &how, &Tolerance::default()) {
            Ok(made) => {
                prop_assert!(made.body.is_solid());
                let expected = PI * 0.25 * path.length();
                let volume = made.body.measure().volume;
                prop_assert!((volume - expected).abs() <= 1e-2 * expected, "{volume} {expected}");
            }
            Err(e) => prop_assert!(matches!(e, SurfacingError::TooTight { .. }), "{e}"),
        }
    }
}
