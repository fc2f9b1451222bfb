//! Turned and thickened shapes against handbook values; each test is repeated at three scales.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{Axis, Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc, through_points};
use surfacing::{FlatMeasure, Outside, Revolved, SurfacingError, Turn, revolve, thicken};
use topology::{Body, MeshTolerance, closure, mesh};

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];
const FULL: Turn = Turn::Round { sweep: TAU };

fn p(r: f64, z: f64) -> Point3 {
    Point3::new(r, 0.0, z)
}

fn z_axis() -> Axis {
    Axis::new(Point3::origin(), Vector3::z()).unwrap()
}

/// Arc in the xz plane about (centre_r, centre_z).
fn arc(centre: Point3, radius: f64, start: f64, sweep: f64) -> NurbsCurve {
    let frame = Frame::new(centre, Vector3::x(), Vector3::z()).unwrap();
    circle_arc(&frame, radius, start, sweep).unwrap()
}

fn polyline(points: &[Point3]) -> Vec<NurbsCurve> {
    points.windows(2).map(|w| NurbsCurve::line(w[0], w[1])).collect()
}

fn turned(curves: &[NurbsCurve], turn: Turn, capped: bool, scale: f64) -> Result<Revolved, SurfacingError> {
    let named: Vec<_> = curves.iter().map(|c| (c.mapped(|p| p * scale), "profile".to_string())).collect();
    revolve(
        &named,
        &z_axis(),
        turn,
        capped,
        (Outside::RightOfProfile, false),
        &Tolerance::default().scaled(scale),
    )
}

fn assert_near(value: f64, expected: f64, relative: f64) {
    assert!(
        (value - expected).abs() <= relative * expected.abs(),
        "{value} is not {expected} within {relative}"
    );
}

/// Solid, Euler-Poincaré with the genus expected of each shell, and a watertight mesh at two tolerances.
fn assert_sound(body: &Body, genus: &[usize], scale: f64) {
    let Body::Solid(solid) = body else { panic!("not a solid") };
    assert_eq!(solid.shells().count(), genus.len());
    for (shell, genus) in solid.shells().zip(genus) {
        let c = closure(shell);
        assert!(c.is_watertight());
        assert_eq!(c.euler_poincare.genus, Some(*genus), "{:?}", c.euler_poincare);
        assert!(c.largest_gap < 1e-9 * scale, "gap {}", c.largest_gap);
        for chord in [0.2 * scale, 0.01 * scale] {
            let m = mesh(shell, MeshTolerance::chord(chord)).unwrap();
            assert!(m.converged, "deviation {} above {chord}", m.max_deviation);
            let mut uses = std::collections::HashMap::new();
            let mut volume = 0.0;
            for [a, b, c] in m.triangles() {
                for (i, j) in [(a, b), (b, c), (c, a)] {
                    *uses.entry((i, j)).or_insert(0) += 1;
                }
                let [a, b, c] = [a, b, c].map(|i| m.positions[i as usize].coords);
                volume += a.dot(&b.cross(&c)) / 6.0;
            }
            assert!(uses.iter().all(|(&(i, j), &n)| n == 1 && uses.get(&(j, i)) == Some(&1)), "mesh leaks");
            let exact = topology::measure(shell);
            assert!((volume - exact.volume).abs() <= chord * exact.area * 1.01);
        }
    }
}

#[test]
fn a_turned_half_circle_is_an_exact_sphere() {
    // EX-08: area 16 pi, volume 32 pi / 3 for r = 2; Piegl & Tiller, section 8.5.
    for scale in SCALES {
        let r = turned(&[arc(Point3::origin(), 2.0, -PI / 2.0, PI)], FULL, true, scale).unwrap();
        assert_sound(&r.body, &[0], scale);
        let m = r.body.measure();
        assert_near(m.area, 50.26548245743669 * scale.powi(2), 1e-11);
        assert_near(m.volume, 33.51032163829113 * scale.powi(3), 1e-11);
        let surface = &r.body.shells()[0].faces()[0].surface;
        for i in 0..=20 {
            for j in 0..=20 {
                let q = surface.point(f64::from(i) / 20.0, f64::from(j) / 20.0);
                assert_near(q.coords.norm(), 2.0 * scale, 1e-14);
            }
        }
        // VO-13: moment of inertia per unit mass 2 r^2 / 5.
        assert_near(m.inertia().unwrap()[(2, 2)] / m.volume, 1.6 * scale * scale, 1e-10);
    }
}

