//! Offsets of a meridian chain: pieces are offset one by one, then extended or cut against each other at corners.

use geometry::{
    Crossing, NurbsCurve, Point3, Tolerance, Vector2, Vector3, as_line, closest_on_curve, crossings,
    extended, offset_in_plane,
};

use crate::{MeridianPiece, SurfacingError};

/// An outer corner is extended to its point up to this many times the distance; sharper ones are cut square.
const LONGEST_MITRE: f64 = 8.0;

/// How far pieces are made longer for an outer corner, as shares of what straight ones would need, in the order in which they are
/// tried: an arc cannot go on for more than a turn.
const REACHES: [f64; 5] = [1.5, 1.0, 3.0, 6.0, 12.0];

/// Pieces end to end in the plane z = 0.
pub(crate) struct Chain<'a> {
    pub pieces: &'a [MeridianPiece],
    pub closed: bool,
    /// For each piece the corner at its start, if it and the one before run on beyond it (`grown_at_corners`).
    pub grown: &'a [Option<Point3>],
}

/// An offset chain and the largest deviation of its curves from the true offset.
pub(crate) struct OffsetChain {
    pub pieces: Vec<MeridianPiece>,
    pub max_deviation: f64,
}

struct Work<'a> {
    distance: f64,
    tolerance: &'a Tolerance,
    /// Flattening for crossings, in millimetres.
    chord: f64,
    to_space: &'a dyn Fn(&Point3) -> [f64; 3],
}

/// What keeps a distance from fitting, before the largest fitting one is known.
pub(crate) struct Misfit {
    pub why: &'static str,
    pub at: [f64; 3],
}

pub(crate) enum OffsetTrouble {
    Misfit(Misfit),
    Other(SurfacingError),
}

impl From<SurfacingError> for OffsetTrouble {
    fn from(e: SurfacingError) -> Self {
        Self::Other(e)
    }
}

/// The chain at `distance` to the left (right for a negative distance). Pieces on the axis stay out. Ends on the
/// axis are brought back to it: extended along the tangent, or cut where they pass it.
pub(crate) fn offset_chain(
    chain: &Chain<'_>,
    distance: f64,
    chord: f64,
    tolerance: &Tolerance,
    to_space: &dyn Fn(&Point3) -> [f64; 3],
) -> Result<OffsetChain, OffsetTrouble> {
    let Chain { pieces, closed, grown } = *chain;
    let grown_at = |i: usize| grown.get(i).copied().flatten();
    if distance == 0.0 {
        return Ok(OffsetChain { pieces: pieces.to_vec(), max_deviation: 0.0 });
    }
    let work = Work { distance, tolerance, chord, to_space };
    let mut max_deviation: f64 = 0.0;
    let mut offset: Vec<MeridianPiece> = Vec::with_capacity(pieces.len());
    for piece in pieces {
        let fitted = match offset_in_plane(&piece.curve, &Vector3::z(), distance, tolerance.fit) {
            Ok(fitted) => fitted,
            Err(geometry::GeometryError::OffsetFolds { at, .. }) => {
                return Err(
                    work.misfit("the profile bends more tightly than the wall on one side", &at.into())
                );
            }
            Err(e) => return Err(OffsetTrouble::Other(e.into())),
        };
        max_deviation = max_deviation.max(fitted.max_deviation);
        offset.push(MeridianPiece { curve: fitted.curve, ..piece.clone() });
    }
    let mut out: Vec<MeridianPiece> = Vec::new();
    for (i, piece) in offset.iter().enumerate() {
        let mut here = piece.clone();
        if i > 0 {
            work.join(&mut out, &mut here, &pieces[i].curve.start(), grown_at(i))?;
        }
        out.push(here);
    }
    if closed && out.len() > 1 {
        let mut first = out.remove(0);
        work.join(&mut out, &mut first, &pieces[0].curve.start(), grown_at(0))?;
        out.insert(0, first);
    } else if !closed {
        if pieces[pieces.len() - 1].curve.end().x == 0.0 {
            work.end_on_axis(&mut out)?;
        }
        if pieces[0].curve.start().x == 0.0 {
            let mut turned: Vec<MeridianPiece> = out.iter().rev().map(MeridianPiece::reversed).collect();
            work.end_on_axis(&mut turned)?;
            out = turned.iter().rev().map(MeridianPiece::reversed).collect();
        }
    }
    Ok(OffsetChain { pieces: out, max_deviation })
}

