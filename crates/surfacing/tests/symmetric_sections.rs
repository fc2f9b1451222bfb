//! Lofts through unlike sections that are symmetric: what comes is as symmetric as they are, the same from the other end, and
//! as large as the integral of its own section areas.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::FRAC_PI_6;

use geometry::{NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_on_surface};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use shapes::outlines::{Family, families};
use shapes::{in_space, mapped, sound};
use surfacing::{Between, Loft, Section, loft};
use topology::Body;

/// From section to section, in mm.
const STEP: f64 = 45.0;

fn made(sections: &[Section], between: Between) -> Body {
    let made = loft(sections, &Loft { between, ..Loft::default() }, &Tolerance::default()).unwrap();
    let flaws = topology::flaws(made.body.shells()[0]);
    assert!(flaws.is_empty(), "{flaws:?}");
    made.body
}

fn sides(body: &Body) -> Vec<&NurbsSurface> {
    let faces = body.shells()[0].faces().iter().filter(|f| f.role.starts_with("side"));
    faces.map(|f| f.surface.as_ref()).collect()
}

/// The area inside closed curves, given by place and derivative for each face, over the parameters at which it has knots:
/// Green's theorem with Simpson's rule.
fn area(faces: &[&NurbsSurface], at: impl Fn(&NurbsSurface, f64) -> (Point3, Vector3)) -> f64 {
    let part = |surface: &&NurbsSurface| {
        let f = |u: f64| {
            let (p, du) = at(surface, u);
            0.5 * (p.x * du.y - p.y * du.x)
        };
        let steps = surface.knots_u().sampled(6);
        steps.windows(2).map(|w| simpson(w[0], w[1], f)).sum::<f64>()
    };
    faces.iter().map(part).sum()
}

/// The integral over the height of the areas inside the faces' curves at one parameter, which lie level.
fn stacked(faces: &[&NurbsSurface]) -> f64 {
    let f = |v: f64| {
        let rise = faces[0].tangents(faces[0].domain().0.at(0.4), v).2.z;
        rise * area(faces, |s, u| {
            let (p, du, _) = s.tangents(u, v);
            (p, du)
        })
    };
    let steps = faces[0].knots_v().sampled(32);
    steps.windows(2).map(|w| simpson(w[0], w[1], f)).sum::<f64>().abs()
}

/// What lies between two level sections and the straight lines from one to the other: the prismatoid formula.
fn between(faces: &[&NurbsSurface], height: f64) -> f64 {
    let level = |share: f64| {
        area(faces, |s, u| {
            let v = s.domain().1;
            let ((p, dp, _), (q, dq, _)) = (s.tangents(u, v.start), s.tangents(u, v.end));
            (p + (q - p) * share, dp * (1.0 - share) + dq * share)
        })
    };
    (height / 6.0 * (level(0.0) + 4.0 * level(0.5) + level(1.0))).abs()
}

fn simpson(a: f64, b: f64, f: impl Fn(f64) -> f64) -> f64 {
    (b - a) / 6.0 * (f(a) + 4.0 * f(0.5 * (a + b)) + f(b))
}

/// The largest distance from the faces of places that mirror some of their own over the plane y = 0.
fn asymmetry(faces: &[&NurbsSurface]) -> f64 {
    let mut worst: f64 = 0.0;
    for surface in faces {
        let (u, v) = surface.domain();
        for share in [[0.05, 0.3], [0.35, 0.6], [0.5, 0.15], [0.75, 0.9], [0.95, 0.5]] {
            let p = surface.point(u.at(share[0]), v.at(share[1]));
            let mirrored = Point3::new(p.x, -p.y, p.z);
            let off = faces.iter().map(|f| closest_on_surface(f, &mirrored).distance);
            worst = worst.max(off.fold(f64::INFINITY, f64::min));
        }
    }
    worst
}

/// An outline with how large it is, how far along x, and how it is leant about y.
type Set = (Family, f64, f64, f64);

/// Sections one above the other, each begun at a piece and run either way.
fn stacked_up(sets: &[Set], drawn: &[(usize, bool)], leant: bool) -> Vec<Section> {
    let section = |(i, (set, (begin, back))): (usize, (&Set, &(usize, bool)))| {
        let (family, size, along, lean) = set;
        let (sin, cos) = if leant { lean.sin_cos() } else { (0.0, 1.0) };
        let mut own = mapped(family.outline(), |p| {
            Point3::new(size * p.x * cos + along, size * p.y, size * p.x * sin + STEP * i as f64)
        });
        let count = own.len();
        own.rotate_left(begin % count);
        if *back {
            own = own.iter().rev().map(NurbsCurve::reversed).collect();
        }
        in_space(own)
    };
    sets.iter().zip(drawn).enumerate().map(section).collect()
}

