use serde::{Deserialize, Serialize};

/// A closed parameter interval `[start, end]` with `start < end`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Domain {
    /// Lowest parameter.
    pub start: f64,
    /// Highest parameter.
    pub end: f64,
}

impl Domain {
    /// The interval from `start` to `end`.
    #[must_use]
    pub fn new(start: f64, end: f64) -> Self {
        Self { start, end }
    }

    /// `end - start`.
    #[must_use]
    pub fn length(self) -> f64 {
        self.end - self.start
    }

    /// The parameter moved to the nearer end when it lies outside.
    #[must_use]
    pub fn clamp(self, parameter: f64) -> f64 {
        parameter.max(self.start).min(self.end)
    }

    /// The parameter brought into the interval by whole periods, for closed shapes.
    ///
    /// ```
    /// # use geometry::Domain;
    /// let turn = Domain::new(0.0, 4.0);
    /// assert_eq!(turn.wrap(5.0), 1.0);
    /// assert_eq!(turn.wrap(-1.0), 3.0);
    /// ```
    #[must_use]
    pub fn wrap(self, parameter: f64) -> f64 {
        if (self.start..=self.end).contains(&parameter) {
            return parameter;
        }
        self.start + (parameter - self.start).rem_euclid(self.length())
    }

    /// The parameter at a fraction of the way, 0 at `start` and 1 at `end`.
    #[must_use]
    pub fn at(self, fraction: f64) -> f64 {
        if fraction >= 1.0 { self.end } else { self.start + fraction * self.length() }
    }
}
