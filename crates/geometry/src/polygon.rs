//! Closed polygons in a plane, each side from one corner to the next and from the last to the first.

/// The sides of a polygon, each by its ends.
pub(crate) fn sides(outline: &[[f64; 2]]) -> impl Iterator<Item = (&[f64; 2], &[f64; 2])> {
    outline.iter().zip(outline.iter().cycle().skip(1))
}

/// The area inside, negative for an outline that runs clockwise (common practice, no source).
#[must_use]
pub fn polygon_area(outline: &[[f64; 2]]) -> f64 {
    sides(outline).map(|(a, b)| 0.5 * (a[0] * b[1] - a[1] * b[0])).sum()
}

/// Whether a place lies inside, by the even-odd rule (common practice, no source); on the outline either is said.
#[must_use]
pub fn polygon_holds(outline: &[[f64; 2]], p: &[f64; 2]) -> bool {
    let crossed = sides(outline).filter(|(a, b)| {
        (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (b[0] - a[0]) * (p[1] - a[1]) / (b[1] - a[1])
    });
    crossed.count() % 2 == 1
}
