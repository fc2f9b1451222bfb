use serde::{Deserialize, Serialize};

/// The lengths that decide when two places are one, in millimetres.
///
/// Always handed on as an argument; nothing in the core keeps a tolerance of its own.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Tolerance {
    /// Modelling resolution: points nearer than this are the same point.
    pub resolution: f64,
    /// How far a fitted curve or surface may lie from what it stands for.
    pub fit: f64,
    /// How far apart two free edges may lie and still be joined.
    pub join: f64,
}

impl Default for Tolerance {
    fn default() -> Self {
        Self { resolution: 1e-6, fit: 1e-3, join: 1e-2 }
    }
}

impl Tolerance {
    /// The same tolerances for a model `factor` times as large.
    #[must_use]
    pub fn scaled(self, factor: f64) -> Self {
        Self { resolution: self.resolution * factor, fit: self.fit * factor, join: self.join * factor }
    }
}
