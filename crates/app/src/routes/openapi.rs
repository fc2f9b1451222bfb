//! The description of the JSON interface, for programs that want to use it. Schemas come from the Rust types.

use axum::routing::get;
use axum::{Json, Router};
use exchange::Format;
use part::steps::StepDescription;
use part::{NamedShapes, Recipe, Report};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Map, Value, json};
use store::Part;

use super::api::{
    Edited, Edits, Made, Nearest, NearestAsked, NewName, OnVersion, Parts, PartsAsked, Recast, RecastAsked,
    Rename, Set, TopologyAsked,
};
use super::history::{History, HistoryAsked};
use super::send::SendAsked;
use crate::asked::{Nothing, Query};
use crate::live::{News, Said};
use crate::rejection::Refusal;
use crate::state::AppState;

pub fn routes() -> Router<AppState> {
    Router::new().route("/api/openapi.json", get(|_: Query<Nothing>| async { Json(document()) }))
}

const JSON: &str = "application/json";

struct Document {
    schemas: SchemaGenerator,
    paths: Map<String, Value>,
}

/// One operation, as it is put together.
struct Operation {
    path: &'static str,
    method: &'static str,
    value: Value,
}

impl Operation {
    fn new(method: &'static str, path: &'static str, id: &str, summary: &str) -> Self {
        let mut parameters = Vec::new();
        for name in path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}')) {
            let (about, schema) = match name {
                "id" => ("The part", json!({"type": "string", "format": "uuid"})),
                "entry" => {
                    ("The entry's number", json!({"type": "integer", "format": "int64", "minimum": 0}))
                }
                "step" => ("The step's id", json!({"type": "string", "minLength": 1, "maxLength": 80})),
                _ => ("The format", json!({"type": "string", "enum": Format::ALL.map(Format::ending)})),
            };
            parameters.push(
                json!({"name": name, "in": "path", "required": true, "description": about, "schema": schema}),
            );
        }
        let value = json!({"operationId": id, "summary": summary, "parameters": parameters, "responses": {}});
        Self { path, method, value }
    }

    fn parameter(mut self, parameter: Value) -> Self {
        if let Some(parameters) = self.value["parameters"].as_array_mut() {
            parameters.push(parameter);
        }
        self
    }

    /// What stands behind the `?`: the fields of a type.
    fn asked<T: JsonSchema>(self, d: &mut Document) -> Self {
        let schema = json!(T::json_schema(&mut d.schemas));
        let required: Vec<&str> =
            schema["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
        let fields = schema["properties"].as_object().cloned().unwrap_or_default();
        fields.into_iter().fold(self, |operation, (name, mut field)| {
            let about = field["description"].take();
            if let Some(field) = field.as_object_mut() {
                field.remove("description");
                // Absent is how a query leaves something out; there is no null in it.
                if let Some(kinds) = field.get_mut("type")
                    && let Some(kind) =
                        kinds.as_array().and_then(|k| k.iter().find(|k| **k != "null")).cloned()
                {
                    *kinds = kind;
                }
            }
            operation.parameter(json!({
                "name": name, "in": "query", "required": required.contains(&name.as_str()),
                "description": about, "schema": field,
            }))
        })
    }

    fn takes<T: JsonSchema>(mut self, d: &mut Document) -> Self {
        let schema = d.schema::<T>();
        self.value["requestBody"] = json!({"required": true, "content": {JSON: {"schema": schema}}});
        self.parameter(json!({
            "name": "Idempotency-Key", "in": "header", "required": false,
            "description": "A word that you make for this request and send again with it when no answer came: it is carried out once",
            "schema": {"type": "string", "minLength": 1, "maxLength": 100, "pattern": "^[A-Za-z0-9_-]+$"},
        }))
    }

    /// An answer that can be asked for again by its tag.
    fn tagged(mut self) -> Self {
        self.value["responses"]["304"] = json!({"description": "Not changed since the tag that was sent"});
        self.parameter(json!({
            "name": "If-None-Match", "in": "header", "required": false,
            "description": "The ETag of an answer that you have", "schema": {"type": "string"},
        }))
    }

    fn answer(mut self, status: &str, about: &str, content: Value) -> Self {
        let mut answer = json!({"description": about});
        if !content.is_null() {
            answer["content"] = content;
        }
        self.value["responses"][status] = answer;
        self
    }

    fn answers<T: JsonSchema>(self, d: &mut Document, about: &str) -> Self {
        let schema = d.schema::<T>();
        self.answer("200", about, json!({JSON: {"schema": schema}}))
    }

    fn file(self, about: &str, media_types: &[&str]) -> Self {
        let content: Map<String, Value> = media_types
            .iter()
            .map(|kind| ((*kind).to_string(), json!({"schema": {"type": "string", "format": "binary"}})))
            .collect();
        self.answer("200", about, content.into())
    }
}

