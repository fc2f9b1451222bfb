use geometry::Point3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::SurfacingError;

use crate::{Edit, FormulaError};

/// Why a recipe cannot be used at all.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum RecipeError {
    /// The text is not JSON or does not have a recipe's fields.
    #[error("this is no recipe: {0}")]
    Unreadable(String),
    /// Another kind of file.
    #[error("`format` is `{0}`; a recipe says `kindred-shell-recipe`")]
    Format(String),
    /// A version that this program does not know.
    #[error("the recipe has version {0}, and this program reads up to version {latest}; open it with a newer one", latest = crate::RECIPE_VERSION)]
    Version(u32),
    /// Two things share a name that must be unique.
    #[error("{what} `{name}` is there twice; rename one")]
    Twice {
        /// What kind of thing.
        what: &'static str,
        /// Its name.
        name: String,
    },
    /// A step refers to itself.
    #[error("step `{0}` refers to itself; pick another input")]
    Itself(String),
    /// A step refers to one that is not there.
    #[error("step `{step}` refers to `{missing}`, which is not there; pick another input{}", nearest(.there))]
    Missing {
        /// The step that refers.
        step: String,
        /// What is missing.
        missing: String,
        /// Those before it that look most like it.
        there: String,
    },
    /// A step refers to one that comes after it.
    #[error("step `{step}` refers to `{later}`, which comes after it; move `{later}` up")]
    Later {
        /// The step that refers.
        step: String,
        /// The one after it.
        later: String,
    },
    /// A name is empty, too long, or cannot be used.
    #[error("`{name}` cannot be {what}; {cure}")]
    Name {
        /// The name.
        name: String,
        /// What it was to name.
        what: &'static str,
        /// What would do.
        cure: &'static str,
    },
    /// An edit points at something that is not there.
    #[error("there is no {what} `{name}`; somebody may have removed it, so load the part again{}", nearest(.there))]
    NoTarget {
        /// What kind of thing.
        what: &'static str,
        /// Its name.
        name: String,
        /// Those there are that look most like it.
        there: String,
    },
    /// A value of an edit does not fit the step.
    #[error("`{field}` cannot take that: {reason}")]
    Field {
        /// The field.
        field: String,
        /// Why not.
        reason: String,
    },
    /// A formula cannot be evaluated.
    #[error(transparent)]
    Formula(#[from] FormulaError),
    /// An edit whose outcome cannot be kept.
    #[error(
        "this edit would make a value too large to be a number; nothing was changed: give smaller values"
    )]
    NoNumber,
    /// A text that holds a character which nobody can see.
    #[error("`{place}` holds a control character, `{text}`; leave it out")]
    Control {
        /// Where it stands, by fields and numbers.
        place: String,
        /// The text.
        text: String,
    },
    /// An edit that changes nothing.
    #[error("there is no edit in the list; give at least one")]
    NoEdit,
    /// The recipe is larger than a part ever needs.
    #[error("the recipe has {count} {what}, and at most {most} are allowed; split the part")]
    TooLarge {
        /// What there is too much of.
        what: &'static str,
        /// How many.
        count: usize,
        /// How many may be.
        most: usize,
    },
}

fn nearest(there: &str) -> String {
    if there.is_empty() { String::new() } else { format!(" (nearest there: {there})") }
}

/// A one-click cure: what the button says and the edits that it makes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Cure {
    /// What the button says.
    pub label: String,
    /// The edits.
    pub edits: Vec<Edit>,
}

/// A warning or an error of one step: what, where, and what would cure it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Notice {
    /// What is wrong, and in words what would cure it.
    pub message: String,
    /// The slot or value that it is about.
    pub input: Option<String>,
    /// The place in space, in millimetres.
    pub at: Option<[f64; 3]>,
    /// A cure that one click can make.
    pub cure: Option<Cure>,
}

impl Notice {
    /// A notice about one input.
    #[must_use]
    pub fn about(input: &str, message: impl Into<String>) -> Self {
        Self { message: message.into(), input: Some(input.into()), at: None, cure: None }
    }

    /// A notice about the step as a whole.
    #[must_use]
    pub fn of_step(message: impl Into<String>) -> Self {
        Self { message: message.into(), input: None, at: None, cure: None }
    }

    /// The same at a place in space, in millimetres, if there is one.
    #[must_use]
    pub fn at(self, place: impl Into<Option<Point3>>) -> Self {
        Self { at: place.into().map(Into::into), ..self }
    }

    /// What a construction refused, about the input that it concerns.
    #[must_use]
    pub fn refused(input: &str, error: &SurfacingError) -> Self {
        Self::about(input, error.to_string()).at(error.place().map(Point3::from))
    }
}
