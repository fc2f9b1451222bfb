//! The demo's parts: the recipes in `examples/`, loaded as a user would bring them in.

use part::Recipe;
use store::{Store, StoreError};

use crate::assets::Examples;

const PROJECT: &str = "Weather mast · Saltmarsh Instruments";
/// The order on the rack; recipes that are not named here follow in the order of their file names.
const FIRST: [&str; 4] = ["rain-funnel.json", "wind-cup.json", "drip-tray.json", "float.json"];

/// Adds the demo's parts where no part was ever made; a user's own data stays as it is.
pub async fn load(store: &Store) -> Result<(), StoreError> {
    let mut names: Vec<String> = Examples::iter().map(|n| n.to_string()).collect();
    names.sort_by_key(|n| (FIRST.iter().position(|f| f == n).unwrap_or(FIRST.len()), n.clone()));
    let mut parts = Vec::new();
    for name in names {
        let Some(file) = Examples::get(&name) else { continue };
        let text = String::from_utf8_lossy(&file.data);
        match Recipe::from_json(&text) {
            Ok(recipe) => {
                let value = serde_json::to_value(&recipe).unwrap_or_default();
                parts.push((recipe.name, value));
            }
            Err(error) => tracing::error!(%name, %error, "an example cannot be read"),
        }
    }
    // All or none: a start that is broken off leaves nothing half done.
    store.fill_if_empty(PROJECT, &parts).await?;
    Ok(())
}
