//! Linear systems that are zero but near the diagonal, as splines give them.

use crate::{Vector3, check_work};

/// A square system whose rows are zero but near the diagonal, with a vector on the right side of each row.
#[derive(Clone)]
pub(crate) struct Banded {
    reach: usize,
    rows: Vec<Vec<f64>>,
    right: Vec<Vector3>,
}

impl Banded {
    pub(crate) fn new(size: usize, reach: usize) -> Self {
        Self { reach, rows: vec![vec![0.0; 2 * reach + 1]; size], right: vec![Vector3::zeros(); size] }
    }

    pub(crate) fn set(&mut self, row: usize, first_column: usize, values: &[f64], right: Vector3) {
        for (k, &value) in values.iter().enumerate() {
            let offset = (first_column + k + self.reach).wrapping_sub(row);
            if let Some(cell) = self.rows[row].get_mut(offset) {
                *cell = value;
            }
        }
        self.right[row] = right;
    }

    /// Adds to a row instead of setting it, as normal equations are built.
    pub(crate) fn add(&mut self, row: usize, column: usize, value: f64) {
        let offset = (column + self.reach).wrapping_sub(row);
        if let Some(cell) = self.rows[row].get_mut(offset) {
            *cell += value;
        }
    }

    /// Adds to a right side.
    pub(crate) fn add_right(&mut self, row: usize, value: Vector3) {
        self.right[row] += value;
    }

    /// Elimination without pivots, for systems that are totally positive or positive definite; `None` where one of
    /// its pivots vanishes.
    pub(crate) fn solve(mut self) -> Option<Vec<Vector3>> {
        check_work();
        let (n, reach) = (self.rows.len(), self.reach);
        for i in 0..n {
            let pivot = self.rows[i][reach];
            if pivot.abs() < 1e-14 {
                return None;
            }
            for below in i + 1..(i + reach + 1).min(n) {
                let factor = self.rows[below][reach + i - below] / pivot;
                if factor == 0.0 {
                    continue;
                }
                for column in i..(i + reach + 1).min(n) {
                    let value = self.rows[i][column + reach - i];
                    self.rows[below][column + reach - below] -= factor * value;
                }
                let right = self.right[i];
                self.right[below] -= right * factor;
            }
        }
        let mut out = self.right;
        for i in (0..n).rev() {
            for column in i + 1..(i + reach + 1).min(n) {
                let known = out[column];
                out[i] -= known * self.rows[i][column + reach - i];
            }
            out[i] /= self.rows[i][reach];
        }
        Some(out)
    }
}
