//! Pipes along lines and arcs, and their offsets, against closed forms; where the offset is thicker than the bend it is cut back to
//! where it meets itself.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::collections::HashMap;
use std::f64::consts::PI;

use geometry::{Axis, Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc};
use proptest::prelude::*;
use shapes::bent::Bent;
use shapes::{near, sound};
use surfacing::{Outside, Turn, offset_shell, revolve};
use topology::{Body, MeshTolerance, Shell, mesh};

fn offset(shell: &Shell, by: f64) -> Body {
    let made = offset_shell(shell, &vec![by; shell.faces().len()], &Tolerance::default()).unwrap();
    assert!(made.max_deviation < 1e-9, "{}", made.max_deviation);
    Body::from_shell(made.shell)
}

/// The area within `w` mm of a flat path with legs of `leg` mm, to its sides only. Where the bend is the tighter, its inner side
/// ends where the two legs' sides meet.
fn beside(path: &Bent, leg: f64, w: f64) -> f64 {
    let (r, half) = (path.radius, (0.5 * path.turn).tan());
    let outer = 2.0 * w * leg + 0.5 * path.turn * ((r + w).powi(2) - r * r);
    let inner = if w <= r {
        2.0 * w * leg + 0.5 * path.turn * (r * r - (r - w).powi(2))
    } else {
        // Two strips up to the place that faces where they meet, and the kite between, without what lies outside of the bend.
        2.0 * w * (leg - (w - r) * half) + w * w * half - (r * r * half - 0.5 * path.turn * r * r)
    };
    outer + inner
}

/// The volume of what lies within `radius` mm of the path, its legs longer by `more` mm: by slices along its plane.
fn within(path: &Bent, radius: f64, more: f64) -> f64 {
    const SLICES: usize = 200_000;
    let slice = |k: usize| {
        let angle = PI * ((k as f64 + 0.5) / SLICES as f64 - 0.5);
        beside(path, path.leg + more, radius * angle.cos()) * radius * angle.cos()
    };
    (0..SLICES).map(slice).sum::<f64>() * PI / SLICES as f64
}

/// That every side of a triangle is one of exactly two.
fn is_closed_mesh(body: &Body) -> bool {
    let made = mesh(body.shells()[0], MeshTolerance::chord(0.05)).unwrap();
    let mut uses: HashMap<[u32; 2], usize> = HashMap::new();
    for t in made.triangles() {
        for k in 0..3 {
            let side = [t[k], t[(k + 1) % 3]];
            *uses.entry([side[0].min(side[1]), side[0].max(side[1])]).or_default() += 1;
        }
    }
    made.converged && uses.values().all(|n| *n == 2)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn pipes_and_their_offsets_hold_what_pappus_says(
        leg in 20.0..60.0f64,
        tube in 2.0..6.0f64,
        tight in 1.05..2.5f64,
        turn in 0.3..1.5f64,
        by in -0.9..2.0f64,
    ) {
        let path = Bent { leg, radius: tight * tube, turn };
        let pipe = path.pipe(tube);
        prop_assert!(pipe.max_deviation < 1e-9);
        let length = 2.0 * leg + path.radius * turn;
        near(sound(&pipe.body, 0), PI * tube * tube * length, 1e-9);
        // An offset that closes a bend of the path altogether is another shape.
        let radius = tube + by * tube;
        let gone = (radius - path.radius) * (0.5 * turn).tan();
        prop_assume!(gone < leg - 1.0 && (radius - path.radius).abs() > 1e-3);
        let made = offset(pipe.body.shells()[0], by * tube);
        // The edge in which both legs meet is one within the fit tolerance.
        let bound = if radius < path.radius { 1e-9 } else { 1e-4 };
        near(sound(&made, 0), within(&path, radius, by * tube), bound);
        prop_assert!(is_closed_mesh(&made));
    }

    /// An offset that goes only a little beyond the axis of the bend folds in a slit on either side of the pipe's seam.
    #[test]
    fn offsets_are_cut_back_where_they_just_fold(
        leg in 20.0..60.0f64,
        tube in 2.0..6.0f64,
        tight in 1.05..2.5f64,
        turn in 0.3..1.5f64,
        digits in -5.0..-1.0f64,
    ) {
        let path = Bent { leg, radius: tight * tube, turn };
        let pipe = path.pipe(tube);
        let by = path.radius - tube + 10.0_f64.powf(digits);
        let made = offset(pipe.body.shells()[0], by);
        near(sound(&made, 0), within(&path, tube + by, by), 1e-4);
        prop_assert!(is_closed_mesh(&made));
    }

    /// A ball with a cone that touches it all round: without any sharp edge but for its tip, which goes out along the axis.
    #[test]
    fn tips_of_smooth_shapes_go_out_along_their_axes(
        ball in 3.0..20.0f64,
        half in 0.2..1.2f64,
        by in -0.7..1.5f64,
    ) {
        let touch = Point3::new(ball * half.cos(), 0.0, ball * half.sin());
        let tip = Point3::new(0.0, 0.0, ball / half.sin());
        let frame = Frame::new(Point3::origin(), -Vector3::z(), Vector3::x()).unwrap();
        let arc = circle_arc(&frame, ball, 0.0, 0.5 * PI + half).unwrap();
        prop_assert!((arc.end() - touch).norm() < 1e-9);
        let profile = [(arc, "ball".into()), (NurbsCurve::line(touch, tip), "cone".into())];
        let axis = Axis::new(Point3::origin(), Vector3::z()).unwrap();
        let drop = revolve(&profile, &axis, Turn::Round { sweep: 2.0 * PI }, true, (Outside::FromAxis, false), &Tolerance::default());
        let drop = drop.unwrap();
        let whole = sound(&drop.body, 0);
        let made = offset(drop.body.shells()[0], by * ball);
        near(sound(&made, 0), whole * (1.0 + by).powi(3), 1e-9);
    }
}
