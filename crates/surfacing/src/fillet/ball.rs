//! The part of a sphere that closes a corner at which strips end.

use geometry::{Frame, Homogeneous, KnotVector, NurbsSurface, Point3, Vector3};

/// Half the angle in radians that such a part may span at most.
const MOST: f64 = 2.4;
/// How much wider than what lies on it the part is.
const MARGIN: f64 = 0.02;

/// A part of a sphere about a direction, of degree two both ways: the stereographic image of a square, which has no poles and
/// stretches alike in all directions.
pub(super) struct Ball {
    frame: Frame,
    radius: f64,
    half: f64,
}

impl Ball {
    /// The part that holds all places, which lie on the sphere; `None` where they span too much of it.
    pub(super) fn about(centre: Point3, radius: f64, places: &[Point3]) -> Option<Self> {
        let ways: Vec<Vector3> = places.iter().map(|p| (p - centre).normalize()).collect();
        let frame = Frame::square_to(centre, middle_of(&ways)?)?;
        let mut out = Self { frame, radius, half: 0.0 };
        let most = (0.5 * MOST).tan();
        for place in places {
            let [x, y] = out.parameters(place);
            out.half = out.half.max(x.abs()).max(y.abs());
        }
        out.half *= 1.0 + MARGIN;
        (out.half <= most).then_some(out)
    }

    /// Its surface, with the normal away from the centre.
    pub(super) fn surface(&self) -> Option<NurbsSurface> {
        let a = self.half;
        // Both pieces' blossoms (Ramshaw, Blossoms are polar forms, CAGD 6, 1989): with a knot in the middle all weights are positive.
        let (own, square) = ([-a, -0.5 * a, 0.5 * a, a], [a * a, 0.0, 0.0, a * a]);
        let point = |i: usize, j: usize| {
            let weight = 1.0 + square[i] + square[j];
            let at =
                self.frame.x * (2.0 * own[i]) + self.frame.y * (2.0 * own[j]) + self.frame.z * (2.0 - weight);
            let p = self.frame.origin.coords * weight + at * self.radius;
            Homogeneous::new(p.x, p.y, p.z, weight)
        };
        let points = (0..16).map(|k| point(k / 4, k % 4)).collect();
        let knots = KnotVector::try_new(2, vec![-a, -a, -a, 0.0, a, a, a]).ok()?;
        NurbsSurface::from_homogeneous(knots.clone(), knots, points).ok()
    }

    /// The parameters of a place on it.
    pub(super) fn parameters(&self, place: &Point3) -> [f64; 2] {
        let d = self.frame.coordinates(place) / self.radius;
        // Of the place opposite to the middle there are none.
        let scale = (1.0 + d.z).max(f64::EPSILON);
        [d.x / scale, d.y / scale]
    }
}

/// The direction from which the farthest of others is nearest (Badoiu and Clarkson, Smaller core-sets for balls, SODA 2003, from
/// memory): the mean of those around a needle's tip may lie to one side of it.
fn middle_of(ways: &[Vector3]) -> Option<Vector3> {
    /// Steps toward the farthest one, shorter and shorter.
    const STEPS: usize = 200;
    let mut middle = ways.iter().sum::<Vector3>().try_normalize(1e-9)?;
    for step in 1..=STEPS {
        let farthest = ways.iter().min_by(|a, b| a.dot(&middle).total_cmp(&b.dot(&middle)))?;
        middle = (middle + (farthest - middle) / (step + 1) as f64).try_normalize(1e-9)?;
    }
    Some(middle)
}
