//! The steps as JSON, for other programs.

use std::fmt::{self, Write};

use serde_json::{Map, Value, json};

use super::{ScriptKind, ScriptOptions, ScriptOutline, Step, WriteError, WrittenName};
use crate::system::System;

/// `json`
pub(super) struct Json;

impl ScriptKind for Json {
    fn word(&self) -> &'static str {
        "json"
    }

    fn meaning(&self) -> &'static str {
        "JSON, for other programs"
    }

    fn system(&self) -> Option<System> {
        None
    }

    fn head(
        &self,
        about: &ScriptOptions<'_>,
        _: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        let job = Value::from(about.job);
        write!(
            out,
            "{{\n  \"version\": 1,\n  \"job\": {job},\n  \"steps\": ["
        )
    }

    fn step(
        &self,
        _: &ScriptOptions<'_>,
        _: &ScriptOutline,
        number: usize,
        one: &Step,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        let comma = if number == 1 { "" } else { "," };
        Ok(write!(out, "{comma}\n    {}", shape(one))?)
    }

    fn foot(&self, _: &ScriptOptions<'_>, _: &ScriptOutline, out: &mut dyn Write) -> fmt::Result {
        writeln!(out, "\n  ]\n}}")
    }
}

fn shape(one: &Step) -> Value {
    let pairs = |pairs: &[(String, String)]| -> Map<String, Value> {
        pairs
            .iter()
            .map(|(key, value)| (key.clone(), Value::from(value.as_str())))
            .collect()
    };
    let files: Vec<Value> = one
        .placed
        .iter()
        .map(|placed| {
            let written = match &placed.written {
                WrittenName::One(name) => json!({ "name": name }),
                WrittenName::Digits(before, after) => json!({ "before": before, "after": after }),
                WrittenName::Any => Value::Null,
            };
            json!({ "written": written, "path": placed.pattern.sketch(), "frames": one.frames.to_string() })
        })
        .collect();
    json!({
        "name": one.name,
        "title": one.title,
        "engine": one.engine,
        "frames": one.frames.to_string(),
        "movie": one.sources.is_some(),
        "staging": one.staging,
        "folder": one.spec.folder,
        "set-up": one.set_up,
        "links": pairs(&one.spec.links),
        "given": pairs(&one.spec.files),
        "env": pairs(&one.spec.env),
        "prepare": one.preparing.as_ref().map(|step| json!({
            "result": step.result,
            "program": step.program,
            "arguments": step.arguments,
        })),
        "program": one.spec.program,
        "arguments": one.spec.arguments,
        "files": files,
    })
}
