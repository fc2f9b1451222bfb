//! Solids added, subtracted, and what they have in common.

use geometry::Tolerance;

use crate::{Imprint, Remark, Shell, Solid, TopologyError, imprint};

/// What is kept of space.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Operation {
    /// What is inside of any of them.
    Union,
    /// What is inside of the first ones and of none of the others.
    Subtract,
    /// What is inside of all of them.
    Common,
}

/// Solids put together.
#[derive(Debug, Clone)]
pub struct Combined {
    /// The solids, in the order of the spaces that they are made of.
    pub solids: Vec<Solid>,
    /// Places where a solid touches itself, so that it has no thickness there.
    pub pinches: Vec<geometry::Point3>,
    /// Places where shapes touch without crossing, as far as found.
    pub touches: Vec<Remark>,
    /// Numbers of the shapes, those subtracted counted on, that change nothing.
    pub idle: Vec<usize>,
}

/// Combines solids; `others` are those to subtract, or, for the other operations, more of the same.
///
/// # Tolerance
/// As for [`imprint`].
///
/// # Errors
/// What keeps the result from being solids.
pub fn combine(
    first: &[&Solid],
    others: &[&Solid],
    operation: Operation,
    tolerance: &Tolerance,
) -> Result<Combined, TopologyError> {
    let shells: Vec<Shell> = first.iter().chain(others).map(|s| s.whole()).collect();
    let made: Imprint = imprint(&shells.iter().collect::<Vec<_>>(), tolerance)?;
    let cells = made.cells(tolerance);
    let insides = made.insides(&cells, |_| true);
    let volumes = first.iter().chain(others).map(|s| s.rough_volume());
    made.resolved(&cells, &insides, volumes.enumerate())?;
    let count = first.len();
    // How many of the first ones and of the others a space is inside of.
    let within = |inside: &[usize]| {
        let of_first = inside.iter().filter(|s| **s < count).count();
        (of_first, inside.len() - of_first)
    };
    let keep = |inside: &[usize]| match operation {
        Operation::Union => !inside.is_empty(),
        Operation::Subtract => matches!(within(inside), (1.., 0)),
        Operation::Common => inside.len() == shells.len(),
    };
    // A shape matters where a space is taken otherwise because of it alone.
    let mut matters = vec![false; shells.len()];
    for inside in &insides {
        match (operation, &inside[..]) {
            (Operation::Union, [only]) => matters[*only] = true,
            (Operation::Common, _) if inside.len() + 1 == shells.len() => {
                let missing = (0..shells.len()).find(|s| inside.binary_search(s).is_err());
                matters[missing.unwrap_or_default()] = true;
            }
            (Operation::Subtract, [only]) if *only < count => matters[*only] = true,
            (Operation::Subtract, [.., only]) if matches!(within(inside), (1.., 1)) => matters[*only] = true,
            _ => {}
        }
    }
    let idle = (0..shells.len()).filter(|&s| !matters[s]).collect();
    let keep: Vec<bool> = insides.iter().map(|i| keep(i)).collect();
    let chosen = made.solids(&cells, &keep)?;
    Ok(Combined { solids: chosen.solids, pinches: chosen.pinches, touches: made.touches, idle })
}
