use schemars::JsonSchema;
use serde::Serialize;

use crate::Quantity;

/// A kind of step, as the interface shows it.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct StepDescription {
    /// Name in the recipe.
    pub kind: &'static str,
    /// What the tool is called.
    pub label: &'static str,
    /// The stage it belongs to.
    #[schemars(extend("enum" = ["Draw", "Skin", "Shape", "Close", "Prove"]))]
    pub stage: &'static str,
    /// One line of what it is for.
    pub purpose: &'static str,
    /// Other words people look for it by.
    pub also: &'static str,
    /// The key that opens it, if it has one.
    pub key: &'static str,
    /// Kinds of shape that it can make.
    pub makes: &'static [&'static str],
    /// Inputs, in order.
    pub slots: Vec<SlotDescription>,
    /// Values, in order.
    pub values: Vec<ValueDescription>,
}

/// One input of a step.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct SlotDescription {
    /// Field in the recipe.
    pub name: &'static str,
    /// What it is called.
    pub label: &'static str,
    /// Kinds of shape it takes: `curve`, `plane`, `axis`, `point`, `surface`, `solid`; `place` for a
    /// place on the surface of the slot before.
    pub takes: &'static [&'static str],
    /// What it can hold without any step: main planes or axes.
    pub main: Vec<Choice>,
    /// How many coordinates can be typed instead, with commas between; 0 where nothing can be typed.
    pub typed: usize,
    /// Whether its field in the recipe is a list.
    pub list: bool,
    /// Fewest shapes it needs.
    pub least: usize,
    /// Most shapes it takes.
    pub most: usize,
    /// Whether it takes single faces of a body, and not only all of it.
    pub faces: bool,
    /// Whether it takes one face only, so that of a body with several one is to be picked.
    pub one_face: bool,
    /// Whether it is picked from shapes that what the step makes covers or replaces.
    pub uncovers: bool,
    /// Whether the direction of what is picked matters.
    pub directed: bool,
    /// What can be chosen for each shape by itself.
    pub each: Option<EachDescription>,
    /// Shown only while another field is shown and has a value: `filled` for any, `!x` for any but x, `a|b` for either.
    pub only_if: Option<(&'static str, &'static str)>,
    /// A sentence of help.
    pub help: &'static str,
}

/// A choice for each shape in a slot.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct EachDescription {
    /// Field in the recipe: a list that runs along with the slot's.
    pub name: &'static str,
    /// What is chosen.
    pub label: &'static str,
    /// The words.
    pub choices: Vec<Choice>,
}

impl SlotDescription {
    /// A slot for exactly one shape.
    #[must_use]
    pub fn one(
        name: &'static str,
        label: &'static str,
        takes: &'static [&'static str],
        help: &'static str,
    ) -> Self {
        let (main, typed) = match takes.first() {
            Some(&"plane") => (["xz", "yz", "xy"].map(|v| Choice { value: v, label: v }).to_vec(), 0),
            Some(&"axis") => (["x", "y", "z"].map(|v| Choice { value: v, label: v }).to_vec(), 0),
            Some(&"point") => (vec![], 3),
            Some(&"place") => (vec![], 2),
            _ => (vec![], 0),
        };
        Self {
            name,
            label,
            takes,
            main,
            typed,
            list: false,
            least: 1,
            most: 1,
            faces: false,
            one_face: false,
            uncovers: false,
            directed: false,
            each: None,
            only_if: None,
            help,
        }
    }

    /// The same slot for several shapes, in order.
    #[must_use]
    pub fn many(self, least: usize, most: usize) -> Self {
        Self { list: true, least, most, ..self }
    }

    /// The same slot, which takes single faces too.
    #[must_use]
    pub fn faces(self) -> Self {
        Self { faces: true, ..self }
    }

    /// The same slot, which takes one face only.
    #[must_use]
    pub fn one_face(self) -> Self {
        Self { faces: true, one_face: true, ..self }
    }

    /// The same slot, picked from shapes that what the step makes covers or replaces: the card shows those until told otherwise.
    #[must_use]
    pub fn uncovers(self) -> Self {
        Self { uncovers: true, ..self }
    }

    /// The same slot, into which nothing can be typed.
    #[must_use]
    pub fn untyped(self) -> Self {
        Self { typed: 0, ..self }
    }

    /// The same slot, in which one of a few words is chosen for each shape, the first of them where none is.
    #[must_use]
    pub fn each(
        self,
        name: &'static str,
        label: &'static str,
        choices: &[(&'static str, &'static str)],
    ) -> Self {
        let choices = choices.iter().map(|&(value, label)| Choice { value, label }).collect();
        Self { each: Some(EachDescription { name, label, choices }), ..self }
    }

    /// The same slot, which can stay empty.
    #[must_use]
    pub fn optional(self) -> Self {
        Self { least: 0, ..self }
    }

    /// The same slot, shown only while another field has a value.
    #[must_use]
    pub fn only_if(self, field: &'static str, value: &'static str) -> Self {
        Self { only_if: Some((field, value)), ..self }
    }
}

impl ValueDescription {
    /// A typed number or formula.
    #[must_use]
    pub fn amount(
        name: &'static str,
        label: &'static str,
        quantity: Quantity,
        [least, most]: [f64; 2],
        default: serde_json::Value,
        help: &'static str,
    ) -> Self {
        let widget = Widget::Amount { quantity, least, most };
        Self { name, label, widget, default, only_if: None, help }
    }

    /// One of a few words, the first of which is the default.
    #[must_use]
    pub fn choice(
        name: &'static str,
        label: &'static str,
        choices: &[(&'static str, &'static str)],
        help: &'static str,
    ) -> Self {
        let choices: Vec<Choice> = choices.iter().map(|&(value, label)| Choice { value, label }).collect();
        let default = choices.first().map_or("", |c| c.value).into();
        Self { name, label, widget: Widget::Choice { choices }, default, only_if: None, help }
    }

    /// Yes or no, at first no.
    #[must_use]
    pub fn switch(name: &'static str, label: &'static str, help: &'static str) -> Self {
        Self { name, label, widget: Widget::Switch, default: false.into(), only_if: None, help }
    }

    /// The same value, shown only while another field has a value; `filled` for any.
    #[must_use]
    pub fn only_if(self, field: &'static str, value: &'static str) -> Self {
        Self { only_if: Some((field, value)), ..self }
    }
}

/// How a value is given.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case", tag = "widget")]
pub enum Widget {
    /// A typed number or formula.
    Amount {
        /// What it measures.
        quantity: Quantity,
        /// Lowest sensible value, in millimetres, degrees or plain.
        least: f64,
        /// Highest sensible value.
        most: f64,
    },
    /// One of a few words.
    Choice {
        /// The words.
        choices: Vec<Choice>,
    },
    /// Yes or no.
    Switch,
}

/// One word of a choice.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Choice {
    /// Value in the recipe.
    pub value: &'static str,
    /// What it is called.
    pub label: &'static str,
}

/// One value of a step.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ValueDescription {
    /// Field in the recipe.
    pub name: &'static str,
    /// What it is called.
    pub label: &'static str,
    /// How it is given.
    #[serde(flatten)]
    pub widget: Widget,
    /// Default, as in the recipe.
    pub default: serde_json::Value,
    /// Shown only while another field has a value.
    pub only_if: Option<(&'static str, &'static str)>,
    /// A sentence of help.
    pub help: &'static str,
}
