//! The reference is made from the code; this test makes it again and compares.
#![allow(clippy::unwrap_used)]

mod common;

use std::fmt::Write;
use std::fs;
use std::path::Path;

use common::Project;
use serde_json::Value;
use truepath_core::finding::Severity;
use truepath_core::job::KEYS;
use truepath_core::movie::{AUDIO_CODECS, CODECS, CONTAINERS};
use truepath_core::picture::{FORMATS, NAMED_SIZES, TRANSFERS};
use truepath_core::profile::PROFILE_KEYS;
use truepath_core::rules::rules;
use truepath_core::script::KINDS;
use truepath_core::token::Token;

fn joined<T: std::fmt::Display>(items: &[T]) -> String {
    if items.is_empty() {
        return "no choice".to_owned();
    }
    items
        .iter()
        .map(|item| format!("`{item}`"))
        .collect::<Vec<_>>()
        .join(" ")
}

/// What a key takes, without the example of its kind: each key has its own below.
fn shape_alone(shape: &str) -> &str {
    shape.split(" such as ").next().unwrap_or(shape)
}

fn reference() -> String {
    let mut out = String::from(
        "# Reference\n\nMade from the code by `UPDATE_REFERENCE=1 cargo test -p truepath --test reference`.\n\n\
         [Keys](#keys) · [Tokens](#tokens) · [Formats](#formats) · [Sizes](#sizes) · [Looks](#looks) · [Movies](#movies) · [Profiles](#profiles) · [JSON](#json) · [Rules](#rules) · [Commands](#commands)\n\n\
         ## Keys\n\nKeys of the job file, and the tables that they may stand in. `--set` takes them all. In a short job\nfile they stand at the top, where `[project]` is named here.\n\n",
    );
    for facts in &KEYS {
        let tables: Vec<&str> = facts.tables.iter().map(|table| table.title()).collect();
        writeln!(
            out,
            "### `{}`\n\n{} It takes {}.\n\nIn {}.\n\n```toml\n{}\n```\n",
            facts.name,
            facts.meaning,
            shape_alone(&facts.kind.looks_like()),
            tables.join(", "),
            facts.example
        )
        .unwrap();
    }
    out.push_str("## Tokens\n\n| token | stands for |\n|---|---|\n");
    for (name, meaning) in Token::of_templates() {
        writeln!(out, "| `{{{name}}}` | {meaning} |").unwrap();
    }
    out.push_str("\nAnd every name under `[token]`.\n\n## Formats\n\n| format | extensions | channels | bits | compression | loses something | quality | several in a file | source |\n|---|---|---|---|---|---|---|---|---|\n");
    for facts in &FORMATS {
        writeln!(
            out,
            "| `{}` | {} | {} | {} | {} | {} | {} | {} | {} |",
            facts.name,
            joined(facts.extensions),
            joined(facts.channels),
            joined(facts.bits),
            joined(facts.compressions),
            match facts.lossy {
                [] => "no".to_owned(),
                [""] => "yes".to_owned(),
                some => joined(some),
            },
            if facts.quality { "1 to 100" } else { "no" },
            if facts.holds.is_empty() {
                "no"
            } else {
                "passes, views"
            },
            facts.source
        )
        .unwrap();
    }
    out.push_str("\n## Sizes\n\n| name | pixels |\n|---|---|\n");
    for (name, size) in NAMED_SIZES {
        writeln!(out, "| `{name}` | {size} |").unwrap();
    }
    looks_and_movies(&mut out);
    profiles_and_json(&mut out);
    out.push_str("\n## Rules\n\nWhat `check` looks for. Codes below `TP100` are for a job file or profile that cannot be read.\n\n");
    for rule in rules() {
        let severity = match rule.severity {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        };
        writeln!(
            out,
            "### {} {}\n\n*{severity}* · {} {}\n\n```toml\n{}```\n\n{}\n\n```toml\n{}```\n",
            rule.code, rule.name, rule.what, rule.why, rule.breaks, rule.fix, rule.keeps
        )
        .unwrap();
    }
    out.push_str("## Commands\n\n");
    let project = Project::empty();
    for command in common::COMMANDS {
        let help = project.call(&[command, "--help"]).ends(0).out;
        writeln!(
            out,
            "### `truepath {command}`\n\n```text\n{}\n```\n",
            help.trim_end()
        )
        .unwrap();
    }
    out
}