// Found by chance: once each of them came out unsymmetric by 1 to 7 mm.
#[test]
fn sections_whose_corners_lie_between_others_are_joined_evenly() {
    let sharp = |radii: &[f64]| Family::Rounded { radii: radii.to_vec(), rounding: 0.0 };
    let rounded = |radii: &[f64]| Family::Rounded { radii: radii.to_vec(), rounding: 1.0 };
    let foil = |thickness: f64, blunt: bool| Family::Foil { thickness, blunt };
    let rows: [(&str, Vec<Set>); 8] = [
        (
            "a nose between two corners",
            vec![
                (sharp(&[15.5, 16.9, 17.1, 17.1, 16.9]), 0.53, 1.4, -0.12),
                (foil(0.177, false), 1.0, 5.9, 0.33),
            ],
        ),
        (
            "as many pieces only once one is cut",
            vec![
                (rounded(&[21.0, 21.2, 16.1, 21.8, 16.1, 21.2]), 0.51, 3.4, 0.07),
                (rounded(&[15.5, 17.1, 18.5, 18.5, 17.1]), 0.46, 1.4, -0.48),
            ],
        ),
        (
            "a blunt edge to a corner, a nose to a side",
            vec![
                (foil(0.163, true), 0.63, 0.0, 0.46),
                (sharp(&[14.1, 15.6, 18.5, 18.5, 15.6]), 0.87, -5.7, 0.04),
            ],
        ),
        (
            "two corners each, at unlike ends",
            vec![(foil(0.066, false), 0.72, -5.8, -0.38), (foil(0.159, true), 0.82, -1.4, 0.36)],
        ),
        (
            "over a smooth section",
            vec![
                (foil(0.2, false), 0.91, 5.8, -0.06),
                (Family::Ellipse { a: 14.0, b: 12.4 }, 1.0, -4.6, 0.16),
                (sharp(&[19.7, 20.6, 17.1, 17.1, 20.6]), 0.87, -4.0, 0.0),
            ],
        ),
        (
            "a blunt edge in the middle",
            vec![
                (foil(0.113, false), 1.04, 4.9, 0.16),
                (foil(0.159, true), 0.66, 1.2, 0.13),
                (foil(0.213, false), 0.85, 1.5, -0.31),
            ],
        ),
        (
            "an edge that opens behind a smooth section",
            vec![
                (Family::Drop { radii: vec![15.9, 20.6, 20.7, 20.7, 20.6] }, 0.45, 2.6, -0.04),
                (Family::Ellipse { a: 19.8, b: 17.5 }, 1.18, 1.2, 0.28),
                (foil(0.069, true), 0.41, 2.8, -0.19),
                (foil(0.134, false), 0.52, -1.7, -0.46),
            ],
        ),
        (
            "faces of unlike widths",
            vec![
                (rounded(&[15.2, 19.0, 14.0, 20.1, 14.0, 19.0]), 0.98, 1.1, 0.3),
                (foil(0.071, true), 1.28, -0.9, -0.32),
                (sharp(&[21.9, 17.9, 14.7, 14.7, 17.9]), 0.79, -3.2, -0.07),
                (Family::Ellipse { a: 17.5, b: 25.5 }, 1.16, 0.9, -0.34),
            ],
        ),
    ];
    let drawn = [(3, true), (4, false), (7, true), (0, true)];
    for (name, sets) in rows {
        for (between, leant) in [(Between::Smooth, true), (Between::Straight, false)] {
            let sections = stacked_up(&sets, &drawn, leant);
            let body = made(&sections, between);
            let off = asymmetry(&sides(&body));
            assert!(off < 0.01, "{name}: {off} mm");
            let volume = sound(&body, 0);
            let back = sound(&made(&sections.into_iter().rev().collect::<Vec<_>>(), between), 0);
            assert!((volume - back).abs() < 1e-6 * volume, "{name}: {volume} and back {back}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: RngSeed::Fixed(17), ..ProptestConfig::with_cases(120) })]

    // The same ones each time: of 1000 others 5 were off by more than 0.003 mm, one of them by 0.02.
    #[test]
    fn unlike_symmetric_sections_give_symmetric_solids(
        sets in prop::collection::vec((families().prop_map(Family::symmetric), 0.4..1.3f64, -6.0..6.0f64, -FRAC_PI_6..FRAC_PI_6), 2..5),
        leant in prop::bool::ANY,
        straight in prop::bool::ANY,
        drawn in prop::collection::vec((0..8usize, prop::bool::ANY), 5),
    ) {
        let sections = stacked_up(&sets, &drawn, leant);
        let how = if straight { Between::Straight } else { Between::Smooth };
        let body = made(&sections, how);
        let volume = sound(&body, 0);
        let faces = sides(&body);
        if !leant && (sets.len() == 2 || !straight) {
            let areas = if sets.len() == 2 { between(&faces, STEP) } else { stacked(&faces) };
            prop_assert!((volume - areas).abs() < 1e-4 * areas, "{volume} for {areas}");
        }
        let reversed: Vec<Section> = sections.into_iter().rev().collect();
        let back = sound(&made(&reversed, how), 0);
        // A blunt edge beside a smooth place is as wide there as the narrowest face.
        let off = asymmetry(&faces);
        prop_assert!(off < 0.02, "{off} mm");
        prop_assert!((volume - back).abs() < 1e-6 * volume, "{volume} and back {back}");
    }
}