impl Document {
    fn schema<T: JsonSchema>(&mut self) -> Value {
        json!(self.schemas.subschema_for::<T>())
    }

    fn add(&mut self, mut operation: Operation) {
        let refusal = self.schema::<Refusal>();
        operation.value["responses"]["default"] = json!({
            "description": "Refused: what is wrong and what to do",
            "content": {JSON: {"schema": refusal}},
        });
        let path = self.paths.entry(operation.path).or_insert_with(|| json!({}));
        path[operation.method] = operation.value;
    }
}

fn document() -> Value {
    let settings = SchemaSettings::draft2020_12().with(|s| s.definitions_path = "/components/schemas".into());
    let mut doc = Document { schemas: settings.into_generator(), paths: Map::new() };
    let d = &mut doc;
    let op = Operation::new;
    let glb = Format::Glb.media_type();
    let all = Format::ALL.map(Format::media_type);

    let o = op("get", "/api/openapi.json", "getDescription", "This description");
    d.add(o.answer("200", "OpenAPI 3.1", json!({JSON: {"schema": {"type": "object"}}})));
    let o = op("get", "/api/steps", "listStepKinds", "Kinds of step with their inputs and values");
    let o = o.answers::<Vec<StepDescription>>(d, "All kinds");
    d.add(o);
    let o = op("get", "/api/recipe-schema", "getRecipeSchema", "JSON Schema of recipes");
    d.add(o.answer("200", "The schema", json!({JSON: {"schema": {"type": "object"}}})));

    let o = op("get", "/api/parts", "listParts", "Parts on the rack, or removed ones, a page at a time");
    let o = o.asked::<PartsAsked>(d).answers::<Parts>(d, "A page");
    d.add(o);
    let o = op("post", "/api/parts", "createPart", "Bring in a recipe as a new part").takes::<Recipe>(d);
    let made = d.schema::<Made>();
    d.add(o.answer("201", "Its id", json!({JSON: {"schema": made}})));
    let o = op("get", "/api/parts/{id}", "getPart", "A part with its recipe");
    let o = o.answers::<Part>(d, "The part").tagged();
    d.add(o);
    let o = op("delete", "/api/parts/{id}", "removePart", "Take a part off the rack");
    d.add(o.answer("204", "It is off the rack, and can be brought back", Value::Null));
    let o = op("post", "/api/parts/{id}/restore", "bringPartBack", "Put a removed part back on the rack");
    d.add(o.answer("204", "It is on the rack", Value::Null));
    let o = op("post", "/api/parts/{id}/copy", "copyPart", "A new part with the same recipe");
    let made = d.schema::<Made>();
    let o = o.takes::<NewName>(d).answer("201", "The copy's id", json!({JSON: {"schema": made}}));
    d.add(o);
    let o = op("post", "/api/parts/{id}/rename", "renamePart", "Give a part another name");
    let o = o.takes::<Rename>(d).answers::<Edited>(d, "The part after it");
    d.add(o);
    let o =
        op("post", "/api/parts/{id}/edits", "editPart", "Change a part by edits that stand or fall together");
    let o = o.takes::<Edits>(d).answers::<Edited>(d, "The part after them");
    d.add(o);
    let o = op("post", "/api/parts/{id}/undo", "undoEdit", "Take back the newest change");
    let o = o.takes::<OnVersion>(d).answers::<Part>(d, "The part after it");
    d.add(o);
    let o = op("post", "/api/parts/{id}/redo", "redoEdit", "Make the change again that was taken back last");
    let o = o.takes::<OnVersion>(d).answers::<Part>(d, "The part after it");
    d.add(o);
    let o =
        op("get", "/api/parts/{id}/history", "listHistory", "Every state that a part ever had, newest first");
    let o = o.asked::<HistoryAsked>(d).answers::<History>(d, "Entries");
    d.add(o);
    let o = op(
        "get",
        "/api/parts/{id}/history/{entry}",
        "getOldRecipe",
        "The recipe as it was at an entry of the history",
    );
    d.add(o.answer(
        "200",
        "The recipe, in the form of its time",
        json!({JSON: {"schema": {"type": "object"}}}),
    ));

    let o = op("get", "/api/parts/{id}/report", "getReport", "The closure report");
    let o = o.asked::<Set>(d).answers::<Report>(d, "The report").tagged();
    d.add(o);
    let o = op(
        "get",
        "/api/parts/{id}/topology",
        "getTopology",
        "Names of faces, edges, vertices and pieces with kind, size and place",
    );
    let o = o.asked::<TopologyAsked>(d).answers::<Vec<NamedShapes>>(d, "By step").tagged();
    d.add(o);
    let o =
        op("get", "/api/parts/{id}/recast", "getRecastDeviation", "What recasting a drawn curve would cost");
    let o = o.asked::<RecastAsked>(d).answers::<Recast>(d, "The deviation");
    d.add(o);
    let o = op(
        "get",
        "/api/parts/{id}/nearest",
        "getNearestPlace",
        "The place of a drawing's curves that is nearest to a place of its plane",
    );
    let o = o.asked::<NearestAsked>(d).answers::<Nearest>(d, "The place");
    d.add(o);

    let o =
        op("get", "/api/parts/{id}/view.glb", "getView", "Meshes to look at, with the report in the extras");
    let o = o.asked::<Set>(d).file("glTF 2.0, binary", &[glb]).tagged();
    d.add(o);
    let o = op("get", "/api/parts/{id}/send/{format}", "sendPart", "The part as a file");
    let o = o.asked::<SendAsked>(d).file("The file", &all).tagged();
    d.add(o);
    let o = op("get", "/api/parts/{id}/recipe.json", "getRecipeFile", "The recipe as a file");
    let recipe = d.schema::<Recipe>();
    let o = o.answer("200", "The recipe", json!({JSON: {"schema": recipe}})).tagged();
    d.add(o);
    let o = op(
        "get",
        "/parts/{id}/picture.png",
        "getPicture",
        "A picture of what the part comes to, kept by version",
    );
    let version = json!({"name": "v", "in": "query", "required": false, "description": "The version, so that the picture may be kept for good", "schema": {"type": "integer", "format": "int64"}});
    d.add(o.parameter(version).file("PNG", &["image/png"]));
    let o = op(
        "get",
        "/parts/{id}/steps/{step}/picture.png",
        "getStepPicture",
        "A small picture of what one step made",
    );
    let key = json!({"name": "k", "in": "query", "required": false, "description": "The key of the step's shape in the report, so that the picture may be kept for good", "schema": {"type": "string"}});
    d.add(o.parameter(key).file("PNG", &["image/png"]));

    let mut o = op(
        "get",
        "/api/parts/{id}/live",
        "openLiveChannel",
        "Live editing over a WebSocket: each text message to the server is one of `x-messages-to-server`, each text message from it one of `x-messages-from-server`; views come as binary messages, a ticket (64 bit, little endian) and a glTF 2.0 binary",
    );
    o.value["x-messages-to-server"] = d.schema::<Said>();
    o.value["x-messages-from-server"] = d.schema::<News>();
    d.add(o.answer(
        "101",
        "The channel is open; the first message says at which version the part is",
        Value::Null,
    ));

    let mut schemas = Value::from(doc.schemas.take_definitions(true));
    gather_words(&mut schemas);
    let mut paths = Value::from(doc.paths);
    gather_words(&mut paths);
    json!({
        "openapi": "3.1.0",
        "info": {
            "title": "Kindred Shell",
            "version": env!("CARGO_PKG_VERSION"),
            "description": "Parts as recipes of steps: make, change, measure and send them. Lengths in millimetres.",
        },
        "paths": paths,
        "components": {"schemas": schemas},
    })
}

