//! Sounds, each with the instant at which it begins.

use serde_json::json;

use super::numbers::{OFFSET, milliseconds};
use super::texts::{TEMPLATE, template};
use super::{Given, KeyKind, PLAIN};
use crate::finding::Finding;
use crate::job::value::{PathTemplate, SoundEntry, Value};
use crate::toml_tree::NodeKind;

/// Sounds that are heard together.
pub(crate) const SOUNDS: KeyKind = KeyKind {
    shape: "a list such as [{ file = \"music.flac\", offset = \"2s\" }]",
    schema: |_| {
        json!({ "type": "array", "items": {
            "type": "object",
            "required": ["file"],
            "additionalProperties": false,
            "properties": {
                "file": (TEMPLATE.schema)(&TEMPLATE),
                "offset": (OFFSET.schema)(&OFFSET),
            },
        } })
    },
    read: sounds,
    ..PLAIN
};

fn sounds(given: Given<'_>) -> Result<Value, Vec<Finding>> {
    let NodeKind::List(items) = &given.node.kind else {
        return Err(given.wrong_kind());
    };
    let sounds: Result<Vec<SoundEntry>, Vec<Finding>> =
        items.iter().map(|item| sound(given.with(item))).collect();
    sounds.map(Value::Sounds)
}

fn sound(given: Given<'_>) -> Result<SoundEntry, Vec<Finding>> {
    let NodeKind::Table(entries) = &given.node.kind else {
        return Err(given.wrong_kind());
    };
    let (mut file, mut offset) = (None, 0);
    for entry in entries {
        let own = given.with(&entry.value);
        match entry.key.as_str() {
            "file" => {
                let (template, length) = template(&own.text()?, &entry.value.place)?;
                file = Some(PathTemplate {
                    template,
                    length,
                    place: entry.value.place.clone(),
                });
            }
            "offset" => {
                let text = own.scalar()?;
                let read = milliseconds(&text);
                offset = read
                    .ok_or_else(|| own.refuse(&text, "it takes a time such as `0.5s` or `-2s`"))?;
            }
            other => return Err(own.refuse(other, "a sound has `file` and `offset`")),
        }
    }
    let missing = || given.refuse("{}", "a sound needs a `file`");
    Ok(SoundEntry {
        file: file.ok_or_else(missing)?,
        offset,
    })
}
