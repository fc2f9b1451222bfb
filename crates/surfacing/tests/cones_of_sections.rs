//! Lofts through sections of one cone, of any outline: what lies between two planes that are parallel, however they stand to
//! the cone, is a third of area times height, A d (b^3 - a^3) / 3 for the sizes a and b (Cavalieri; any handbook of solid
//! geometry). It does not matter how many sections are in between, where each begins, or which way it runs.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{FRAC_PI_2, TAU};

use geometry::{NurbsCurve, Point3, Tolerance, Vector3};
use proptest::prelude::*;
use shapes::outlines::{area, families};
use shapes::{ellipse, in_space, mapped, polygon, sound};
use surfacing::{Between, Loft, Section, loft};

fn volume(sections: &[Section], between: Between, tolerance: &Tolerance) -> f64 {
    let made = loft(sections, &Loft { between, ..Loft::default() }, tolerance).unwrap();
    assert!(
        topology::flaws(made.body.shells()[0]).is_empty(),
        "{:?}",
        topology::flaws(made.body.shells()[0])
    );
    sound(&made.body, 0)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn sections_of_a_cone_give_the_cone(
        family in families(),
        apex in (-30.0..30.0f64, -30.0..30.0f64, 60.0..140.0f64),
        turn in (0.0..TAU, -FRAC_PI_2..FRAC_PI_2),
        sizes in prop::collection::vec(0.15..0.9f64, 1..4),
        drawn in prop::collection::vec((0..8usize, prop::bool::ANY), 5),
        straight in prop::bool::ANY,
        moved in prop::sample::select(vec![0.0, 3000.0]),
    ) {
        let outline = family.outline();
        let whole = area(&outline);
        let mut sizes: Vec<f64> = sizes.into_iter().chain([1.0]).collect();
        sizes.sort_by(f64::total_cmp);
        sizes.dedup_by(|b, a| *b - *a < 0.06);
        prop_assume!(sizes.len() > 1);
        // The apex stands over the outline's plane; all of it turned and moved.
        let apex = Vector3::new(apex.0, apex.1, apex.2);
        let rotation = nalgebra::Rotation3::from_euler_angles(turn.0, turn.1, 0.0);
        let away = Vector3::new(moved, -moved, 0.5 * moved);
        let section = |(size, (begin, back)): (&f64, &(usize, bool))| {
            let mut own = mapped(outline.clone(), |p| {
                Point3::from(rotation * (apex + (p.coords - apex) * *size) + away)
            });
            let count = own.len();
            own.rotate_left(begin % count);
            if *back {
                own = own.iter().rev().map(NurbsCurve::reversed).collect();
            }
            in_space(own)
        };
        let sections: Vec<Section> = sizes.iter().zip(&drawn).map(section).collect();
        let between = if straight { Between::Straight } else { Between::Smooth };
        let tolerance = Tolerance::default();
        let expected = whole * apex.z / 3.0 * (1.0 - sizes[0].powi(3));
        let there = volume(&sections, between, &tolerance);
        prop_assert!((there - expected).abs() < 1e-4 * expected, "{family:?} {sizes:?}: {there} for {expected}");
        let reversed: Vec<Section> = sections.into_iter().rev().collect();
        let back = volume(&reversed, between, &tolerance);
        prop_assert!((there - back).abs() < 1e-5 * expected, "{family:?}: {there} and back {back}");
    }
}

#[test]
fn areas_by_quadrature_are_those_of_formulas() {
    shapes::near(area(&[ellipse(7.0, 3.0, 0.0, 0.4)]), TAU * 0.5 * 21.0, 1e-9);
    shapes::near(area(&polygon(&[[0.0; 3], [4.0, 0.0, 0.0], [4.0, 3.0, 0.0]])), 6.0, 1e-12);
}
