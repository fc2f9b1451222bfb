use crate::{Frame, NurbsSurface, Point3, Vector3, circle_through};

/// Steps in each span and direction at which a surface is compared with an elementary one.
const STEPS: usize = 4;

/// The elementary surfaces of ISO 10303-42. Normals point along the frame's z for a plane, else away from the axis,
/// the centre, or the circle about which the surface lies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Elementary {
    /// The x-y plane of the frame.
    Plane(Frame),
    /// Round about the frame's z.
    Cylinder {
        /// Its z is the axis.
        frame: Frame,
        /// Radius in millimetres.
        radius: f64,
    },
    /// Round about the frame's z, wider along it.
    Cone {
        /// Its z is the axis.
        frame: Frame,
        /// Radius at the frame's origin.
        radius: f64,
        /// Angle between axis and side in radians, between 0 and a right angle.
        half_angle: f64,
    },
    /// About the frame's origin.
    Sphere {
        /// Its z is the axis that the surface was found by.
        frame: Frame,
        /// Radius in millimetres.
        radius: f64,
    },
    /// Round about the frame's z.
    Torus {
        /// Its z is the axis.
        frame: Frame,
        /// From the axis to the middle of the tube, more than `minor`.
        major: f64,
        /// Radius of the tube.
        minor: f64,
    },
}

impl Elementary {
    /// The surface as an elementary one where every place of it lies on that to `tolerance` mm, and whether its own
    /// normal points the same way. `None` for any other surface.
    ///
    /// A plane is found by its tangents; the others by their circles, which stand about one axis, and by the meridian,
    /// which is a line or an arc. Each is checked on a grid of places, four to each span and direction.
    #[must_use]
    pub fn of(surface: &NurbsSurface, tolerance: f64) -> Option<(Self, bool)> {
        let (us, vs) = (surface.knots_u().sampled(STEPS), surface.knots_v().sampled(STEPS));
        let grid = surface.grid(&us, &vs);
        let candidates = [plane(surface), turned(|s, t| at(surface, s, t)), turned(|s, t| at(surface, t, s))];
        let found = candidates
            .into_iter()
            .flatten()
            .find(|candidate| grid.iter().all(|p| candidate.distance(p).abs() <= tolerance))?;
        let (u, v) = surface.domain();
        let d = surface.derivatives(u.at(0.47), v.at(0.53));
        Some((found, d.area_vector().dot(&found.normal(&d.point)) > 0.0))
    }

    /// Its frame.
    #[must_use]
    pub fn frame(&self) -> &Frame {
        match self {
            Self::Plane(frame)
            | Self::Cylinder { frame, .. }
            | Self::Cone { frame, .. }
            | Self::Sphere { frame, .. }
            | Self::Torus { frame, .. } => frame,
        }
    }

    /// Distance of a point from the surface, positive on the side that the normal points to.
    #[must_use]
    pub fn distance(&self, point: &Point3) -> f64 {
        let c = self.frame().coordinates(point);
        let r = c.xy().norm();
        match *self {
            Self::Plane(_) => c.z,
            Self::Cylinder { radius, .. } => r - radius,
            Self::Cone { radius, half_angle, .. } => (r - radius) * half_angle.cos() - c.z * half_angle.sin(),
            Self::Sphere { radius, .. } => c.norm() - radius,
            Self::Torus { major, minor, .. } => (r - major).hypot(c.z) - minor,
        }
    }

    /// Direction in which the distance grows fastest at a point near the surface.
    fn normal(&self, point: &Point3) -> Vector3 {
        let frame = self.frame();
        let c = frame.coordinates(point);
        let out = Vector3::new(c.x, c.y, 0.0).try_normalize(0.0).unwrap_or_default();
        let local = match *self {
            Self::Plane(_) => Vector3::z(),
            Self::Cylinder { .. } => out,
            Self::Cone { half_angle, .. } => out * half_angle.cos() - Vector3::z() * half_angle.sin(),
            Self::Sphere { .. } => c,
            Self::Torus { major, .. } => c - out * major,
        };
        frame.x * local.x + frame.y * local.y + frame.z * local.z
    }
}

fn at(surface: &NurbsSurface, s: f64, t: f64) -> Point3 {
    let (u, v) = surface.domain();
    surface.point(u.at(s), v.at(t))
}

fn plane(surface: &NurbsSurface) -> Option<Elementary> {
    let (u, v) = surface.domain();
    let d = surface.derivatives(u.at(0.5), v.at(0.5));
    Some(Elementary::Plane(Frame::new(d.point, d.u, d.v)?))
}

/// What a surface is whose first parameter runs round an axis, judged by three places of a circle and of a meridian.
fn turned(at: impl Fn(f64, f64) -> Point3) -> Option<Elementary> {
    const PLACES: [f64; 3] = [0.12, 0.48, 0.83];
    let circle = |t: f64| circle_through(at(PLACES[0], t), at(PLACES[1], t), at(PLACES[2], t));
    let (mut frame, _) = circle(PLACES[1])?;
    let [a, b, c] = PLACES.map(|t| {
        let c = frame.coordinates(&at(PLACES[0], t));
        Point3::new(c.xy().norm(), 0.0, c.z)
    });
    let Some((bend, minor)) = circle_through(a, b, c) else {
        let (dr, dz) = (c.x - a.x, c.z - a.z);
        if dr.abs() <= 1e-12 * dz.abs() {
            return Some(Elementary::Cylinder { frame, radius: b.x });
        }
        if dr * dz < 0.0 {
            frame = Frame::new(frame.origin, frame.x, -frame.y)?;
        }
        return Some(Elementary::Cone { frame, radius: b.x, half_angle: dr.abs().atan2(dz.abs()) });
    };
    let (major, height) = (bend.origin.x, bend.origin.z);
    frame.origin += frame.z * height;
    if major.abs() <= 1e-9 * minor {
        return Some(Elementary::Sphere { frame, radius: minor });
    }
    (major > minor * (1.0 + 1e-9)).then_some(Elementary::Torus { frame, major, minor })
}
