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
    pub stage: &'static str,
    /// One line of what it is for.
    pub purpose: &'static str,
    /// Other words people look for it by.
    pub also: &'static str,
    /// The key that opens it.
    pub key: &'static str,
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
    /// Kinds of step whose shapes it takes.
    pub takes: &'static [&'static str],
    /// Fewest shapes it needs.
    pub least: usize,
    /// Most shapes it takes.
    pub most: usize,
    /// Whether the direction of what is picked matters.
    pub directed: bool,
    /// A sentence of help.
    pub help: &'static str,
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