fn looks_and_movies(out: &mut String) {
    out.push_str("\n## Looks\n\nTransfers: how linear pixels become ready for display.\n\n| transfer | source |\n|---|---|\n");
    for facts in &TRANSFERS {
        writeln!(out, "| `{}` | {} |", facts.name, facts.source).unwrap();
    }
    out.push_str("\n## Movies\n\n| container | codecs | sound | source |\n|---|---|---|---|\n");
    for facts in &CONTAINERS {
        writeln!(
            out,
            "| `{}` | {} | {} | {} |",
            facts.name(),
            joined(facts.codecs),
            joined(facts.audio_codecs),
            facts.format.source
        )
        .unwrap();
    }
    out.push_str(
        "\n| codec | pixels | qualities | longest side | source |\n|---|---|---|---|---|\n",
    );
    for facts in &CODECS {
        let side = match facts.longest_side {
            u32::MAX => "no limit".to_owned(),
            side => side.to_string(),
        };
        writeln!(
            out,
            "| `{}` | {} | {} | {side} | {} |",
            facts.name,
            joined(facts.pixel_formats),
            joined(facts.qualities),
            facts.source
        )
        .unwrap();
    }
    out.push_str("\n| sound | loses something | source |\n|---|---|---|\n");
    for facts in &AUDIO_CODECS {
        let loses = if facts.lossless { "no" } else { "yes" };
        writeln!(out, "| `{}` | {loses} | {} |", facts.name, facts.source).unwrap();
    }
}

fn profiles_and_json(out: &mut String) {
    out.push_str("\n## Profiles\n\nWhat an engine profile can say. `truepath schema profile` prints the schema.\n\n");
    for key in &PROFILE_KEYS {
        writeln!(
            out,
            "### `{}`\n\n{}\n\n```toml\n{}\n```\n",
            key.name, key.meaning, key.example
        )
        .unwrap();
    }
    out.push_str(
        "### Tokens of profiles\n\nBesides those of paths.\n\n| token | stands for |\n|---|---|\n",
    );
    for (name, meaning) in Token::of_profiles() {
        writeln!(out, "| `{{{name}}}` | {meaning} |").unwrap();
    }
    out.push_str("\n### Scripts\n\nWhat `commands --as` writes.\n\n| kind | |\n|---|---|\n");
    for kind in KINDS {
        writeln!(out, "| `{}` | {} |", kind.word(), kind.meaning()).unwrap();
    }
    out.push_str("\n## JSON\n\nWhat commands print with `--format json`. `version` rises when something is taken out or changes its\nmeaning; new keys may come without that. `truepath schema NAME` prints each as a JSON Schema.\n");
    let project = Project::empty();
    for name in [
        "overview", "paths", "tokens", "match", "check", "status", "audit", "scan", "engines",
    ] {
        let schema = project.call(&["schema", name]).ends(0).json();
        writeln!(out, "\n### {name}\n\n| key | holds |\n|---|---|").unwrap();
        shape(out, &schema, &schema, "");
    }
}

/// The keys of a schema's object, a row each, with those of the objects in it.
fn shape(out: &mut String, whole: &Value, schema: &Value, above: &str) {
    let resolved = |schema: &Value| -> Value {
        let reference = schema["$ref"]
            .as_str()
            .or(schema["anyOf"][0]["$ref"].as_str());
        match reference.and_then(|path| path.strip_prefix('#')) {
            Some(path) => whole.pointer(path).unwrap().clone(),
            None => schema.clone(),
        }
    };
    for (name, value) in schema["properties"].as_object().unwrap() {
        let inner = resolved(value);
        let is_list = inner["type"] == "array";
        let item = if is_list {
            resolved(&inner["items"])
        } else {
            inner
        };
        let path = format!("{above}{name}{}", if is_list { "[]" } else { "" });
        let kind = match &value["type"] {
            Value::Array(kinds) => {
                let kinds: Vec<&str> = kinds.iter().filter_map(Value::as_str).collect();
                kinds.join(" or ")
            }
            Value::String(kind) => kind.clone(),
            _ => "object".to_owned(),
        };
        let meaning = value["description"].as_str().unwrap_or_default().to_owned();
        writeln!(
            out,
            "| `{path}` | {} |",
            format!("{kind}. {meaning}").trim_end()
        )
        .unwrap();
        if item["properties"].is_object() {
            shape(out, whole, &item, &format!("{path}."));
        }
    }
}

#[test]
fn the_reference_is_what_the_code_says() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reference.md");
    let wanted = reference();
    if std::env::var_os("UPDATE_REFERENCE").is_some() {
        fs::write(&path, &wanted).unwrap();
    }
    let found = fs::read_to_string(&path).unwrap_or_default();
    assert!(
        found == wanted,
        "docs/reference.md is behind the code: UPDATE_REFERENCE=1 cargo test -p truepath --test reference"
    );
}
