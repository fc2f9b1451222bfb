//! The part of a sphere that closes a corner at which strips end.

use geometry::{Frame, Homogeneous, KnotVector, NurbsSurface, Point3, Vector3};

/// Half the angle in radians that such a part may span at most.
const MOST: f64 = 1.45;
/// How much wider than what lies on it the part is, in radians.
const MARGIN: f64 = 0.02;

/// A part of a sphere about a direction, one rational piece of degree two both ways.
pub(super) struct Ball {
    frame: Frame,
    radius: f64,
    half: f64,
}

impl Ball {
    /// The part that holds all places, which lie on the sphere; `None` where they span too much of it.
    pub(super) fn about(centre: Point3, radius: f64, places: &[Point3]) -> Option<Self> {
        let toward: Vector3 = places.iter().map(|p| (p - centre).normalize()).sum();
        let frame = Frame::square_to(centre, toward.try_normalize(1e-6)?)?;
        let mut out = Self { frame, radius, half: 0.0 };
        let angles = places.iter().flat_map(|p| out.angles(p));
        out.half = angles.map(f64::abs).fold(0.0, f64::max) + MARGIN;
        (out.half <= MOST).then_some(out)
    }

    /// Longitude and latitude of a place, both 0 in the middle.
    fn angles(&self, place: &Point3) -> [f64; 2] {
        let d = self.frame.coordinates(place) / self.radius;
        [d.x.atan2(d.z), d.y.clamp(-1.0, 1.0).asin()]
    }

    /// Its surface, with the normal away from the centre, longitude along u and latitude along v, both from 0 to 1.
    pub(super) fn surface(&self) -> Option<NurbsSurface> {
        let (sin, cos) = self.half.sin_cos();
        // An arc's control points (x, y, w), The NURBS Book, section 7.3.
        let arc = [[cos, -sin, 1.0], [1.0, 0.0, cos], [cos, sin, 1.0]];
        let r = self.radius;
        let point = |[c, s, w]: [f64; 3], [x, y, weight]: [f64; 3]| {
            let at = self.frame.x * (x * s) + self.frame.y * (y * w) + self.frame.z * (x * c);
            let all = w * weight;
            let p = self.frame.origin.coords * all + at * r;
            Homogeneous::new(p.x, p.y, p.z, all)
        };
        let points = arc.iter().flat_map(|lon| arc.iter().map(move |lat| point(*lon, *lat))).collect();
        NurbsSurface::from_homogeneous(KnotVector::bezier(2), KnotVector::bezier(2), points).ok()
    }

    /// The parameters of a place on it.
    pub(super) fn parameters(&self, place: &Point3) -> [f64; 2] {
        self.angles(place).map(|angle| {
            let (behind, ahead) = ((0.5 * (angle + self.half)).sin(), (0.5 * (self.half - angle)).sin());
            behind / (behind + ahead)
        })
    }
}
