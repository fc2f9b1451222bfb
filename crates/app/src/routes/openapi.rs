//! The description of the JSON interface, for programs that want to use it.

use axum::routing::get;
use axum::{Json, Router};
use serde_json::{Value, json};

use crate::state::AppState;

pub fn routes() -> Router<AppState> {
    Router::new().route("/api/openapi.json", get(|| async { Json(document()) }))
}

fn operation(summary: &str, answer: &str, media_type: &str, body: Option<Value>) -> Value {
    let mut operation = json!({
        "summary": summary,
        "responses": {
            "200": {"description": answer, "content": {media_type: {}}},
            "default": {
                "description": "Refused: what is wrong and what to do",
                "content": {"application/json": {"schema": {
                    "type": "object",
                    "properties": {"error": {"type": "string"}, "kind": {"type": "string"}},
                    "required": ["error", "kind"],
                }}},
            },
        },
    });
    if let Some(schema) = body {
        operation["requestBody"] =
            json!({"required": true, "content": {"application/json": {"schema": schema}}});
    }
    operation
}

fn document() -> Value {
    let json_type = "application/json";
    let id = json!([{"name": "id", "in": "path", "required": true, "schema": {"type": "string", "format": "uuid"}}]);
    let version = json!({"version": {"type": "integer", "description": "The version that this is based on"}});
    let on_version = json!({"type": "object", "required": ["version"], "properties": version});
    let mut edits = on_version.clone();
    edits["required"] = json!(["version", "edits"]);
    edits["properties"]["edits"] = json!({"type": "array", "items": {"type": "object"}, "description": "Edits that stand or fall together; see docs/recipe.md"});
    let recipe = json!({"type": "object", "description": "A recipe; its schema is at /api/recipe-schema"});
    let mut send_parameters = id.clone();
    if let Some(list) = send_parameters.as_array_mut() {
        list.push(json!({"name": "format", "in": "path", "required": true, "schema": {"enum": ["step", "stl", "3mf", "glb"]}}));
        list.push(json!({"name": "chord", "in": "query", "description": "Chord tolerance in mm", "schema": {"type": "number"}}));
    }
    json!({
        "openapi": "3.1.0",
        "info": {"title": "Kindred Shell", "version": env!("CARGO_PKG_VERSION")},
        "paths": {
            "/api/steps": {"get": operation("Kinds of step with their inputs and values", "Descriptions", json_type, None)},
            "/api/recipe-schema": {"get": operation("JSON Schema of recipes", "The schema", json_type, None)},
            "/api/parts": {
                "get": operation("Parts on the rack", "The parts", json_type, None),
                "post": operation("Bring in a recipe as a new part", "Its id", json_type, Some(recipe)),
            },
            "/api/parts/{id}": {
                "parameters": id,
                "get": operation("A part with its recipe", "The part", json_type, None),
                "delete": operation("Take a part off the rack", "Nothing", json_type, None),
            },
            "/api/parts/{id}/restore": {"parameters": id, "post": operation("Put a part back on the rack", "Nothing", json_type, None)},
            "/api/parts/{id}/edits": {"parameters": id, "post": operation("Change a part", "The part after the change", json_type, Some(edits))},
            "/api/parts/{id}/undo": {"parameters": id, "post": operation("Take back the newest change", "The part", json_type, Some(on_version.clone()))},
            "/api/parts/{id}/redo": {"parameters": id, "post": operation("Make it again", "The part", json_type, Some(on_version))},
            "/api/parts/{id}/report": {"parameters": id, "get": operation("The closure report", "The report", json_type, None)},
            "/api/parts/{id}/view.glb": {"parameters": id, "get": operation("Meshes to look at, with the report in the extras", "A glTF 2.0 binary", "model/gltf-binary", None)},
            "/api/parts/{id}/recipe.json": {"parameters": id, "get": operation("The recipe as a file", "The recipe", json_type, None)},
            "/api/parts/{id}/send/{format}": {"parameters": send_parameters, "get": operation("The part as a file", "The file", "application/octet-stream", None)},
        },
    })
}
