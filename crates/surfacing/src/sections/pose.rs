//! A section as it is seen when it is compared with others.

use geometry::{Frame, Point3, Vector3};
use nalgebra::{Rotation3, Unit};

use super::outline::Outline;

/// Places at equal shares of its length at which a section is compared with another one.
pub(super) const COMPARED_AT: usize = 48;

/// From where and how large a section is seen when it is compared with others: about its middle, turned until the planes
/// agree, brought to one size.
#[derive(Debug, Clone)]
pub(super) struct Pose {
    pub middle: Point3,
    /// Normal of a closed section, from whose side it turns left.
    pub normal: Option<Vector3>,
    size: f64,
    turn: Rotation3<f64>,
}

impl Pose {
    pub fn of(outline: &Outline<'_>, closed: bool) -> Self {
        Self::of_marks(&outline.places(0.0, COMPARED_AT), closed)
    }

    /// Of a section by its places at equal shares of its length.
    pub fn of_marks(places: &[Point3], closed: bool) -> Self {
        let middle = Point3::from(super::middle(places));
        let normal = if closed { Frame::of_outline(places).map(|f| f.z) } else { None };
        let squares = places.iter().map(|p| (p - middle).norm_squared()).sum::<f64>();
        let size = (squares / places.len() as f64).sqrt().max(f64::MIN_POSITIVE);
        Self { middle, normal, size, turn: Rotation3::identity() }
    }

    /// The same, seen so that its plane agrees with that of another one.
    pub fn facing(mut self, other: &Self) -> Self {
        // From the one to the other by the shortest turn, and on as that one was turned: along a row of sections that goes
        // round in all, no section is compared with one that faces away.
        self.turn = other.turn;
        if let (Some(own), Some(wanted)) = (self.normal, other.normal)
            && let Some(axis) = Unit::try_new(own.cross(&wanted), 1e-9)
        {
            let angle = own.cross(&wanted).norm().atan2(own.dot(&wanted));
            self.turn = other.turn * Rotation3::from_axis_angle(&axis, angle);
        }
        self
    }

    pub fn seen(&self, place: &Point3) -> Vector3 {
        self.turn * (place - self.middle) / self.size
    }

    /// How far apart marks of two sections stand, as the mean of the squares.
    pub fn apart(&self, own: &[Point3], other: &Self, marks: &[Point3]) -> f64 {
        let pairs = own.iter().zip(marks);
        pairs.map(|(p, q)| (self.seen(p) - other.seen(q)).norm_squared()).sum::<f64>() / own.len() as f64
    }
}

/// Poses of sections in their order, each seen like the one before it.
pub(super) fn facing_in_turn(poses: impl Iterator<Item = Pose>) -> Vec<Pose> {
    let mut seen: Vec<Pose> = Vec::new();
    for pose in poses {
        seen.push(match seen.last() {
            Some(before) => pose.facing(before),
            None => pose,
        });
    }
    seen
}
