use geometry::{NurbsCurve, flatten};

use crate::{Face, OrientedEdge};

/// How closely a parameter curve is followed, as a share of the outline's size.
const CHORD: f64 = 1e-5;
/// Share of a face's extent up to which edges that follow each other may end apart.
const GAP: f64 = 0.01;

/// The boundary of a face as polygons in its parameter plane.
#[derive(Debug, Clone)]
pub struct Outline {
    sides: Vec<[[f64; 2]; 2]>,
    pub(crate) low: [f64; 2],
    pub(crate) high: [f64; 2],
}

impl Outline {
    /// From loops of uses, each as they follow each other.
    pub(crate) fn of_loops<'a>(loops: impl Iterator<Item = &'a [OrientedEdge]> + Clone) -> Self {
        let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
        for p in loops.clone().flatten().flat_map(|u| u.pcurve.control_points()) {
            for k in 0..2 {
                (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
            }
        }
        let mut out = Self { sides: Vec::new(), low, high };
        let extent = out.extent();
        let chord = CHORD * extent[0].min(extent[1]);
        for bound in loops {
            for (k, used) in bound.iter().enumerate() {
                let line = flat(&used.pcurve, chord);
                out.sides.extend(line.windows(2).map(|w| [w[0], w[1]]));
                // What is tested must not slip through between two edges.
                let next = &bound[(k + 1) % bound.len()];
                let [a, b] = [(used, !used.forward), (next, next.forward)].map(|(u, at_start)| {
                    let p = if at_start { u.pcurve.start() } else { u.pcurve.end() };
                    [p.x, p.y]
                });
                let gap = [0, 1].map(|k| (a[k] - b[k]).abs());
                if gap != [0.0; 2] && (0..2).all(|k| gap[k] <= GAP * extent[k]) {
                    out.sides.push([a, b]);
                }
            }
        }
        out
    }

    /// Of all of a face.
    #[must_use]
    pub fn of(face: &Face) -> Self {
        Self::of_loops(face.loops.iter().map(|l| l.edges.as_slice()))
    }

    /// From straight sides in any order.
    pub(crate) fn of_sides(sides: Vec<[[f64; 2]; 2]>) -> Self {
        let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
        for p in sides.iter().flatten() {
            for k in 0..2 {
                (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
            }
        }
        Self { sides, low, high }
    }

    /// How far it reaches in both parameters.
    pub(crate) fn extent(&self) -> [f64; 2] {
        [0, 1].map(|k| (self.high[k] - self.low[k]).max(f64::MIN_POSITIVE))
    }

    /// Even-odd test of a place of the parameter plane.
    #[must_use]
    pub fn holds(&self, at: [f64; 2]) -> bool {
        let mut inside = false;
        for [a, b] in &self.sides {
            if (a[1] > at[1]) != (b[1] > at[1])
                && at[0] < (b[0] - a[0]) * (at[1] - a[1]) / (b[1] - a[1]) + a[0]
            {
                inside = !inside;
            }
        }
        inside
    }

    /// What of it lies along a line of constant u, for many places on that line; `margin` is what counts as near, in both
    /// parameters.
    pub(crate) fn across(&self, u: f64, margin: [f64; 2]) -> Across {
        let mut crossed: Vec<f64> = Vec::new();
        let mut near: Vec<[[f64; 2]; 2]> = Vec::new();
        for side @ [a, b] in &self.sides {
            if (a[0] > u) != (b[0] > u) {
                crossed.push((b[1] - a[1]) * (u - a[0]) / (b[0] - a[0]) + a[1]);
            }
            if a[0].min(b[0]) - margin[0] <= u && u <= a[0].max(b[0]) + margin[0] {
                near.push(*side);
            }
        }
        crossed.sort_by(f64::total_cmp);
        Across { u, margin, crossed, near }
    }

    /// Whether a place is nearer to the boundary than a margin in both parameters.
    pub(crate) fn is_near(&self, at: [f64; 2], margin: [f64; 2]) -> bool {
        self.across(at[0], margin).is_near(at[1])
    }

    /// A place well inside: in the middle of the widest gap on one of a few lines across.
    pub(crate) fn inside(&self) -> Option<[f64; 2]> {
        /// Shares of the height at which lines are laid across.
        const LEVELS: [f64; 7] = [0.483, 0.271, 0.713, 0.127, 0.871, 0.037, 0.957];
        let mut best: Option<(f64, [f64; 2])> = None;
        for level in LEVELS {
            let y = self.low[1] + (self.high[1] - self.low[1]) * level;
            let crossed = self.sides.iter().filter(|[a, b]| (a[1] > y) != (b[1] > y));
            let mut xs: Vec<f64> =
                crossed.map(|[a, b]| (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]) + a[0]).collect();
            xs.sort_by(f64::total_cmp);
            for pair in xs.chunks_exact(2) {
                let width = pair[1] - pair[0];
                if best.is_none_or(|b| width > b.0) {
                    best = Some((width, [0.5 * (pair[0] + pair[1]), y]));
                }
            }
        }
        best.map(|b| b.1)
    }
}

/// An outline along a line of constant u.
pub(crate) struct Across {
    u: f64,
    margin: [f64; 2],
    /// Where it crosses the line, in order.
    crossed: Vec<f64>,
    /// Its sides beside the line.
    near: Vec<[[f64; 2]; 2]>,
}

impl Across {
    /// Even-odd test of a place of the line.
    pub(crate) fn holds(&self, v: f64) -> bool {
        !self.crossed.partition_point(|c| *c < v).is_multiple_of(2)
    }

    /// Whether a place of the line is nearer to the outline than the margin in both parameters.
    pub(crate) fn is_near(&self, v: f64) -> bool {
        let (at, margin) = ([self.u, v], self.margin);
        self.near.iter().any(|[a, b]| {
            if v < a[1].min(b[1]) - margin[1] || v > a[1].max(b[1]) + margin[1] {
                return false;
            }
            let d = [0, 1].map(|k| (b[k] - a[k]) / margin[k]);
            let r = [0, 1].map(|k| (at[k] - a[k]) / margin[k]);
            let length_sq = d[0] * d[0] + d[1] * d[1];
            let s = ((r[0] * d[0] + r[1] * d[1]) / length_sq.max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
            (r[0] - d[0] * s).hypot(r[1] - d[1] * s) < 1.0
        })
    }
}

/// A parameter curve as a polygon, ends included.
pub(crate) fn flat(curve: &NurbsCurve, chord: f64) -> Vec<[f64; 2]> {
    flatten(curve, chord).into_iter().map(|(_, p)| [p.x, p.y]).collect()
}
