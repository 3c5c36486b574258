//! What a value of a kind looks like in a schema.

use serde_json::{Value, json};

use crate::job::{KEYS, Kind};

/// The schema of a kind of value.
pub(super) fn of_kind(kind: Kind) -> Value {
    match kind {
        Kind::Text => json!({ "type": "string" }),
        Kind::Component => json!({ "type": "string", "minLength": 1, "pattern": r"^[^/\\]+$" }),
        Kind::Components => json!({ "type": "array", "items": of_kind(Kind::Component) }),
        Kind::Template => json!({ "type": "string", "minLength": 1 }),
        Kind::Number => json!({ "type": "integer", "minimum": 0 }),
        Kind::Signed | Kind::Frame => json!({ "type": "integer" }),
        Kind::Quality => json!({ "type": "integer", "minimum": 1, "maximum": 100 }),
        Kind::Rate => json!({ "type": "number", "exclusiveMinimum": 0 }),
        Kind::Version => json!({ "anyOf": [
            { "type": "integer", "minimum": 0 },
            { "type": "string", "pattern": r"\{version" },
        ] }),
        Kind::Frames => json!({ "anyOf": [
            { "type": "integer" },
            { "type": "string", "pattern": "^[-0-9]" },
        ] }),
        // Names of the project's own are allowed too.
        Kind::Size => json!({ "type": "string", "minLength": 1 }),
        Kind::Scale | Kind::Ratio => json!({ "anyOf": [
            { "type": "number", "exclusiveMinimum": 0 },
            { "type": "string", "pattern": r"^[0-9.]+(%|/[0-9]+)?$" },
        ] }),
        Kind::Region => json!({ "type": "string", "pattern": "^.+ at [0-9]+, ?[0-9]+$" }),
        Kind::BitRate => json!({ "type": "string", "pattern": "^[0-9.]+[kM]$" }),
        Kind::Share => json!({ "type": "string", "pattern": "^[0-9]+ */ *[0-9]+$" }),
        Kind::Weights => json!({ "anyOf": [
            { "type": "integer", "minimum": 1 },
            { "type": "string", "pattern": "^[0-9]+( *, *[0-9]+)*$" },
        ] }),
        Kind::Duration => json!({ "type": "string", "pattern": "^[0-9.]+[smh]$" }),
        Kind::Truth => json!({ "type": "boolean" }),
        Kind::Settings => json!({
            "type": "object",
            "additionalProperties": { "type": ["string", "number", "boolean"] },
        }),
        Kind::Layers => json!({
            "type": "object",
            "additionalProperties": {
                "type": "array", "minItems": 1, "items": of_kind(Kind::Component),
            },
        }),
        Kind::Run => json!({ "type": "array", "minItems": 1, "items": { "anyOf": [
            { "type": "string" },
            { "type": "array", "minItems": 1, "items": { "type": "string" } },
            {
                "type": "object",
                "required": ["put"],
                "additionalProperties": false,
                "properties": {
                    "put": { "anyOf": [
                        { "type": "string" },
                        { "type": "array", "minItems": 1, "items": { "type": "string" } },
                    ] },
                    "changes-picture": { "type": "boolean" },
                },
            },
        ] } }),
        Kind::Codes => json!({
            "type": "array", "items": { "type": "integer", "minimum": 0, "maximum": 255 },
        }),
        Kind::Keys => {
            let names: Vec<&str> = KEYS.iter().map(|facts| facts.name).collect();
            json!({ "type": "array", "items": { "enum": names } })
        }
        Kind::Format
        | Kind::Channels
        | Kind::Bits
        | Kind::Only
        | Kind::Choice(_)
        | Kind::Transfer
        | Kind::Container
        | Kind::Codec
        | Kind::AudioCodec
        | Kind::Pixels => {
            let words: Vec<Value> = kind
                .words()
                .into_iter()
                .flat_map(|word| match word.parse::<u8>() {
                    // 8 and "8" are the same bits.
                    Ok(number) => vec![json!(number), json!(word)],
                    Err(_) => vec![json!(word)],
                })
                .collect();
            json!({ "enum": words })
        }
    }
}
