//! The schema of engine profiles.

use serde_json::{Map, Value, json};

use super::{DIALECT, put};
use crate::profile::{Each, Language, LogKind, PROFILE_KEYS, ProfileKind};

/// The schema of an engine profile.
#[must_use]
pub fn profile_schema() -> Value {
    let mut properties = Map::new();
    for key in &PROFILE_KEYS {
        let mut schema = of_kind(key.kind);
        schema["description"] = json!(key.meaning);
        put(&mut properties, key.name, schema);
    }
    properties["engine"]["required"] = json!(["name", "program"]);
    json!({
        "$schema": DIALECT,
        "title": "An engine profile of True Path",
        "type": "object",
        "properties": properties,
        "required": ["engine"],
        "additionalProperties": false,
    })
}

fn of_kind(kind: ProfileKind) -> Value {
    let text = json!({ "type": "string" });
    let texts = json!({ "type": "array", "items": text });
    let one_or_more = json!({ "anyOf": [text, texts] });
    match kind {
        ProfileKind::Text => text,
        ProfileKind::Texts => texts,
        ProfileKind::Number => json!({ "type": "integer" }),
        ProfileKind::Truth => json!({ "type": "boolean" }),
        ProfileKind::Choice(words) => json!({ "enum": words }),
        ProfileKind::Choices(words) => json!({ "type": "array", "items": { "enum": words } }),
        ProfileKind::Templates => json!({ "type": "object", "additionalProperties": text }),
        ProfileKind::TextOrTexts => one_or_more,
        ProfileKind::Numbers => json!({ "type": "array", "items": { "type": "integer" } }),
        ProfileKind::Files => json!({
            "type": "array",
            "items": {
                "type": "object",
                "properties": {
                    "name": text,
                    "language": { "enum": Language::ALL.map(|(word, _)| word) },
                    "text": text,
                    "json": {},
                },
                "required": ["name"],
                "additionalProperties": false,
            },
        }),
        ProfileKind::Settings => json!({
            "type": "object",
            "additionalProperties": {
                "type": "object",
                "properties": {
                    "takes": { "enum": ["text", "truth", "whole", "number", "word"] },
                    "from": { "type": "number" },
                    "to": { "type": "number" },
                    "words": texts,
                },
                "additionalProperties": false,
            },
        }),
        ProfileKind::Words => json!({
            "type": "object",
            "additionalProperties": {
                "type": "object",
                "properties": { "by": texts },
                "required": ["by"],
                "additionalProperties": text,
            },
        }),
        ProfileKind::Arguments => json!({
            "type": "array",
            "items": { "anyOf": [text, texts, {
                "type": "object",
                "properties": {
                    "put": one_or_more,
                    "each": { "enum": Each::ALL.map(Each::word) },
                    "split": { "type": "boolean" },
                    "changes-picture": { "type": "boolean" },
                    "when": {
                        "type": "object",
                        "additionalProperties": {
                            "anyOf": [{ "type": ["string", "number", "boolean", "object"] }, texts],
                        },
                    },
                },
                "required": ["put"],
                "additionalProperties": false,
            }] },
        }),
        ProfileKind::Log => {
            let kinds: Map<String, Value> = LogKind::ALL
                .into_iter()
                .map(|kind| (kind.word().to_owned(), text.clone()))
                .collect();
            json!({
                "type": "array",
                "items": {
                    "type": "object",
                    "properties": kinds,
                    "additionalProperties": false,
                },
            })
        }
    }
}
