//! The description of the JSON interface, for programs that want to use it. Schemas come from the Rust types.

use axum::routing::get;
use axum::{Json, Router};
use part::steps::StepDescription;
use part::{Recipe, Report};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Value, json};
use store::{Part, PartRow};

use super::api::{Edited, Edits, Nearest, OnVersion, Recast};
use crate::live::Said;
use crate::rejection::Refusal;
use crate::state::AppState;

pub fn routes() -> Router<AppState> {
    Router::new().route("/api/openapi.json", get(|| async { Json(document()) }))
}

const JSON: &str = "application/json";

struct Document {
    schemas: SchemaGenerator,
}

impl Document {
    fn schema<T: JsonSchema>(&mut self) -> Value {
        json!(self.schemas.subschema_for::<T>())
    }

    fn operation(&mut self, summary: &str, status: &str, content: Value) -> Value {
        let refusal = self.schema::<Refusal>();
        let mut answer = json!({"description": summary});
        if !content.is_null() {
            answer["content"] = content;
        }
        json!({
            "summary": summary,
            "responses": {
                status: answer,
                "default": {
                    "description": "Refused: what is wrong and what to do",
                    "content": {JSON: {"schema": refusal}},
                },
            },
        })
    }

    fn answers<T: JsonSchema>(&mut self, summary: &str) -> Value {
        let schema = self.schema::<T>();
        self.operation(summary, "200", json!({JSON: {"schema": schema}}))
    }

    fn takes<Body: JsonSchema, T: JsonSchema>(&mut self, summary: &str) -> Value {
        let (body, mut operation) = (self.schema::<Body>(), self.answers::<T>(summary));
        operation["requestBody"] = json!({"required": true, "content": {JSON: {"schema": body}}});
        operation
    }

    fn file(&mut self, summary: &str, media_type: &str) -> Value {
        self.operation(summary, "200", json!({media_type: {}}))
    }
}

fn document() -> Value {
    let settings = SchemaSettings::draft2020_12().with(|s| s.definitions_path = "/components/schemas".into());
    let mut d = Document { schemas: settings.into_generator() };
    let id =
        json!({"name": "id", "in": "path", "required": true, "schema": {"type": "string", "format": "uuid"}});
    let format = json!({"name": "format", "in": "path", "required": true, "schema": {"enum": ["step", "stl", "3mf", "glb"]}});
    let chord = json!({"name": "chord", "in": "query", "description": "Chord tolerance in mm", "schema": {"type": "number"}});
    let query = |name: &str, kind: &str| json!({"name": name, "in": "query", "required": true, "schema": {"type": kind}});
    let recast_parameters = json!([
        id,
        query("step", "string"),
        query("curve", "string"),
        query("points", "integer"),
        query("degree", "integer")
    ]);
    let nearest_parameters = json!([id, query("step", "string"), query("x", "number"), query("y", "number")]);
    let mut create = d.takes::<Recipe, Value>("Bring in a recipe as a new part; gives its id");
    let created = create["responses"]["200"].take();
    create["responses"] = json!({"201": created, "default": create["responses"]["default"]});
    let live = {
        let said = d.schema::<Said>();
        let mut operation = d.operation(
            "Live editing over a WebSocket: each text message is one of `x-messages`; views come back as a ticket (64 bit, little endian) and a glTF 2.0 binary, refusals, progress and news as JSON",
            "101",
            Value::Null,
        );
        operation["x-messages"] = said;
        operation
    };
    let paths = json!({
        "/api/steps": {"get": d.answers::<Vec<StepDescription>>("Kinds of step with their inputs and values")},
        "/api/recipe-schema": {"get": d.answers::<Value>("JSON Schema of recipes")},
        "/api/parts": {"get": d.answers::<Vec<PartRow>>("Parts on the rack"), "post": create},
        "/api/parts/{id}": {
            "parameters": [id],
            "get": d.answers::<Part>("A part with its recipe"),
            "delete": d.operation("Take a part off the rack", "204", Value::Null),
        },
        "/api/parts/{id}/restore": {"parameters": [id], "post": d.operation("Put a part back on the rack", "204", Value::Null)},
        "/api/parts/{id}/edits": {"parameters": [id], "post": d.takes::<Edits, Edited>("Change a part by edits that stand or fall together")},
        "/api/parts/{id}/undo": {"parameters": [id], "post": d.takes::<OnVersion, Part>("Take back the newest change")},
        "/api/parts/{id}/redo": {"parameters": [id], "post": d.takes::<OnVersion, Part>("Make it again")},
        "/api/parts/{id}/report": {"parameters": [id], "get": d.answers::<Report>("The closure report")},
        "/api/parts/{id}/recast": {"parameters": recast_parameters, "get": d.answers::<Recast>("What recasting a drawn curve would cost")},
        "/api/parts/{id}/nearest": {"parameters": nearest_parameters, "get": d.answers::<Nearest>("The place of a drawing's curves that is nearest to a place of its plane")},
        "/api/parts/{id}/live": {"parameters": [id], "get": live},
        "/api/parts/{id}/view.glb": {"parameters": [id], "get": d.file("Meshes to look at, with the report in the extras", "model/gltf-binary")},
        "/api/parts/{id}/recipe.json": {"parameters": [id], "get": d.file("The recipe as a file", JSON)},
        "/api/parts/{id}/send/{format}": {"parameters": [id, format, chord], "get": d.file("The part as a file", "application/octet-stream")},
    });
    json!({
        "openapi": "3.1.0",
        "info": {"title": "Kindred Shell", "version": env!("CARGO_PKG_VERSION")},
        "paths": paths,
        "components": {"schemas": d.schemas.take_definitions(true)},
    })
}
