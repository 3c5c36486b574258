//! The schema of the job file.

use serde_json::{Map, Value, json};

use super::{DIALECT, put};
use crate::job::{KEYS, KeyFacts, TableKind};
use crate::rules::rules;
use crate::system::System;

/// The schema of the job file, in its short and in its long form.
#[must_use]
pub fn job_schema() -> Value {
    let named = |name: &str, what: &str| {
        json!({
            "type": "object",
            "description": what,
            "additionalProperties": { "$ref": format!("#/$defs/{name}") },
        })
    };
    // The short form: keys of the project at the top.
    let mut top = keys(TableKind::Project);
    let size = top.remove("size").unwrap_or_default();
    let tables = json!({
        "base": {
            "type": "array",
            "items": { "type": "string" },
            "description": "Files that this one builds on; the last wins over those before it, and this one over all.",
        },
        "project": { "$ref": "#/$defs/project" },
        "place": {
            "type": "object",
            "description": "The only folders that paths may start from.",
            "additionalProperties": { "anyOf": [
                { "type": "string", "minLength": 1 },
                folders_by_system(),
            ] },
        },
        "token": {
            "type": "object",
            "description": "Tokens of the project's own.",
            "additionalProperties": { "type": ["string", "number", "boolean"] },
        },
        "size": { "anyOf": [
            size,
            {
                "type": "object",
                "description": "Sizes of the project's own, by name.",
                "additionalProperties": { "type": "string", "pattern": "^[0-9]+x[0-9]+$" },
            },
        ] },
        "check": checks(),
        "part": {
            "type": "object",
            "description": "What a bundle makes of the job: frames by the label of their deliverable. `truepath pack` writes it.",
            "additionalProperties": { "type": "string" },
        },
        "shot": named("shot", "The shots: each a scene with its frames and cameras."),
        "shot-list": {
            "type": "object",
            "description": "Shots from a table: columns are keys.",
            "properties": { "from": { "type": "string" } },
            "required": ["from"],
            "additionalProperties": false,
        },
        "variant": named("variant", "Named sets of overrides."),
        "view": named("view", "The eyes of a picture."),
        "pass": named("pass", "What holds for a pass in all outputs."),
        "preset": named("preset", "How well to render."),
        "output": named("output", "What is to be written."),
    });
    if let Value::Object(tables) = tables {
        top.extend(tables);
    }
    json!({
        "$schema": DIALECT,
        "title": "A job of True Path",
        "type": "object",
        "properties": top,
        "additionalProperties": false,
        "$defs": {
            "project": table(TableKind::Project, &[]),
            "shot": table(
                TableKind::Shot,
                &[
                    ("pass", named("shot-pass", "What holds for a pass of this shot.")),
                    ("variant", named("shot-variant", "What holds for a variant of this shot.")),
                    ("view", named("shot-view", "What holds for a view of this shot.")),
                ],
            ),
            "variant": table(
                TableKind::Variant,
                &[("inherits", json!({
                    "type": "string",
                    "description": "The variant that it inherits from.",
                }))],
            ),
            "view": table(TableKind::View, &[]),
            "pass": table(TableKind::Pass, &[]),
            "preset": table(TableKind::Preset, &[]),
            "output": table(
                TableKind::Output,
                &[("pass", named("output-pass", "What holds for a pass of this output."))],
            ),
            "output-pass": table(TableKind::OutputPass, &[]),
            "shot-pass": table(TableKind::ShotPass, &[]),
            "shot-variant": table(TableKind::ShotVariant, &[]),
            "shot-view": table(TableKind::ShotView, &[]),
        },
    })
}

/// `[check]`: a severity for each code, and exemptions.
fn checks() -> Value {
    let mut properties: Map<String, Value> = rules()
        .map(|rule| {
            let severity = json!({
                "enum": ["off", "note", "warning", "error"],
                "description": format!("{}: {}", rule.name, rule.what),
            });
            (rule.code.to_owned(), severity)
        })
        .collect();
    let text = json!({ "type": "string", "minLength": 1 });
    properties.insert(
        "exempt".to_owned(),
        json!({
            "type": "array",
            "items": {
                "type": "object",
                "properties": { "rule": text, "at": text, "reason": text },
                "required": ["rule", "at", "reason"],
                "additionalProperties": false,
            },
        }),
    );
    json!({
        "type": "object",
        "description": "How grave findings are in this job, and places that are exempted.",
        "properties": properties,
        "additionalProperties": false,
    })
}

fn folders_by_system() -> Value {
    let folder = json!({ "type": "string", "minLength": 1 });
    let systems: Map<String, Value> = System::ALL
        .into_iter()
        .map(|system| (system.word().to_owned(), folder.clone()))
        .collect();
    json!({ "type": "object", "properties": systems, "additionalProperties": false })
}

fn table(kind: TableKind, more: &[(&str, Value)]) -> Value {
    let mut properties = keys(kind);
    for (name, value) in more {
        properties.insert((*name).to_owned(), value.clone());
    }
    json!({ "type": "object", "properties": properties, "additionalProperties": false })
}

/// The keys of a table; those with a dot in a table of their own.
fn keys(kind: TableKind) -> Map<String, Value> {
    let mut properties = Map::new();
    for facts in KEYS.iter().filter(|facts| facts.stands_in(kind)) {
        put(&mut properties, facts.name, key(facts));
    }
    properties
}

fn key(facts: &KeyFacts) -> Value {
    let mut schema = (facts.kind.schema)(facts.kind);
    schema["description"] = json!(facts.meaning);
    schema
}
