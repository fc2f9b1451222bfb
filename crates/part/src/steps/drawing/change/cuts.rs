//! Curves trimmed, split and made longer.

use geometry::{Point3, crossings, extended, extended_to};

use super::Work;
use crate::steps::drawing::FlatCurve;
use crate::steps::drawing::flat_curve::chord;
use crate::{Amount, Notice};

impl Work<'_> {
    pub(super) fn trim(&mut self, id: &str, away: [f64; 2]) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let away = Point3::new(away[0], away[1], 0.0);
        let curve = self.curves[i].clone();
        let (piece, _, t) = curve.nearest(&away);
        // Cuts by piece and parameter: crossings with other curves and with the curve's own other pieces.
        let mut cuts: Vec<(usize, f64)> = Vec::new();
        for (k, own) in curve.pieces.iter().enumerate() {
            let others = self.curves.iter().enumerate().filter(|(j, _)| *j != i).flat_map(|(_, c)| &c.pieces);
            let selves = curve.pieces.iter().enumerate().filter(|(j, _)| j.abs_diff(k) > 1).map(|(_, c)| c);
            for other in others.chain(selves) {
                let chord = chord(&[own, other]);
                cuts.extend(crossings(own, other, chord).into_iter().map(|c| (k, c.first_parameter)));
            }
        }
        cuts.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let at_end = |&(k, t): &(usize, f64)| {
            let d = curve.pieces[k].domain();
            (k == 0 && t - d.start < 1e-9 * d.length())
                || (k + 1 == curve.pieces.len() && d.end - t < 1e-9 * d.length())
        };
        cuts.retain(|c| !at_end(c));
        if cuts.is_empty() {
            let message = format!(
                "nothing crosses {id}, so that there is nothing to trim to; remove the curve instead"
            );
            return Err(self.refuse_at("curve", message, away));
        }
        let here = (piece, t);
        let earlier = |c: &&(usize, f64)| (c.0, c.1) <= (here.0, here.1);
        let before = cuts.iter().rev().find(earlier).copied();
        let after = cuts.iter().find(|c| !earlier(c)).copied();
        let closed = curve.closed(self.context);
        let mut kept = Vec::new();
        let end = (curve.pieces.len() - 1, curve.pieces[curve.pieces.len() - 1].domain().end);
        match (before, after) {
            (Some(b), Some(a)) if closed => {
                // What is left of a closed curve runs through its start as one.
                let mut pieces = curve.between(a, end);
                pieces.extend(curve.between((0, curve.pieces[0].domain().start), b));
                kept.push(pieces);
            }
            (None, Some(a)) if closed => {
                let last = cuts[cuts.len() - 1];
                kept.push(curve.between(a, last));
            }
            (Some(b), None) if closed => kept.push(curve.between(cuts[0], b)),
            (b, a) => {
                kept.extend(b.map(|b| curve.between((0, curve.pieces[0].domain().start), b)));
                kept.extend(a.map(|a| curve.between(a, end)));
            }
        }
        kept.retain(|pieces| !pieces.is_empty());
        let mut kept = kept.into_iter();
        match kept.next() {
            Some(pieces) => self.curves[i].pieces = pieces,
            None => {
                self.curves.remove(i);
            }
        }
        for (n, pieces) in kept.enumerate() {
            let id = format!("{id} part {}", n + 2);
            self.curves.push(FlatCurve { id, pieces, points: Vec::new(), ..curve.clone() });
        }
        Ok(())
    }

    pub(super) fn split(&mut self, id: &str, at: [f64; 2], second: &str) -> Result<(), Notice> {
        self.fresh(second)?;
        let i = self.place(id, "curve")?;
        let curve = self.curves[i].clone();
        let at = Point3::new(at[0], at[1], 0.0);
        let (piece, point, t) = curve.nearest(&at);
        let last = curve.pieces.len() - 1;
        let (head, tail) = (
            curve.between((0, curve.pieces[0].domain().start), (piece, t)),
            curve.between((piece, t), (last, curve.pieces[last].domain().end)),
        );
        if head.is_empty() || tail.is_empty() {
            return Err(self.refuse_at(
                "at",
                format!("{id} cannot be split at its end; choose a place along it"),
                point,
            ));
        }
        self.curves[i].pieces = head;
        self.curves.push(FlatCurve { id: second.into(), pieces: tail, points: Vec::new(), ..curve });
        Ok(())
    }

    pub(super) fn extend(
        &mut self,
        id: &str,
        start: bool,
        by: Option<&Amount>,
        to: Option<&str>,
    ) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let mut curve = self.curves[i].clone();
        if start {
            curve.reverse();
        }
        let last = curve.pieces.len() - 1;
        let end = curve.pieces[last].end();
        let longer = match (by, to) {
            (_, Some(to)) => {
                let j = self.place(to, "to")?;
                let reach = self.curves[j]
                    .pieces
                    .iter()
                    .map(|c| (c.start() - end).norm().max((c.end() - end).norm()));
                let reach = 2.0 * (reach.fold(0.0, f64::max) + curve.pieces[last].length());
                let targets = self.curves[j].pieces.iter();
                let found = targets.filter_map(|t| extended_to(&curve.pieces[last], t, reach, chord(&[t])));
                let nearest = found.min_by(|a, b| (a.1 - end).norm().total_cmp(&(b.1 - end).norm()));
                nearest.map(|(c, _)| c).ok_or_else(|| {
                    self.refuse_at(
                        "to",
                        format!("{id} never meets {to}, however far it goes on; pick another curve"),
                        end,
                    )
                })?
            }
            (Some(by), None) => {
                let by = self.length(by, "by")?;
                extended(&curve.pieces[last], by).map_err(|e| self.geometry("by", &e))?
            }
            (None, None) => return Err(self.refuse("by", "give a distance, or a curve to extend to")),
        };
        curve.pieces[last] = longer;
        if start {
            curve.reverse();
        }
        self.curves[i] = curve;
        Ok(())
    }
}