#[test]
fn a_turned_circle_is_an_exact_torus_of_genus_one() {
    // EX-09: R = 3, r = 1, area 4 pi^2 R r, volume 2 pi^2 R r^2.
    for scale in SCALES {
        let r = turned(&[arc(p(3.0, 0.0), 1.0, 0.0, TAU)], FULL, true, scale).unwrap();
        assert_sound(&r.body, &[1], scale);
        let m = r.body.measure();
        assert_near(m.area, 118.4352528130723 * scale.powi(2), 1e-11);
        assert_near(m.volume, 59.21762640653615 * scale.powi(3), 1e-11);
    }
}

#[test]
fn a_turned_rectangle_keeps_pappus_guldinus() {
    // PP-01: 3 <= rho <= 5, 0 <= z <= 4; V = 64 pi, S = 96 pi.
    let side = [p(3.0, 0.0), p(5.0, 0.0), p(5.0, 4.0), p(3.0, 4.0), p(3.0, 0.0)];
    for scale in SCALES {
        let r = turned(&polyline(&side), FULL, true, scale).unwrap();
        assert_sound(&r.body, &[1], scale);
        assert_near(r.body.measure().volume, 201.0619298297468 * scale.powi(3), 1e-12);
        assert_near(r.body.measure().area, 301.5928947446202 * scale.powi(2), 1e-12);
        // Three quarters of it with flat ends: 3/4 of the volume, and of the area plus two sections of 2 x 4.
        let part = turned(&polyline(&side), Turn::Round { sweep: 1.5 * PI }, true, scale).unwrap();
        assert_sound(&part.body, &[0], scale);
        assert_near(part.body.measure().volume, 0.75 * 201.0619298297468 * scale.powi(3), 1e-12);
        assert_near(part.body.measure().area, (0.75 * 301.5928947446202 + 16.0) * scale.powi(2), 1e-12);
    }
}

#[test]
fn an_elbow_has_the_volume_of_its_section_times_the_way_of_the_centroid() {
    // PP-03: circle r = 1.5 turned 90 deg about an axis at 4; V = 4.5 pi^2.
    let r = turned(&[arc(p(4.0, 0.0), 1.5, 0.0, TAU)], Turn::Round { sweep: PI / 2.0 }, true, 1.0).unwrap();
    assert_sound(&r.body, &[0], 1.0);
    assert_near(r.body.measure().volume, 44.41321980490211, 1e-11);
    assert_near(r.body.measure().area, 59.21762640653615 + 2.0 * PI * 1.5 * 1.5, 1e-11);
}

#[test]
fn a_cone_and_a_frustum_have_handbook_measures() {
    // VO-01: R = 4, r = 2, h = 6: V = 56 pi, lateral area, centroid above the big base.
    let frustum = polyline(&[p(0.0, 0.0), p(4.0, 0.0), p(2.0, 6.0), p(0.0, 6.0)]);
    let r = turned(&frustum, FULL, true, 1.0).unwrap();
    assert_sound(&r.body, &[0], 1.0);
    let m = r.body.measure();
    assert_near(m.volume, 175.9291886010284, 1e-12);
    assert_near(m.area, 119.2150591895532 + 20.0 * PI, 1e-12);
    assert_near(m.centroid().unwrap().z, 2.357142857142857, 1e-12);
    // VO-14: cone of height 8, centroid at h / 4.
    let r = turned(&polyline(&[p(0.0, 0.0), p(3.0, 0.0), p(0.0, 8.0)]), FULL, true, 1.0).unwrap();
    assert_near(r.body.measure().centroid().unwrap().z, 2.0, 1e-12);
}

#[test]
fn flat_sides_make_a_prism_measured_across_flats_or_corners() {
    // Area of a regular n-gon from its inradius r: n r^2 tan(pi/n); from its circumradius R: n R^2 sin(2 pi/n) / 2.
    // Textbook plane geometry, from memory.
    for sides in [3, 4, 6, 8] {
        for scale in SCALES {
            let n = sides as f64;
            let profile = polyline(&[p(0.0, 0.0), p(10.0, 0.0), p(10.0, 7.0), p(0.0, 7.0)]);
            let make = |measure| turned(&profile, Turn::FlatSided { sides, measure }, true, scale).unwrap();
            let flats = make(FlatMeasure::Flats);
            assert_sound(&flats.body, &[0], scale);
            assert_near(flats.body.measure().volume, 700.0 * n * (PI / n).tan() * scale.powi(3), 1e-12);
            let corners = make(FlatMeasure::Corners);
            assert_sound(&corners.body, &[0], scale);
            assert_near(corners.body.measure().volume, 350.0 * n * (TAU / n).sin() * scale.powi(3), 1e-12);
        }
    }
}

