//! Lists and tables: settings, layers, command lines, exit codes.

use serde_json::json;

use super::texts::{COMPONENT, template};
use super::{Given, KeyKind, PLAIN};
use crate::finding::Finding;
use crate::job::value::{PlacedText, RunEntry, Value};
use crate::template::refuse_component;
use crate::toml_tree::{Node, NodeKind};

/// A table of single values.
pub const SETTINGS: KeyKind = KeyKind {
    shape: "a table such as { exposure = -2.0 }",
    is_merged: true,
    schema: |_| {
        json!({
            "type": "object",
            "additionalProperties": { "type": ["string", "number", "boolean"] },
        })
    },
    read: settings,
    ..PLAIN
};

/// Which passes share a file, by the file's name.
pub(crate) const LAYERS: KeyKind = KeyKind {
    shape: "a table such as { light = [\"beauty\", \"shadow\"] }",
    schema: |_| {
        json!({
            "type": "object",
            "additionalProperties": {
                "type": "array", "minItems": 1, "items": (COMPONENT.schema)(&COMPONENT),
            },
        })
    },
    read: layers,
    ..PLAIN
};

/// A command line: a list of texts with tokens.
pub const RUN: KeyKind = KeyKind {
    shape: "a list such as [\"myrender\", \"--frame\", \"{frame}\", \"{target}\"]",
    schema: |_| {
        let group = json!({ "type": "array", "minItems": 1, "items": { "type": "string" } });
        json!({ "type": "array", "minItems": 1, "items": { "anyOf": [
            { "type": "string" },
            group,
            {
                "type": "object",
                "required": ["put"],
                "additionalProperties": false,
                "properties": {
                    "put": { "anyOf": [{ "type": "string" }, group] },
                    "changes-picture": { "type": "boolean" },
                },
            },
        ] } })
    },
    read: run,
    ..PLAIN
};

/// Exit codes of a process.
pub(crate) const EXIT_CODES: KeyKind = KeyKind {
    shape: "a list of exit codes such as [3]",
    schema: |_| {
        json!({
            "type": "array", "items": { "type": "integer", "minimum": 0, "maximum": 255 },
        })
    },
    read: codes,
    ..PLAIN
};

/// `{ light = ["beauty", "shadow"] }`
fn layers(given: Given<'_>) -> Result<Value, Vec<Finding>> {
    let NodeKind::Table(entries) = &given.node.kind else {
        return Err(given.wrong_kind());
    };
    let mut files: Vec<(PlacedText, Vec<PlacedText>)> = Vec::new();
    for entry in entries {
        let inner = given.with(&entry.value);
        let name = PlacedText {
            text: entry.key.clone(),
            place: entry.key_place.clone(),
        };
        if let Some(reason) = refuse_component(&name.text) {
            return Err(inner.refuse(&name.text, format!("the name of a file {reason}")));
        }
        let passes = inner.components()?;
        if passes.is_empty() {
            return Err(inner.refuse("[]", "a file holds at least one pass"));
        }
        let taken = |word: &&PlacedText| {
            let mut known = files.iter().flat_map(|(_, passes)| passes);
            known.any(|other| other.text == word.text)
        };
        if let Some(twice) = passes.iter().find(taken) {
            return Err(vec![
                Finding::error("TP004", format!("the pass `{}` has two files", twice.text))
                    .at(&twice.place, "")
                    .advise("a pass goes into one file"),
            ]);
        }
        files.push((name, passes));
    }
    Ok(Value::Layers(files))
}

fn settings(given: Given<'_>) -> Result<Value, Vec<Finding>> {
    let NodeKind::Table(entries) = &given.node.kind else {
        return Err(given.wrong_kind());
    };
    let mut settings = Vec::new();
    for entry in entries {
        match entry.value.scalar() {
            Some(text) if !text.chars().any(char::is_control) => {
                let place = entry.value.place.clone();
                settings.push((entry.key.clone(), PlacedText { text, place }));
            }
            Some(text) => {
                return Err(given.refuse(
                    &text.escape_debug().to_string(),
                    "settings hold no control characters",
                ));
            }
            None => {
                return Err(vec![
                    Finding::error(
                        "TP003",
                        format!(
                            "the setting `{}` takes a single value, not {}",
                            entry.key,
                            entry.value.kind_word()
                        ),
                    )
                    .at(&entry.value.place, ""),
                ]);
            }
        }
    }
    Ok(Value::Settings(settings))
}

