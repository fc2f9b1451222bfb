use serde::{Deserialize, Serialize};

use crate::{Measures, Shell, TopologyError, closure, measure};

/// A bounded part of space: one outer closed shell, and one for each void. Faces point away from the material.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Vec<Shell>", into = "Vec<Shell>")]
pub struct Solid {
    outer: Shell,
    voids: Vec<Shell>,
    measures: Measures,
}

impl TryFrom<Vec<Shell>> for Solid {
    type Error = TopologyError;
    fn try_from(shells: Vec<Shell>) -> Result<Self, TopologyError> {
        Self::try_new(shells)
    }
}

impl From<Solid> for Vec<Shell> {
    fn from(solid: Solid) -> Self {
        std::iter::once(solid.outer).chain(solid.voids).collect()
    }
}

impl Solid {
    /// The same solid with other roles of its faces.
    #[must_use]
    pub fn with_roles(self, role: &impl Fn(&str) -> String) -> Self {
        let voids = self.voids.into_iter().map(|s| s.with_roles(role)).collect();
        Self { outer: self.outer.with_roles(role), voids, ..self }
    }

    /// The solid between closed shells: the one that encloses most is the outer one, the others are voids in it.
    /// Shells are turned so that their faces point away from the material.
    ///
    /// That the voids lie inside and apart is the caller's to know; imprinting is what could find out.
    ///
    /// # Errors
    /// `Open` and `Facing` for shells that do not close, `NoVolume` for none or empty ones.
    pub fn try_new(shells: Vec<Shell>) -> Result<Self, TopologyError> {
        let mut measured: Vec<(Shell, Measures)> = Vec::with_capacity(shells.len());
        for shell in shells {
            let closure = closure(&shell);
            if !closure.free_edges.is_empty() || closure.overused_edges > 0 {
                return Err(TopologyError::Open(closure.free_edges.len() + closure.overused_edges));
            }
            if closure.facing_faults > 0 {
                return Err(TopologyError::Facing(closure.facing_faults));
            }
            let measures = measure(&shell);
            if measures.volume.abs() < f64::MIN_POSITIVE {
                return Err(TopologyError::NoVolume);
            }
            measured.push((shell, measures));
        }
        measured.sort_by(|a, b| b.1.volume.abs().total_cmp(&a.1.volume.abs()));
        let mut measures = Measures::default();
        let mut turned = Vec::with_capacity(measured.len());
        for (i, (shell, own)) in measured.into_iter().enumerate() {
            let right = (own.volume > 0.0) == (i == 0);
            measures = measures.plus(&if right { own } else { own.flipped() });
            turned.push(if right { shell } else { shell.flipped() });
        }
        let mut turned = turned.into_iter();
        let outer = turned.next().ok_or(TopologyError::NoVolume)?;
        Ok(Self { outer, voids: turned.collect(), measures })
    }

    /// The outer shell.
    #[must_use]
    pub fn outer(&self) -> &Shell {
        &self.outer
    }

    /// The shells of the voids; their faces point into the void.
    #[must_use]
    pub fn voids(&self) -> &[Shell] {
        &self.voids
    }

    /// All its faces in one shell of several pieces.
    #[must_use]
    pub fn whole(&self) -> Shell {
        let mut whole = self.outer.clone();
        for void in &self.voids {
            whole = whole.beside(void);
        }
        whole
    }

    /// Outer shell first, then the voids.
    pub fn shells(&self) -> impl Iterator<Item = &Shell> {
        std::iter::once(&self.outer).chain(&self.voids)
    }

    /// Area, volume, centroid and inertia of the whole.
    #[must_use]
    pub fn measure(&self) -> Measures {
        self.measures
    }
}
