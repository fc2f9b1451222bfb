//! What a recipe may hold. Each limit is far above what a part needs, is checked before any work, and is named by the
//! message that refuses what is beyond it.

use serde_json::Value;

use crate::{Amount, RecipeError};

/// Bytes of a recipe as JSON.
pub const MOST_BYTES: usize = 8 << 20;
pub(crate) const MOST_STEPS: usize = 2000;
pub(crate) const MOST_PARAMETERS: usize = 1000;
/// Characters of all parameters' formulas together.
pub(crate) const MOST_PARAMETER_TEXT: usize = 100_000;
/// Characters of one formula.
pub(crate) const LONGEST_FORMULA: usize = 1000;
/// Brackets, signs and powers inside each other in one formula.
pub(crate) const DEEPEST_FORMULA: usize = 60;
/// Characters of names and ids.
pub(crate) const LONGEST_NAME: usize = 80;
/// Characters of a parameter's note.
pub(crate) const LONGEST_NOTE: usize = 2000;
/// Characters of the name by lineage of a face, an edge or a vertex.
pub(crate) const LONGEST_ITEM: usize = 20_000;
/// Shapes in one step's slots together.
pub(crate) const MOST_INPUTS: usize = 2000;
pub(crate) const MOST_CURVES: usize = 500;
pub(crate) const MOST_CHANGES: usize = 500;
/// Points of one drawn curve, and of all curves of one drawing.
pub(crate) const MOST_POINTS: usize = 2000;
pub(crate) const MOST_DRAWING_POINTS: usize = 20_000;
/// Changes of one reshape step.
pub(crate) const MOST_NET_CHANGES: usize = 2000;
/// Copies that one change of a drawing makes.
pub(crate) const MOST_COPIES: usize = 1000;
/// Knots that are set into a drawn curve, and points that it is recast to.
pub(crate) const MOST_INSERTED: usize = 1000;
pub(crate) const MOST_RECAST: usize = 500;
/// Faces and curves that one step may make by copying.
pub(crate) const MOST_COPIED: usize = 20_000;
/// Millimetres from the origin, and of any length; doubles stay exact enough below it.
pub(crate) const FARTHEST: f64 = 1e6;
/// Turns of any angle, in radians.
pub(crate) const WIDEST_TURN: f64 = 1e6;
/// Of any plain number.
pub(crate) const LARGEST_RATIO: f64 = 1e9;

/// Refuses more of something than there may be.
pub(crate) fn at_most(what: &'static str, count: usize, most: usize) -> Result<(), RecipeError> {
    if count > most { Err(RecipeError::TooLarge { what, count, most }) } else { Ok(()) }
}

/// A text of a user as messages repeat it: short, and on one line.
#[must_use]
pub fn told(text: &str) -> String {
    const LONGEST_TOLD: usize = 80;
    let mut out = String::new();
    for c in text.chars().take(LONGEST_TOLD) {
        if c.is_control() { out.extend(c.escape_default()) } else { out.push(c) }
    }
    if text.chars().nth(LONGEST_TOLD).is_some() {
        out.push('…');
    }
    out
}

/// Whether a character may stand in an id.
pub(crate) fn fits_id(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, ' ' | '-' | '_' | '.')
}

fn refused(name: &str, what: &'static str, cure: &'static str) -> RecipeError {
    RecipeError::Name { name: told(name), what, cure }
}

/// Ids of steps, curves and changes, and names of groups: they become part of names by lineage, of addresses and of
/// drawings on the page.
pub(crate) fn check_id(id: &str, what: &'static str) -> Result<(), RecipeError> {
    check_name(id, what)?;
    if id.chars().all(fits_id) {
        return Ok(());
    }
    Err(refused(id, what, "use letters, digits, spaces and - _ . only"))
}

/// Names that people read: any writing, but no control characters.
pub(crate) fn check_name(name: &str, what: &'static str) -> Result<(), RecipeError> {
    let cure = if name.trim().is_empty() {
        "give at least one letter"
    } else if name.chars().count() > LONGEST_NAME {
        "keep it to 80 characters"
    } else if name.chars().any(char::is_control) {
        "leave control characters out"
    } else {
        return Ok(());
    };
    Err(refused(name, what, cure))
}

/// A note may have lines.
pub(crate) fn check_note(note: &str) -> Result<(), RecipeError> {
    at_most("characters in one note", note.chars().count(), LONGEST_NOTE)?;
    if note.chars().any(|c| c.is_control() && !matches!(c, '\n' | '\r' | '\t')) {
        return Err(refused(note, "a note", "leave control characters out"));
    }
    Ok(())
}

/// The name by lineage of something that a step made.
pub(crate) fn check_item(item: &str) -> Result<(), RecipeError> {
    at_most("characters in the name of a face or an edge", item.chars().count(), LONGEST_ITEM)?;
    if item.chars().any(char::is_control) {
        return Err(refused(item, "the name of a face or an edge", "leave control characters out"));
    }
    Ok(())
}

/// Refuses control characters in any text of a recipe, by the place of the text; lines and tabs may stand in notes.
pub(crate) fn check_texts(value: &Value) -> Result<(), RecipeError> {
    fn walk(value: &Value, place: &mut Vec<String>) -> Result<(), RecipeError> {
        let is_bad = |c: char| c.is_control() && !matches!(c, '\n' | '\r' | '\t');
        let mut inside = |name: String, value: &Value| {
            place.push(name);
            let checked = walk(value, place);
            place.pop();
            checked
        };
        match value {
            Value::String(text) if text.contains(is_bad) => {
                Err(RecipeError::Control { place: told(&place.join("/")), text: told(text) })
            }
            Value::Array(values) => values.iter().enumerate().try_for_each(|(k, v)| inside(k.to_string(), v)),
            Value::Object(fields) => fields.iter().try_for_each(|(name, v)| inside(name.clone(), v)),
            _ => Ok(()),
        }
    }
    walk(value, &mut Vec::new())
}

/// A number that is one, or a formula of bearable length.
pub(crate) fn check_amount(amount: &Amount) -> Result<(), RecipeError> {
    match amount {
        Amount::Number(n) if !n.is_finite() => {
            Err(refused(&n.to_string(), "a value", "give a finite number"))
        }
        Amount::Number(_) => Ok(()),
        Amount::Formula(text) => {
            at_most("characters in one formula", text.chars().count(), LONGEST_FORMULA)?;
            if text.chars().any(|c| c.is_control() && !c.is_whitespace()) {
                return Err(refused(text, "a formula", "leave control characters out"));
            }
            Ok(())
        }
    }
}
