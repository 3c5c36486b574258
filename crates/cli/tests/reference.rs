//! The reference is made from the code; this test makes it again and compares.
#![allow(clippy::unwrap_used)]

mod common;

use std::fmt::Write;
use std::fs;
use std::path::Path;

use common::Project;
use truepath_core::finding::Weight;
use truepath_core::job::KEYS;
use truepath_core::picture::{FORMATS, NAMED_SIZES};
use truepath_core::rules::rules;
use truepath_core::token::TOKENS;

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

fn reference() -> String {
    let mut out = String::from(
        "# Reference\n\nMade from the code by `UPDATE_REFERENCE=1 cargo test -p truepath --test reference`.\n\n\
         [Keys](#keys) · [Tokens](#tokens) · [Formats](#formats) · [Sizes](#sizes) · [Rules](#rules) · [Commands](#commands)\n\n\
         ## Keys\n\nKeys of the job file, and the tables that they may stand in. `--set` takes them all. In a short job\nfile they stand at the top, where `[project]` is named here.\n\n",
    );
    for facts in &KEYS {
        let tables: Vec<&str> = facts.tables.iter().map(|table| table.title()).collect();
        writeln!(
            out,
            "### `{}`\n\n{} It takes {}.\n\nIn {}.\n\n```toml\n{}\n```\n",
            facts.name,
            facts.meaning,
            facts.kind.looks_like(),
            tables.join(", "),
            facts.example
        )
        .unwrap();
    }
    out.push_str("## Tokens\n\n| token | stands for |\n|---|---|\n");
    for facts in &TOKENS {
        writeln!(out, "| `{{{}}}` | {} |", facts.name, facts.meaning).unwrap();
    }
    out.push_str("\nAnd every name under `[token]`.\n\n## Formats\n\n| format | extensions | channels | bits | compression | source |\n|---|---|---|---|---|---|\n");
    for facts in &FORMATS {
        writeln!(
            out,
            "| `{}` | {} | {} | {} | {} | {} |",
            facts.name,
            joined(facts.extensions),
            joined(facts.channels),
            joined(facts.bits),
            joined(facts.compressions),
            facts.source
        )
        .unwrap();
    }
    out.push_str("\n## Sizes\n\n| name | pixels |\n|---|---|\n");
    for (name, size) in NAMED_SIZES {
        writeln!(out, "| `{name}` | {size} |").unwrap();
    }
    out.push_str("\n## Rules\n\nWhat `check` looks for. Codes below `TP100` tell of a job file or profile that cannot be read.\n\n");
    for rule in rules() {
        let weight = match rule.weight {
            Weight::Error => "error",
            Weight::Warning => "warning",
            Weight::Note => "note",
        };
        writeln!(
            out,
            "### {} {}\n\n*{weight}* · {} {}\n\n```toml\n{}```\n\n{}\n\n```toml\n{}```\n",
            rule.code, rule.name, rule.what, rule.why, rule.breaks, rule.mend, rule.keeps
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

/// The examples of README and guide are jobs and profiles that are read without a complaint.
#[test]
fn every_example_of_the_docs_is_read() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut examples = 0;
    for name in ["README.md", "docs/guide.md"] {
        let text = fs::read_to_string(root.join(name)).unwrap();
        for block in text.split("```toml\n").skip(1) {
            let block = block.split("```").next().unwrap();
            examples += 1;
            if block.starts_with("engine ") {
                let mut sources = truepath_core::source::Sources::default();
                let kind = truepath_core::source::SourceKind::File;
                let profile = truepath_core::engine::read_profile(name, block, kind, &mut sources);
                assert!(profile.is_ok(), "{name}: {profile:?}\n{block}");
            } else {
                let project = Project::new(block);
                project.call(&["paths"]).ends(0);
            }
        }
    }
    assert_eq!(examples, 6);
}