/// Words of which one is chosen, each with a sentence of its own, as one list of words: what generators of clients know.
fn gather_words(value: &mut Value) {
    match value {
        Value::Array(values) => values.iter_mut().for_each(gather_words),
        Value::Object(fields) => {
            fields.values_mut().for_each(gather_words);
            let Some(Value::Array(choices)) = fields.get("oneOf") else { return };
            let is_word = |choice: &Value| choice["const"].is_string() && choice.get("properties").is_none();
            let (words, others): (Vec<Value>, Vec<Value>) = choices.iter().cloned().partition(is_word);
            if words.is_empty() {
                return;
            }
            let sentence = |word: &Value| {
                let text = |field: &str| word[field].as_str().unwrap_or_default().to_string();
                format!("`{}`: {}", text("const"), text("description"))
            };
            let about = words.iter().map(sentence).collect::<Vec<_>>().join(" ");
            let list: Vec<&Value> = words.iter().map(|word| &word["const"]).collect();
            let gathered = json!({"type": "string", "enum": list, "description": about});
            if others.is_empty() {
                fields.remove("oneOf");
                let own =
                    fields.get("description").and_then(Value::as_str).map(|own| format!("{own} {about}"));
                if let Value::Object(gathered) = gathered {
                    fields.extend(gathered);
                }
                fields.extend(own.map(|own| ("description".to_string(), own.into())));
            } else {
                fields.insert("oneOf".into(), std::iter::once(gathered).chain(others).collect());
            }
        }
        _ => {}
    }
}