/// A chain whose pieces are made longer in their own nature at the corners that an offset by `farthest` leaves open, so that every
/// offset up to it has as many pieces as the chain; and the corners where that was done, as in `Chain`. Where pieces curl away from
/// each other nothing is changed.
pub(crate) fn grown_at_corners(
    pieces: &[MeridianPiece],
    closed: bool,
    farthest: f64,
    chord: f64,
    tolerance: &Tolerance,
) -> (Vec<MeridianPiece>, Vec<Option<Point3>>) {
    let (mut grown, count) = (pieces.to_vec(), pieces.len());
    let mut corners = vec![None; count];
    for i in usize::from(!closed)..count {
        let before = (i + count - 1) % count;
        let towards = grown_towards(
            (&pieces[before].curve, &grown[before].curve),
            (&pieces[i].curve, &grown[i].curve),
            farthest,
            chord,
            tolerance,
        );
        if let Some((first, second)) = towards.filter(|_| before != i) {
            (grown[before].curve, grown[i].curve) = (first, second);
            corners[i] = Some(pieces[i].curve.start());
        }
    }
    (grown, corners)
}

/// Two pieces that follow each other, each as it was and as it is by now, made longer at their corner as far as it takes for
/// their offsets to meet.
fn grown_towards(
    (before, long_before): (&NurbsCurve, &NurbsCurve),
    (next, long_next): (&NurbsCurve, &NurbsCurve),
    distance: f64,
    chord: f64,
    tolerance: &Tolerance,
) -> Option<(NurbsCurve, NurbsCurve)> {
    let (t_end, t_start) =
        (before.tangent(before.domain().end)?.xy(), next.tangent(next.domain().start)?.xy());
    let turn = t_end.perp(&t_start);
    let gap = Vector2::new(t_end.y - t_start.y, t_start.x - t_end.x) * distance;
    if turn * distance > 0.0 || gap.norm() <= 1e3 * tolerance.resolution {
        return None;
    }
    let straight = (gap.perp(&t_start) / turn).abs().min(LONGEST_MITRE * distance.abs());
    let offset =
        |c: &NurbsCurve| offset_in_plane(c, &Vector3::z(), distance, tolerance.fit).ok().map(|f| f.curve);
    REACHES.iter().find_map(|share| {
        let reach = share * straight;
        let first = extended(long_before, reach).ok()?;
        let second = extended(&long_next.reversed(), reach).ok()?.reversed();
        beyond_corner(&offset(&first)?, &offset(&second)?, &next.start(), chord)?;
        Some((first, second))
    })
}

/// Where the offsets of two pieces meet that run on beyond their corner: on both of them beyond its own offset, since pieces may meet
/// at another corner too.
fn beyond_corner(before: &NurbsCurve, next: &NurbsCurve, corner: &Point3, chord: f64) -> Option<Crossing> {
    let [ends, begins] = [before, next].map(|c| closest_on_curve(c, corner).parameter);
    let away = |c: &Crossing| (c.point - corner.xy()).norm();
    crossings(before, next, chord)
        .into_iter()
        .filter(|c| c.first_parameter >= ends && c.second_parameter <= begins)
        .min_by(|a, b| away(a).total_cmp(&away(b)))
}