#[test]
fn an_end_a_little_off_the_axis_is_reported_with_its_distance() {
    let profile = polyline(&[p(0.34, 0.0), p(40.0, 20.0)]);
    let r = turned(&profile, FULL, true, 1.0).unwrap();
    assert_eq!(r.meridian.off_axis.len(), 1);
    assert_near(r.meridian.off_axis[0].distance, 0.34, 1e-12);
    assert!(!r.body.is_solid());
    assert_eq!(closure(r.body.shells()[0]).free_edges.len(), 2);
    let beyond = turned(&polyline(&[p(-0.2, 0.0), p(40.0, 20.0)]), FULL, true, 1.0);
    assert!(
        matches!(beyond, Err(SurfacingError::EndBeyondAxis { start: true, distance, .. }) if (distance - 0.2).abs() < 1e-12)
    );
}

#[test]
fn unusable_profiles_are_refused_with_their_place() {
    let bow = polyline(&[p(1.0, 0.0), p(5.0, 4.0), p(5.0, 0.0), p(1.0, 4.0)]);
    let error = turned(&bow, FULL, true, 1.0).unwrap_err();
    let SurfacingError::CrossesItself { at } = error else { panic!("{error}") };
    assert_near(at[0], 3.0, 1e-9);
    assert_near(at[2], 2.0, 1e-9);
    let across = through_points(&[p(2.0, 0.0), p(-3.0, 2.0), p(4.0, 5.0)], 1e-6).unwrap();
    assert!(matches!(
        turned(&[across], FULL, true, 1.0),
        Err(SurfacingError::CrossesAxis { .. } | SurfacingError::EndBeyondAxis { .. })
    ));
    let apart = vec![NurbsCurve::line(p(1.0, 0.0), p(2.0, 0.0)), NurbsCurve::line(p(3.0, 1.0), p(2.0, 4.0))];
    let error = turned(&apart, FULL, true, 1.0).unwrap_err();
    assert!(matches!(error, SurfacingError::NotOneChain { gap, .. } if (gap - 2f64.sqrt()).abs() < 1e-12));
    let line = polyline(&[p(1.0, 0.0), p(2.0, 3.0)]);
    assert!(matches!(
        turned(&line, Turn::Round { sweep: 0.0 }, true, 1.0),
        Err(SurfacingError::Angle { .. })
    ));
    assert!(matches!(
        turned(&line, Turn::FlatSided { sides: 2, measure: FlatMeasure::Flats }, true, 1.0),
        Err(SurfacingError::Sides(2))
    ));
    let off_plane = NurbsCurve::line(Point3::new(1.0, 0.5, 0.0), Point3::new(4.0, 0.0, 3.0));
    assert!(matches!(turned(&[off_plane], FULL, true, 1.0), Err(SurfacingError::NotWithAxis { .. })));
}

#[test]
fn a_thickened_sphere_is_the_difference_of_two_balls() {
    // OF-04: r = 5, t = 0.4.
    for scale in SCALES {
        let ball = turned(&[arc(Point3::origin(), 5.0, -PI / 2.0, PI)], FULL, true, scale).unwrap();
        let tolerance = Tolerance::default().scaled(scale);
        for (outward, inward, expected) in
            [(0.2, 0.2, 125.7307267868683), (0.4, 0.0, 135.9848852081854), (0.0, 0.4, 115.8786922252107)]
        {
            let wall = thicken(&ball, outward * scale, inward * scale, &tolerance).unwrap();
            assert_sound(&wall.body, &[0, 0], scale);
            assert_near(wall.body.measure().volume, expected * scale.powi(3), 1e-10);
        }
    }
}

