//! A section as it is seen when it is compared with others.

use geometry::{Frame, Point3, Vector3, gauss_legendre};
use nalgebra::{Rotation3, Unit};

use super::outline::Outline;

/// Places at equal shares of its length at which a section is compared with another one.
pub(super) const COMPARED_AT: usize = 48;

/// Panels of every knot span, and nodes of each, by which a section's middle and size are measured.
const PANELS_PER_SPAN: usize = 2;
const NODES: usize = 6;

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
    /// Of a section as it is, wherever it begins.
    pub fn of(outline: &Outline<'_>, closed: bool) -> Self {
        let mut places: Vec<(Point3, f64)> = Vec::new();
        for piece in outline.pieces {
            for w in piece.knots().sampled(PANELS_PER_SPAN).windows(2) {
                places.extend(gauss_legendre(NODES).iter().map(|(node, weight)| {
                    let (point, velocity) = piece.moving(w[0] + (w[1] - w[0]) * node);
                    (point, weight * (w[1] - w[0]) * velocity.norm())
                }));
            }
        }
        let whole = places.iter().map(|p| p.1).sum::<f64>().max(f64::MIN_POSITIVE);
        let middle = places.iter().map(|(p, w)| p.coords * (w / whole)).sum::<Vector3>();
        let squares = places.iter().map(|(p, w)| (p.coords - middle).norm_squared() * w).sum::<f64>();
        let around: Vec<Point3> = places.into_iter().map(|p| p.0).collect();
        Self::new(Point3::from(middle), squares / whole, closed.then_some(around.as_slice()))
    }

    /// Of a section by its places at equal shares of its length.
    pub fn of_marks(places: &[Point3], closed: bool) -> Self {
        let middle = Point3::from(super::middle(places));
        let squares = places.iter().map(|p| (p - middle).norm_squared()).sum::<f64>();
        Self::new(middle, squares / places.len() as f64, closed.then_some(places))
    }

    fn new(middle: Point3, mean_square: f64, around: Option<&[Point3]>) -> Self {
        let normal = around.and_then(Frame::of_outline).map(|f| f.z);
        let size = mean_square.sqrt().max(f64::MIN_POSITIVE);
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