fn run(given: Given<'_>) -> Result<Value, Vec<Finding>> {
    let items = match &given.node.kind {
        NodeKind::List(items) if !items.is_empty() => items,
        NodeKind::Text(_) => {
            return Err(given
                .wrong_kind()
                .into_iter()
                .map(|finding| {
                    finding.advise(
                        "each argument is an entry of its own; no shell takes the line apart",
                    )
                })
                .collect());
        }
        _ => return Err(given.wrong_kind()),
    };
    let line: Result<Vec<RunEntry>, _> = items.iter().map(run_entry).collect();
    let line = line?;
    if line
        .first()
        .is_none_or(|program| program.arguments.len() != 1)
    {
        return Err(given.refuse(
            "[…]",
            "the first entry is the program alone; groups come after it",
        ));
    }
    Ok(Value::Run(line))
}

/// `[3, 4]`: a process may end with a code from 0 to 255.
fn codes(given: Given<'_>) -> Result<Value, Vec<Finding>> {
    let NodeKind::List(items) = &given.node.kind else {
        return Err(given.wrong_kind());
    };
    let mut codes = Vec::new();
    for item in items {
        match item.kind {
            NodeKind::Integer(code @ 0..=255) => codes.push(code),
            NodeKind::Integer(code) => {
                return Err(given.refuse(&code.to_string(), "exit codes are 0 to 255"));
            }
            _ => return Err(given.wrong_kind()),
        }
    }
    Ok(Value::Codes(codes))
}

/// One argument, a group `["--camera", "{camera}"]`, or `{ put = […], changes-picture = false }`.
fn run_entry(item: &Node) -> Result<RunEntry, Vec<Finding>> {
    let mut changes_picture = true;
    let put = match &item.kind {
        NodeKind::Table(entries) => {
            let mut put = None;
            for entry in entries {
                match (entry.key.as_str(), &entry.value.kind) {
                    ("put", _) => put = Some(&entry.value),
                    ("changes-picture", NodeKind::Boolean(truth)) => changes_picture = *truth,
                    _ => {
                        return Err(vec![
                            Finding::error(
                                "TP002",
                                format!("a group of `run` has no key `{}` of this kind", entry.key),
                            )
                            .at(&entry.key_place, "")
                            .advise("it takes `put`, a list of texts, and `changes-picture`, true or false"),
                        ]);
                    }
                }
            }
            put.ok_or_else(|| {
                vec![
                    Finding::error("TP005", "a group of `run` has no `put`")
                        .at(&item.place, "")
                        .advise(RUN_ENTRY),
                ]
            })?
        }
        _ => item,
    };
    let texts = match &put.kind {
        NodeKind::List(items) if !items.is_empty() => items.iter().collect(),
        _ => vec![put],
    };
    let mut arguments = Vec::new();
    for node in texts {
        let NodeKind::Text(text) = &node.kind else {
            let sentence = format!("an argument of `run` is a text, not {}", node.kind_word());
            return Err(vec![
                Finding::error("TP003", sentence)
                    .at(&node.place, "")
                    .advise(RUN_ENTRY),
            ]);
        };
        let (template, _) = template(text, &node.place)?;
        let word = PlacedText {
            text: text.clone(),
            place: node.place.clone(),
        };
        arguments.push((template, word));
    }
    Ok(RunEntry {
        arguments,
        changes_picture,
    })
}

/// What an entry of a `run` line looks like.
const RUN_ENTRY: &str = "an entry is a text in quotes, or a group such as [\"--camera\", \"{camera}\"], which is left out whole when a token in it has no value";
