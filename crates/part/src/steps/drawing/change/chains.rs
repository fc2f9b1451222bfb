//! Several curves made into one.

use geometry::{NurbsCurve, fit_chain};

use super::Work;
use crate::steps::drawing::FlatCurve;
use crate::{Amount, Notice, Reached};

impl Work<'_> {
    /// Takes curves that run end to end out of the drawing, as one run of pieces.
    pub(super) fn take_chain(&mut self, ids: &[String]) -> Result<Vec<NurbsCurve>, Notice> {
        let mut pieces = Vec::new();
        for id in ids {
            let i = self.place(id, "curves")?;
            pieces.extend(self.curves.remove(i).pieces);
        }
        let chain = surfacing::chain(&pieces, &self.context.tolerance).map_err(|e| {
            let at = e.place().map(|[x, y, _]| self.frame.to_space(x, y));
            self.refuse("curves", e.to_string()).at(at)
        })?;
        Ok(chain.run(&pieces))
    }

    pub(super) fn smooth(&mut self, ids: &[String], tolerance: &Amount, id: &str) -> Result<(), Notice> {
        let tolerance = self.length(tolerance, "tolerance")?;
        let resolution = self.context.tolerance.resolution;
        if tolerance <= resolution {
            return Err(self.refuse("tolerance", "give a tolerance above zero, such as 0.1 mm"));
        }
        let pieces = self.take_chain(ids)?;
        self.fresh(id)?;
        let fitted = fit_chain(&pieces, tolerance, resolution).map_err(|e| self.geometry("curves", &e))?;
        self.reached.push(Reached::length(format!("Deviation of {id} from its chain"), fitted.max_deviation));
        self.curves.push(FlatCurve {
            id: id.into(),
            pieces: vec![fitted.curve],
            points: Vec::new(),
            guide: false,
        });
        Ok(())
    }

    pub(super) fn join(&mut self, ids: &[String], id: &str) -> Result<(), Notice> {
        let pieces = self.take_chain(ids)?;
        self.fresh(id)?;
        self.curves.push(FlatCurve { id: id.into(), pieces, points: Vec::new(), guide: false });
        Ok(())
    }
}
