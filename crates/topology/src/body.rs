use nalgebra::Matrix4;
use serde::{Deserialize, Serialize};

use crate::{Measures, Shell, Solid, TopologyError, area, closure};

/// What a step makes: an open shell or a solid.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Body {
    /// A shell with free edges, or one that closes around nothing.
    Shell(Shell),
    /// A solid.
    Solid(Solid),
}

impl Body {
    /// A solid if the shell has no free edge and encloses a volume, else the shell as it is.
    #[must_use]
    pub fn from_shell(shell: Shell) -> Self {
        let closed = {
            let c = closure(&shell);
            c.free_edges.is_empty() && c.overused_edges == 0 && c.facing_faults == 0
        };
        if closed && let Ok(solid) = Solid::try_new(shell.pieces()) {
            return Self::Solid(solid);
        }
        Self::Shell(shell)
    }

    /// All its shells: the open one, or the solid's outer one first and then its voids.
    #[must_use]
    pub fn shells(&self) -> Vec<&Shell> {
        match self {
            Self::Shell(shell) => vec![shell],
            Self::Solid(solid) => solid.shells().collect(),
        }
    }

    /// All its faces in one shell, of several pieces if it has voids.
    #[must_use]
    pub fn whole(&self) -> Shell {
        match self {
            Self::Shell(shell) => shell.clone(),
            Self::Solid(solid) => solid.whole(),
        }
    }

    /// The body under an affine map of space that keeps shapes similar.
    ///
    /// # Errors
    /// `NoVolume` for a map that leaves a solid none.
    pub fn transformed(&self, map: &Matrix4<f64>) -> Result<Self, TopologyError> {
        match self {
            Self::Shell(shell) => Ok(Self::Shell(shell.clone().transformed(map))),
            Self::Solid(solid) => {
                Solid::try_new(solid.shells().map(|s| s.clone().transformed(map)).collect()).map(Self::Solid)
            }
        }
    }

    /// The same body with other roles of its faces.
    #[must_use]
    pub fn with_roles(self, role: &impl Fn(&str) -> String) -> Self {
        match self {
            Self::Shell(shell) => Self::Shell(shell.with_roles(role)),
            Self::Solid(solid) => Self::Solid(solid.with_roles(role)),
        }
    }

    /// Whether it is a solid.
    #[must_use]
    pub fn is_solid(&self) -> bool {
        matches!(self, Self::Solid(_))
    }

    /// Area for a shell; area, volume, centroid and inertia for a solid.
    #[must_use]
    pub fn measure(&self) -> Measures {
        match self {
            Self::Shell(shell) => Measures { area: area(shell), ..Measures::default() },
            Self::Solid(solid) => solid.measure(),
        }
    }
}
