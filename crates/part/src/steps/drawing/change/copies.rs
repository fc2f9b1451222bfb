//! Curves beside others, mirrored, moved and copied.

use geometry::{Fitted, NurbsCurve, Point3, Vector3, offset_in_plane};
use nalgebra::{Matrix4, Rotation3, Translation3};

use super::Work;
use crate::limits::{MOST_COPIED, MOST_COPIES};
use crate::steps::drawing::FlatCurve;
use crate::{Amount, Notice, Quantity, Reached};

impl Work<'_> {
    pub(super) fn offset(&mut self, id: &str, distance: &Amount, new: &str) -> Result<(), Notice> {
        self.fresh(new)?;
        let distance = self.length(distance, "distance")?;
        let i = self.place(id, "curve")?;
        let curve = self.curves[i].clone();
        let mut pieces: Vec<NurbsCurve> = Vec::with_capacity(curve.pieces.len());
        let mut deviation: f64 = 0.0;
        for piece in &curve.pieces {
            let Fitted { curve, max_deviation, .. } =
                offset_in_plane(piece, &Vector3::z(), distance, self.context.tolerance.fit)
                    .map_err(|e| self.geometry("distance", &e))?;
            deviation = deviation.max(max_deviation);
            pieces.push(curve);
        }
        let closed = curve.closed(self.context);
        let joints = if closed { pieces.len() } else { pieces.len() - 1 };
        for k in 0..joints {
            let next = (k + 1) % pieces.len();
            if k == next {
                break;
            }
            let (mut a, mut b) = (pieces[k].clone(), pieces[next].clone());
            self.bring_to_crossing(&mut a, &mut b);
            if (a.end() - b.start()).norm() > self.context.tolerance.join {
                let corner = curve.pieces[k].end();
                let message = format!(
                    "the offset falls apart at this corner of {id}; use a smaller distance, or round the corner first"
                );
                return Err(self.refuse_at("distance", message, corner));
            }
            (pieces[k], pieces[next]) = (a, b);
        }
        self.reached.push(Reached::length(format!("Deviation of {new} from the true offset"), deviation));
        self.curves.push(FlatCurve { id: new.into(), pieces, points: Vec::new(), guide: curve.guide });
        Ok(())
    }

    pub(super) fn mirror(&mut self, ids: &[String], line: &str) -> Result<(), Notice> {
        let (origin, along) = match line {
            "x" => (Point3::origin(), Vector3::x()),
            "y" => (Point3::origin(), Vector3::y()),
            id => {
                let i = self.place(id, "line")?;
                let (a, b) = (self.curves[i].start(), self.curves[i].end());
                let straight = self.curves[i].pieces.len() == 1
                    && geometry::as_line(&self.curves[i].pieces[0], self.context.tolerance.resolution)
                        .is_some();
                if !straight {
                    return Err(self.refuse_at(
                        "line",
                        format!("{id} is not straight; pick a straight line to mirror about"),
                        a,
                    ));
                }
                (a, (b - a).normalize())
            }
        };
        let mirrored = |p: &Point3| {
            let d = p - origin;
            origin + along * (2.0 * d.dot(&along)) - d
        };
        for id in ids {
            let i = self.place(id, "curves")?;
            let new = format!("{id} mirrored");
            self.fresh(&new)?;
            // Run backwards, the half goes on where the drawn one meets the line.
            let pieces = self.curves[i].pieces.iter().rev().map(|c| c.mapped(mirrored).reversed()).collect();
            let guide = self.curves[i].guide;
            self.curves.push(FlatCurve { id: new, pieces, points: Vec::new(), guide });
        }
        Ok(())
    }

    pub(super) fn transform(
        &mut self,
        ids: &[String],
        [by, about]: [&[Amount; 2]; 2],
        turn: &Amount,
        scale: &Amount,
        copies: &Amount,
    ) -> Result<(), Notice> {
        let pair = |[x, y]: &[Amount; 2], what| {
            Ok::<_, Notice>(Vector3::new(self.length(x, what)?, self.length(y, what)?, 0.0))
        };
        let (by, about) = (pair(by, "by")?, pair(about, "about")?);
        let turn = self.context.value(turn, Quantity::Angle, &self.field("turn"))?;
        let scale = self.context.value(scale, Quantity::Ratio, &self.field("scale"))?;
        let copies = self.context.value(copies, Quantity::Count, &self.field("copies"))?;
        if scale <= 0.0 || copies > MOST_COPIES as f64 {
            let message = format!("the scale must be above zero, and there are at most {MOST_COPIES} copies");
            return Err(self.refuse("scale", message));
        }
        let made = copies as usize * ids.len();
        if self.curves.len() + made > MOST_COPIED {
            let message = format!("this would make {made} curves; a drawing has at most {MOST_COPIED}");
            return Err(self.refuse("copies", message));
        }
        let map: Matrix4<f64> = Translation3::from(by + about).to_homogeneous()
            * Rotation3::from_axis_angle(&Vector3::z_axis(), turn).to_homogeneous()
            * Matrix4::new_scaling(scale)
            * Translation3::from(-about).to_homogeneous();
        for id in ids {
            let i = self.place(id, "curves")?;
            if copies == 0.0 {
                for piece in &mut self.curves[i].pieces {
                    *piece = piece.transformed(&map);
                }
                self.curves[i].points.clear();
                continue;
            }
            let mut curve = self.curves[i].clone();
            curve.points.clear();
            for n in 1..=copies as usize {
                curve.id = format!("{id} copy {n}");
                self.fresh(&curve.id)?;
                for piece in &mut curve.pieces {
                    *piece = piece.transformed(&map);
                }
                self.curves.push(curve.clone());
            }
        }
        Ok(())
    }
}