#[test]
fn a_thickened_cylinder_and_torus_have_area_times_thickness() {
    // OF-05: both sides, t = 0.3: cylinder r = 2, h = 5 and torus R = 3, r = 1.
    let tube = turned(&polyline(&[p(2.0, 0.0), p(2.0, 5.0)]), FULL, true, 1.0).unwrap();
    let wall = thicken(&tube, 0.15, 0.15, &Tolerance::default()).unwrap();
    assert_sound(&wall.body, &[1], 1.0);
    assert_near(wall.body.measure().volume, 18.84955592153876, 1e-12);
    let ring = turned(&[arc(p(3.0, 0.0), 1.0, 0.0, TAU)], FULL, true, 1.0).unwrap();
    let wall = thicken(&ring, 0.15, 0.15, &Tolerance::default()).unwrap();
    assert_sound(&wall.body, &[1, 1], 1.0);
    assert_near(wall.body.measure().volume, 35.53057584392169, 1e-9);
    // A clockwise circle faces outwards as well: inward is still inward.
    let clockwise = turned(&[arc(p(3.0, 0.0), 1.0, 0.0, -TAU)], FULL, true, 1.0).unwrap();
    let (a, b) = (
        thicken(&ring, 0.0, 0.2, &Tolerance::default()),
        thicken(&clockwise, 0.0, 0.2, &Tolerance::default()),
    );
    assert_near(a.unwrap().body.measure().volume, b.unwrap().body.measure().volume, 1e-12);
}

#[test]
fn outward_follows_the_facing() {
    let line = polyline(&[p(2.0, 0.0), p(2.0, 5.0)]);
    let named: Vec<_> = line.iter().map(|c| (c.clone(), "wall".to_string())).collect();
    for (flipped, expected) in [(false, 2.5f64.powi(2) - 4.0), (true, 4.0 - 1.5f64.powi(2))] {
        let tube =
            revolve(&named, &z_axis(), FULL, true, (Outside::RightOfProfile, flipped), &Tolerance::default())
                .unwrap();
        let wall = thicken(&tube, 0.5, 0.0, &Tolerance::default()).unwrap();
        assert_near(wall.body.measure().volume, PI * 5.0 * expected, 1e-12);
    }
}

#[test]
fn corners_are_mitred_outside_and_cut_inside() {
    // A cup: flat bottom of radius 10, straight wall 20 high, 2 mm inward and 2 mm outward.
    // Inward it is a cylinder less a smaller one; outward a larger one less itself (disc and tube, textbook volumes).
    let cup = polyline(&[p(0.0, 0.0), p(10.0, 0.0), p(10.0, 20.0)]);
    for scale in SCALES {
        let shell = turned(&cup, FULL, true, scale).unwrap();
        let tolerance = Tolerance::default().scaled(scale);
        let inward = thicken(&shell, 0.0, 2.0 * scale, &tolerance).unwrap();
        assert_sound(&inward.body, &[0], scale);
        assert_near(inward.body.measure().volume, PI * (100.0 * 20.0 - 64.0 * 18.0) * scale.powi(3), 1e-12);
        let outward = thicken(&shell, 2.0 * scale, 0.0, &tolerance).unwrap();
        assert_sound(&outward.body, &[0], scale);
        assert_near(outward.body.measure().volume, PI * (144.0 * 22.0 - 100.0 * 20.0) * scale.powi(3), 1e-12);
        let open = turned(&cup, Turn::Round { sweep: 1.5 * PI }, true, scale).unwrap();
        let part = thicken(&open, 0.0, 2.0 * scale, &tolerance).unwrap();
        assert_sound(&part.body, &[0], scale);
        assert_near(part.body.measure().volume, 0.75 * inward.body.measure().volume, 1e-12);
    }
}

#[test]
fn a_flat_sided_cup_keeps_its_thickness_across_the_flats() {
    // Square cup, 20 mm across flats, wall 1 mm inward: 20 x 20 x 10 less 18 x 18 x 9.
    let cup = polyline(&[p(0.0, 0.0), p(10.0, 0.0), p(10.0, 10.0)]);
    let flats = Turn::FlatSided { sides: 4, measure: FlatMeasure::Flats };
    let shell = turned(&cup, flats, true, 1.0).unwrap();
    let wall = thicken(&shell, 0.0, 1.0, &Tolerance::default()).unwrap();
    assert_sound(&wall.body, &[0], 1.0);
    assert_near(wall.body.measure().volume, 4000.0 - 18.0 * 18.0 * 9.0, 1e-12);
    let corner = p(10.0 * 2f64.sqrt(), 0.0);
    let cup = polyline(&[p(0.0, 0.0), corner, p(corner.x, 10.0)]);
    let corners = Turn::FlatSided { sides: 4, measure: FlatMeasure::Corners };
    let shell = turned(&cup, corners, true, 1.0).unwrap();
    let wall = thicken(&shell, 0.0, 1.0, &Tolerance::default()).unwrap();
    assert_near(wall.body.measure().volume, 4000.0 - 18.0 * 18.0 * 9.0, 1e-12);
}

