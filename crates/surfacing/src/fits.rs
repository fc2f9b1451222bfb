//! How much of what was asked for does fit.

/// Halvings in looking for it.
const HALVINGS: usize = 7;

/// The largest share, from 0 to 1, of a size that fits where all of it does not, to less than one part in a hundred; `None` where
/// none was found. Sizes below one that fits are taken to fit too.
pub(crate) fn largest_share(fits: &dyn Fn(f64) -> bool) -> Option<f64> {
    let (mut low, mut high) = (0.0, 1.0);
    for _ in 0..HALVINGS {
        let middle = 0.5 * (low + high);
        if fits(middle) { low = middle } else { high = middle }
    }
    (low > 0.0).then_some(low)
}