impl Work<'_> {
    fn misfit(&self, why: &'static str, at: &Point3) -> OffsetTrouble {
        OffsetTrouble::Misfit(Misfit { why, at: (self.to_space)(at) })
    }

    /// Brings the last piece of `out` and `next` together where the chain had the joint `corner`.
    fn join(
        &self,
        out: &mut Vec<MeridianPiece>,
        next: &mut MeridianPiece,
        corner: &Point3,
        grown: Option<Point3>,
    ) -> Result<(), OffsetTrouble> {
        let Some(mut before) = out.pop() else { return Ok(()) };
        if let Some(corner) = grown {
            let crossing = beyond_corner(&before.curve, &next.curve, &corner, self.chord)
                .ok_or_else(|| self.misfit("the wall leaves a corner open", &corner))?;
            cut_at(&crossing, &mut before, next);
            out.push(before);
            return Ok(());
        }
        let (end, start) = (before.curve.end(), next.curve.start());
        if (end - start).norm() <= 1e3 * self.tolerance.resolution {
            next.curve = next.curve.with_ends(Some(end), None);
            out.push(before);
            return Ok(());
        }
        let no_direction = || {
            OffsetTrouble::Other(SurfacingError::Geometry(geometry::GeometryError::NoDirection {
                at: (self.to_space)(corner),
            }))
        };
        let t_end = before.curve.tangent(before.curve.domain().end).ok_or_else(no_direction)?;
        let t_start = next.curve.tangent(next.curve.domain().start).ok_or_else(no_direction)?;
        let turn = t_end.xy().perp(&t_start.xy());
        if turn * self.distance > 0.0 {
            // The inner side of the corner: the two offsets cross, and lose what lies beyond.
            let crossing = crossings(&before.curve, &next.curve, self.chord).into_iter().next_back();
            let Some(c) = crossing else {
                return Err(self.misfit("the wall swallows a piece of the profile beside a corner", corner));
            };
            cut_at(&c, &mut before, next);
            out.push(before);
            return Ok(());
        }
        let gap = (start - end).xy();
        let along = gap.perp(&t_start.xy()) / turn;
        let mitre = end + t_end * along;
        if !along.is_finite() || along > LONGEST_MITRE * self.distance.abs() || along < 0.0 {
            let role = format!("{} corner", before.role);
            out.push(before);
            out.push(MeridianPiece::line(end, start, role));
            return Ok(());
        }
        extend_end(&mut before, mitre, out);
        let mut turned = next.reversed();
        let mut extension = Vec::new();
        extend_end(&mut turned, mitre, &mut extension);
        // `extend_end` gives the piece and perhaps its extension; run forwards the extension comes first.
        let forward: Vec<MeridianPiece> = extension.iter().rev().map(MeridianPiece::reversed).collect();
        let (last, lead) = match forward.split_last() {
            Some((last, lead)) => (last.clone(), lead.to_vec()),
            None => return Ok(()),
        };
        out.extend(lead);
        *next = last;
        Ok(())
    }

    /// Brings the end of a chain that should be on the axis back to it.
    fn end_on_axis(&self, out: &mut Vec<MeridianPiece>) -> Result<(), OffsetTrouble> {
        let Some(mut last) = out.pop() else { return Ok(()) };
        let end = last.curve.end();
        if end.x.abs() <= 1e3 * self.tolerance.resolution {
            last.curve = last.curve.with_ends(None, Some(Point3::new(0.0, end.y, 0.0)));
            out.push(last);
        } else if end.x > 0.0 {
            let tangent = last.curve.tangent(last.curve.domain().end).unwrap_or_else(Vector3::zeros);
            if tangent.x >= -1e-6 {
                return Err(self.misfit("the wall's end does not come back to the axis", &end));
            }
            let to_axis = end - tangent * (end.x / tangent.x);
            extend_end(&mut last, Point3::new(0.0, to_axis.y, 0.0), out);
        } else {
            let (low, high) = last.curve.control_bounds();
            let axis =
                NurbsCurve::line(Point3::new(0.0, low.y - 1.0, 0.0), Point3::new(0.0, high.y + 1.0, 0.0));
            let crossing = crossings(&last.curve, &axis, self.chord).into_iter().next();
            let Some(c) = crossing else {
                return Err(self.misfit("the wall passes the axis", &end));
            };
            let kept = last.curve.part(last.curve.domain().start, c.first_parameter);
            last.curve = kept.with_ends(None, Some(Point3::new(0.0, c.point.y, 0.0)));
            out.push(last);
        }
        Ok(())
    }
}

/// Two pieces lose what lies beyond the place where they cross.
fn cut_at(crossing: &Crossing, before: &mut MeridianPiece, next: &mut MeridianPiece) {
    let at = Some(Point3::new(crossing.point.x, crossing.point.y, 0.0));
    let (first, second) = (before.curve.domain().start, next.curve.domain().end);
    before.curve = before.curve.part(first, crossing.first_parameter).with_ends(None, at);
    next.curve = next.curve.part(crossing.second_parameter, second).with_ends(at, None);
}

/// Adds `piece` to `out`, lengthened straight to `to`: a line by itself, anything else by a line after it.
fn extend_end(piece: &mut MeridianPiece, to: Point3, out: &mut Vec<MeridianPiece>) {
    let end = piece.curve.end();
    let straight = piece.curve.degree() == 1 && as_line(&piece.curve, 1e-9).is_some();
    if straight || (to - end).norm() < 1e-9 {
        piece.curve = piece.curve.with_ends(None, Some(to));
        out.push(piece.clone());
    } else {
        let role = format!("{} extension", piece.role);
        out.push(piece.clone());
        out.push(MeridianPiece::line(end, to, role));
    }
}
