//! What lies between the lines along which a ball touches two faces.

use geometry::Point3;
use nalgebra::Vector3;

/// The section of a fillet between the places at which a ball touches both faces; all are tangent to them there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Round {
    /// The arc of the ball itself.
    Arc,
    /// A conic of a fullness: the share of the way from the middle of its chord to where its end tangents meet at which it turns; one
    /// half is a parabola (its projective discriminant: Pratt, The virtues of cubic curves and conics, 1985, from memory).
    Conic(f64),
    /// A curve that also has the faces' curvatures at its ends, of a fullness between flat faces.
    Agreeing(f64),
}

impl Round {
    /// Fullnesses that can be asked for.
    pub const FULLNESS: [f64; 2] = [0.1, 0.75];

    /// Control points with their weights between the ends, from the place where the end tangents meet, with the weight that it has in
    /// an arc, and the faces' curvatures as vectors.
    ///
    /// # Method
    /// For curvatures a quintic, whose third point alone tells the one at its end (Farin, Curves and surfaces for CAGD, 2002,
    /// section 11.6: curvature of a Bezier curve at its end). Two surfaces with a common tangent plane along a curve and the same
    /// normal curvature across it agree in all curvatures there (Pegna and Wolter, Geometrical criteria to guarantee curvature
    /// continuity of blend surfaces, 1992: the linkage curve theorem).
    pub(super) fn poles(
        self,
        [a, b]: [Point3; 2],
        (apex, weight): (Point3, f64),
        bends: [Vector3<f64>; 2],
    ) -> Vec<(Point3, f64)> {
        let fullness = match self {
            Self::Arc => return vec![(a, 1.0), (apex, weight), (b, 1.0)],
            Self::Conic(fullness) => {
                return vec![(a, 1.0), (apex, fullness / (1.0 - fullness)), (b, 1.0)];
            }
            Self::Agreeing(fullness) => fullness,
        };
        // Between flat faces the middle lies at (5 first + 10 second) / 16 of the way, the second twice as far off as the first.
        let second = fullness * 16.0 / 12.5;
        let first = 0.5 * second;
        let toward = |end: Point3, bend: Vector3<f64>| {
            let to_apex = apex - end;
            let speed = first * to_apex;
            // The curvature is 4/5 of the third point's distance from the tangent, by the square of the first one's from the end.
            let off = bend * (1.25 * speed.norm_squared());
            [(end + speed, 1.0), (end + second * to_apex + off, 1.0)]
        };
        let ([p, q], [s, r]) = (toward(a, bends[0]), toward(b, bends[1]));
        vec![(a, 1.0), p, q, r, s, (b, 1.0)]
    }
}
