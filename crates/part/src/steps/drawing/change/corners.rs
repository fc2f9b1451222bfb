//! Corners: rounded or cut, of one curve or between two.

use geometry::{Corner, GeometryError, NurbsCurve, crossings, extended};

use super::Work;
use crate::Notice;
use crate::steps::drawing::flat_curve::chord;

/// What is done to the corner of two curves, by a radius or a distance.
pub(super) type Treat<'a> = dyn Fn(&NurbsCurve, &NurbsCurve, f64) -> Result<Corner, GeometryError> + 'a;

const FIT_HALVINGS: usize = 14;

/// The pieces of one curve with all its corners treated, or one of them. Corners that do not fit together are refused
/// with the size at which all of them do.
fn own_corners(
    pieces: &[NurbsCurve],
    count: usize,
    which: Option<usize>,
    size: f64,
    treat: &Treat<'_>,
) -> Result<Vec<NurbsCurve>, GeometryError> {
    let attempt = |size: f64| {
        let mut pieces = pieces.to_vec();
        let mut joints: Vec<(usize, NurbsCurve)> = Vec::new();
        for k in (0..count).filter(|k| which.is_none_or(|w| w == k + 1)) {
            let next = (k + 1) % pieces.len();
            match treat(&pieces[k], &pieces[next], size) {
                Ok(Corner { before, joint, after }) => {
                    pieces[k] = before;
                    pieces[next] = after;
                    joints.push((k, joint));
                }
                // Where a curve's own pieces run on smoothly there is nothing to round.
                Err(GeometryError::NoCorner { .. }) if which.is_none() => {}
                Err(e) => return Err(e),
            }
        }
        for (k, joint) in joints.into_iter().rev() {
            pieces.insert(k + 1, joint);
        }
        Ok(pieces)
    };
    match attempt(size) {
        Err(GeometryError::CornerTooTight { at, .. }) => {
            let (mut fits, mut fails) = (0.0, size.max(0.0));
            for _ in 0..FIT_HALVINGS {
                let middle = 0.5 * (fits + fails);
                if middle > 0.0 && attempt(middle).is_ok() { fits = middle } else { fails = middle }
            }
            Err(GeometryError::CornerTooTight { asked: size, fits, at })
        }
        other => other,
    }
}

impl Work<'_> {
    /// Treats one corner between two curves, or the corners of one curve.
    pub(super) fn corners(
        &mut self,
        id: &str,
        with: Option<&str>,
        which: Option<usize>,
        (what, size): (&str, f64),
        treat: &Treat<'_>,
    ) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let Some(with) = with else {
            let (pieces, closed) = (self.curves[i].pieces.clone(), self.curves[i].closed(self.context));
            let count = if closed { pieces.len() } else { pieces.len() - 1 };
            if count == 0 || which.is_some_and(|w| w == 0 || w > count) {
                let message = format!("{id} has {count} corners; pick another curve, or two that meet");
                return Err(self.refuse("corner", message));
            }
            let treated = own_corners(&pieces, count, which, size, treat);
            self.curves[i].pieces = treated.map_err(|e| self.geometry(what, &e))?;
            return Ok(());
        };
        let j = self.place(with, "with")?;
        // The ends that lie nearest to each other make the corner.
        let gap = |a_end: bool, b_start: bool| {
            let a = if a_end { self.curves[i].end() } else { self.curves[i].start() };
            let b = if b_start { self.curves[j].start() } else { self.curves[j].end() };
            (a - b).norm()
        };
        let ways = [(true, true), (true, false), (false, true), (false, false)];
        let (a_end, b_start) =
            ways.into_iter().min_by(|x, y| gap(x.0, x.1).total_cmp(&gap(y.0, y.1))).unwrap_or((true, true));
        if !a_end {
            self.curves[i].reverse();
        }
        if !b_start {
            self.curves[j].reverse();
        }
        let last = self.curves[i].pieces.len() - 1;
        let (mut before, mut after) = (self.curves[i].pieces[last].clone(), self.curves[j].pieces[0].clone());
        self.bring_to_crossing(&mut before, &mut after);
        let Corner { before, joint, after } =
            treat(&before, &after, size).map_err(|e| self.geometry(what, &e))?;
        self.curves[i].pieces[last] = before;
        self.curves[i].pieces.push(joint);
        self.curves[j].pieces[0] = after;
        if !a_end {
            self.curves[i].reverse();
        }
        if !b_start {
            self.curves[j].reverse();
        }
        Ok(())
    }

    /// Two curves that cross, or straight ones that would, are cut or lengthened to where they do.
    pub(super) fn bring_to_crossing(&self, before: &mut NurbsCurve, after: &mut NurbsCurve) {
        let join = self.context.tolerance.join;
        if (before.end() - after.start()).norm() <= join {
            return;
        }
        let chord = chord(&[before, after]);
        if let Some(c) = crossings(before, after, chord).into_iter().next_back() {
            *before = before.part(before.domain().start, c.first_parameter);
            *after = after.part(c.second_parameter, after.domain().end);
            return;
        }
        let reach = 2.0 * ((before.end() - after.start()).norm() + before.length() + after.length());
        let (Ok(a), Ok(b)) = (extended(before, reach), extended(&after.reversed(), reach)) else { return };
        let b = b.reversed();
        if let Some(c) = crossings(&a, &b, chord).into_iter().next() {
            *before = a.part(a.domain().start, c.first_parameter);
            *after = b.part(c.second_parameter, b.domain().end);
        }
    }
}
