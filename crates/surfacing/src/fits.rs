//! How much of what was asked for does fit.

use geometry::GeometryError;
use topology::{Body, self_crossings};

use crate::SurfacingError;

/// Halvings in looking for it, to less than one part in a hundred.
pub(crate) const HALVINGS: usize = 7;

/// The largest share, from 0 to 1, of a size that fits where all of it does not, found in so many halvings; `None` where none
/// was. Sizes below one that fits are taken to fit too.
pub(crate) fn largest_share(halvings: usize, fits: &dyn Fn(f64) -> bool) -> Option<f64> {
    let (mut low, mut high) = (0.0, 1.0);
    for _ in 0..halvings {
        let middle = 0.5 * (low + high);
        if fits(middle) { low = middle } else { high = middle }
    }
    (low > 0.0).then_some(low)
}

/// A body, unless it runs into itself: offsets of faces that are no neighbours know nothing of each other.
///
/// # Errors
/// `RunsIntoItself`.
pub fn apart(body: Body) -> Result<Body, SurfacingError> {
    let crossed = self_crossings(&body).first().map(|p| (*p).into());
    crossed.map_or(Ok(body), |at| Err(SurfacingError::RunsIntoItself { at }))
}

/// What `make` makes of the whole of a size, or why that does not fit: where faces do not meet any more or run into each other,
/// `told` makes the error from the largest share that fits, what goes wrong and where.
pub(crate) fn fitted<T>(
    make: &dyn Fn(f64) -> Result<T, SurfacingError>,
    told: &dyn Fn(f64, String, [f64; 3]) -> SurfacingError,
) -> Result<T, SurfacingError> {
    make(1.0).map_err(|error| {
        let (SurfacingError::OffsetOpen { at }
        | SurfacingError::RunsIntoItself { at }
        | SurfacingError::OffsetRough { at, .. }
        | SurfacingError::Geometry(GeometryError::OffsetFolds { at, .. })) = error
        else {
            return error;
        };
        let Some(share) = largest_share(HALVINGS, &|share| make(share).is_ok()) else { return error };
        // What would cure it is told with what fits.
        told(share, error.to_string().split(';').next().unwrap_or_default().into(), at)
    })
}
