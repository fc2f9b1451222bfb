use nalgebra::Matrix4;
use serde::{Deserialize, Serialize};

use crate::{Point2, Point3, Vector3};

/// A right-handed set of three unit directions at a place; its x and y span a plane.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Frame {
    /// Where the frame stands.
    pub origin: Point3,
    /// First direction, of length 1.
    pub x: Vector3,
    /// Second direction, of length 1, square to `x`.
    pub y: Vector3,
    /// Normal of the plane, `x` cross `y`.
    pub z: Vector3,
}

impl Frame {
    /// A frame from two directions; `toward_y` need not be square to `x`. `None` when they are parallel or zero.
    #[must_use]
    pub fn new(origin: Point3, x: Vector3, toward_y: Vector3) -> Option<Self> {
        let x = x.try_normalize(f64::MIN_POSITIVE)?;
        let y = (toward_y - x * x.dot(&toward_y)).try_normalize(1e-12 * toward_y.norm())?;
        Some(Self { origin, x, y, z: x.cross(&y) })
    }

    /// The frame with a given z, its y as far upwards as can be; for an upright z, its y along y. `None` when the
    /// normal has no length.
    #[must_use]
    pub fn square_to(origin: Point3, normal: Vector3) -> Option<Self> {
        let z = normal.try_normalize(f64::MIN_POSITIVE)?;
        let upright = z.cross(&Vector3::z()).norm() < 1e-6;
        let x = if upright { Vector3::y() } else { Vector3::z() }.cross(&z).normalize();
        Some(Self { origin, x, y: z.cross(&x), z })
    }

    /// The frame of the plane in which a closed outline turns, at its first point, from whose side it turns left; `None`
    /// for one that encloses nothing.
    ///
    /// # References
    /// Newell's normal: Sutherland, Evans & Schumacker, Computing Surveys 6, 1974 (from memory).
    #[must_use]
    pub fn of_outline(outline: &[Point3]) -> Option<Self> {
        let origin = *outline.first()?;
        let pairs = outline.iter().zip(outline.iter().cycle().skip(1));
        let normal: Vector3 = pairs.map(|(a, b)| (a - origin).cross(&(b - origin))).sum();
        let size = outline.iter().map(|p| (p - origin).norm()).fold(0.0, f64::max);
        if normal.norm() <= 1e-9 * size * size { None } else { Self::square_to(origin, normal) }
    }

    /// The map that brings coordinates along `x`, `y` and `z` to points of space.
    #[must_use]
    pub fn to_world(&self) -> Matrix4<f64> {
        let c = |v: Vector3| v.push(0.0);
        Matrix4::from_columns(&[c(self.x), c(self.y), c(self.z), self.origin.coords.push(1.0)])
    }

    /// The map that brings points of space to their coordinates along `x`, `y` and `z`.
    #[must_use]
    pub fn from_world(&self) -> Matrix4<f64> {
        let turned = self.to_world().transpose();
        let mut map = Matrix4::identity();
        map.fixed_view_mut::<3, 3>(0, 0).copy_from(&turned.fixed_view::<3, 3>(0, 0));
        let moved = -(map.transform_vector(&self.origin.coords));
        map.fixed_view_mut::<3, 1>(0, 3).copy_from(&moved);
        map
    }

    /// The point of space that has the plane coordinates `(x, y)`.
    #[must_use]
    pub fn to_space(&self, x: f64, y: f64) -> Point3 {
        self.origin + self.x * x + self.y * y
    }

    /// Coordinates of a point along `x`, `y` and `z`.
    #[must_use]
    pub fn coordinates(&self, point: &Point3) -> Vector3 {
        let d = point - self.origin;
        Vector3::new(d.dot(&self.x), d.dot(&self.y), d.dot(&self.z))
    }

    /// Plane coordinates of a point, its height above the plane left out.
    #[must_use]
    pub fn flattened(&self, point: &Point3) -> Point2 {
        let c = self.coordinates(point);
        Point2::new(c.x, c.y)
    }
}

/// A straight line without ends, with a direction: what things turn about.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Axis {
    /// A point on it.
    pub origin: Point3,
    /// Its direction, of length 1.
    pub direction: Vector3,
}

impl Axis {
    /// An axis through `origin`; `None` when the direction has no length.
    #[must_use]
    pub fn new(origin: Point3, direction: Vector3) -> Option<Self> {
        Some(Self { origin, direction: direction.try_normalize(1e-12)? })
    }

    /// Signed distance along the axis from its origin to the foot of `point`, in millimetres.
    #[must_use]
    pub fn height(&self, point: &Point3) -> f64 {
        (point - self.origin).dot(&self.direction)
    }

    /// The vector from the axis to `point`, square to the axis.
    #[must_use]
    pub fn radial(&self, point: &Point3) -> Vector3 {
        let d = point - self.origin;
        d - self.direction * d.dot(&self.direction)
    }
}
