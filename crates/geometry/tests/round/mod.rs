//! Round surfaces for the tests, of this crate and of those above it.
#![allow(dead_code, reason = "each test file uses some of it")]
#![allow(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{Frame, Homogeneous, NurbsCurve, NurbsSurface, Point3, Vector3, circle_arc};

pub fn world() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::y()).unwrap()
}

pub fn cylinder(radius: f64, height: f64) -> NurbsSurface {
    let circle = circle_arc(&world(), radius, 0.0, TAU).unwrap();
    NurbsSurface::ruled(&circle, &circle.mapped(|q| q + Vector3::z() * height)).unwrap()
}

/// A profile in the xz plane turned about z (section 8.5 of The NURBS Book).
pub fn turned(profile: &NurbsCurve) -> NurbsSurface {
    let circle = circle_arc(&world(), 1.0, 0.0, TAU).unwrap();
    let row = |c: &Homogeneous| {
        let of = |p: &Homogeneous| Homogeneous::new(p.x * c.x, p.x * c.y, p.z * c.w, p.w * c.w);
        profile.homogeneous().iter().map(of).collect::<Vec<_>>()
    };
    let points = circle.homogeneous().iter().flat_map(row).collect();
    NurbsSurface::from_homogeneous(circle.knots().clone(), profile.knots().clone(), points).unwrap()
}

pub fn upright(centre: Point3) -> Frame {
    Frame::new(centre, Vector3::x(), Vector3::z()).unwrap()
}

pub fn sphere(radius: f64) -> NurbsSurface {
    turned(&circle_arc(&upright(Point3::origin()), radius, -PI / 2.0, PI).unwrap())
}

pub fn torus(major: f64, minor: f64) -> NurbsSurface {
    turned(&circle_arc(&upright(Point3::new(major, 0.0, 0.0)), minor, 0.0, TAU).unwrap())
}