#[test]
fn a_cone_tip_is_extended_to_the_axis_on_its_outer_side() {
    // A 45 degree cone of radius 10 with 1 mm outward: offset cone is sqrt(2) lower at the tip. Its section is the
    // parallelogram between both lines plus the square-cut rim; volume by Pappus-Guldinus on that section.
    let cone = turned(&polyline(&[p(0.0, 0.0), p(10.0, 10.0)]), FULL, true, 1.0).unwrap();
    let wall = thicken(&cone, 1.0, 0.0, &Tolerance::default()).unwrap();
    assert_sound(&wall.body, &[0], 1.0);
    let s = 2f64.sqrt();
    let section = [(0.0, 0.0), (0.0, -s), (10.0 + 1.0 / s, 10.0 - 1.0 / s), (10.0, 10.0)];
    let mut moment = 0.0;
    for i in 0..4 {
        let ((x0, y0), (x1, y1)) = (section[i], section[(i + 1) % 4]);
        moment += (x0 * y1 - x1 * y0) * (x0 + x1) / 6.0;
    }
    assert_near(wall.body.measure().volume, TAU * moment, 1e-12);
    let inward = thicken(&cone, 0.0, 1.0, &Tolerance::default()).unwrap();
    assert_sound(&inward.body, &[0], 1.0);
}

#[test]
fn a_wall_thicker_than_the_concave_radius_is_refused_with_what_fits() {
    // DR-05: an inner fillet radius of 4 allows an inward offset below 4.
    let bowl = [arc(p(16.0, 4.0), 4.0, -PI / 2.0, PI / 2.0), NurbsCurve::line(p(20.0, 4.0), p(20.0, 30.0))];
    let shell = turned(&bowl, FULL, true, 1.0).unwrap();
    let error = thicken(&shell, 0.0, 4.5, &Tolerance::default()).unwrap_err();
    let SurfacingError::TooThick { asked, fits, .. } = error else { panic!("{error}") };
    assert_near(asked, 4.5, 1e-12);
    assert!(fits < 4.0 && fits > 3.99, "{fits}");
    assert!(thicken(&shell, 0.0, fits, &Tolerance::default()).is_ok());
    assert!(matches!(thicken(&shell, 0.0, 0.0, &Tolerance::default()), Err(SurfacingError::NoThickness)));
    assert!(matches!(
        thicken(&shell, f64::NAN, 1.0, &Tolerance::default()),
        Err(SurfacingError::NoThickness)
    ));
    let tube = turned(&polyline(&[p(2.0, 0.0), p(2.0, 5.0)]), FULL, true, 1.0).unwrap();
    let error = thicken(&tube, 0.0, 2.5, &Tolerance::default()).unwrap_err();
    assert!(matches!(error, SurfacingError::TooThick { fits, .. } if fits > 1.99 && fits < 2.0), "{error}");
}

#[test]
fn a_freeform_wall_lies_within_the_fit_tolerance_of_the_true_offset() {
    let profile =
        through_points(&[p(0.0, 0.0), p(8.0, 4.0), p(10.0, 20.0), p(40.0, 45.0), p(50.0, 70.0)], 1e-6)
            .unwrap();
    let shell = turned(&[profile], FULL, true, 1.0).unwrap();
    let wall = thicken(&shell, 1.0, 1.0, &Tolerance::default()).unwrap();
    assert!(wall.max_deviation <= Tolerance::default().fit);
    assert_sound(&wall.body, &[0], 1.0);
    // Steiner: the mean of both one-sided walls' volumes is the area times the thickness, up to third order.
    let area = topology::area(shell.body.shells()[0]);
    let both = wall.body.measure().volume;
    assert!((both / (area * 2.0) - 1.0).abs() < 0.05, "{both} against {}", area * 2.0);
}
