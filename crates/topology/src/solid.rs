use std::sync::OnceLock;

use serde::{Deserialize, Serialize};

use crate::measure::rough_volume;
use crate::{Measures, Shell, TopologyError, closure, measure};

/// A bounded part of space: one outer closed shell, and one for each void. Faces point away from the material.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(try_from = "Vec<Shell>", into = "Vec<Shell>")]
pub struct Solid {
    outer: Shell,
    voids: Vec<Shell>,
    rough_volume: f64,
    /// To the last digits they take a while, and of most solids on the way to a part nobody asks.
    measures: OnceLock<Measures>,
}

impl PartialEq for Solid {
    fn eq(&self, other: &Self) -> bool {
        (&self.outer, &self.voids) == (&other.outer, &other.voids)
    }
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
        let mut measured: Vec<(Shell, f64)> = Vec::with_capacity(shells.len());
        for shell in shells {
            check_closed(&shell)?;
            let volume = rough_volume(&shell);
            if volume.abs() < f64::MIN_POSITIVE {
                return Err(TopologyError::NoVolume);
            }
            measured.push((shell, volume));
        }
        measured.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
        let mut rough_volume = 0.0;
        let mut turned = Vec::with_capacity(measured.len());
        for (i, (shell, own)) in measured.into_iter().enumerate() {
            let right = (own > 0.0) == (i == 0);
            rough_volume += if right { own } else { -own };
            turned.push(if right { shell } else { shell.flipped() });
        }
        let mut turned = turned.into_iter();
        let outer = turned.next().ok_or(TopologyError::NoVolume)?;
        Ok(Self { outer, voids: turned.collect(), rough_volume, measures: OnceLock::new() })
    }

    /// The solid in a closed shell whose faces are known to point away from the material, and of which the volume in mm³ is
    /// known to about six digits.
    ///
    /// # Errors
    /// `Open` and `Facing` for a shell that does not close.
    pub(crate) fn known(outer: Shell, rough_volume: f64) -> Result<Self, TopologyError> {
        check_closed(&outer)?;
        Ok(Self { outer, voids: Vec::new(), rough_volume, measures: OnceLock::new() })
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

    /// Area, volume, centroid and inertia of the whole; found when first asked for.
    #[must_use]
    pub fn measure(&self) -> Measures {
        // Not under the lock: measuring is divided among threads, and one that waits for the others may take up work that asks
        // for these same measures.
        self.measures.get().copied().unwrap_or_else(|| {
            let sum = self.shells().map(measure).fold(Measures::default(), |sum, own| sum.plus(&own));
            *self.measures.get_or_init(|| sum)
        })
    }

    /// Its volume in mm³ to about six digits, which is known from the start.
    #[must_use]
    pub fn rough_volume(&self) -> f64 {
        self.rough_volume
    }
}

fn check_closed(shell: &Shell) -> Result<(), TopologyError> {
    let closure = closure(shell);
    if !closure.free_edges.is_empty() || closure.overused_edges > 0 {
        return Err(TopologyError::Open(closure.free_edges.len() + closure.overused_edges));
    }
    if closure.facing_faults > 0 {
        return Err(TopologyError::Facing(closure.facing_faults));
    }
    Ok(())
}
