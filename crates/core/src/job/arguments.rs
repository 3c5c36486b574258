//! `--set KEY=VALUE`: the command line's own level, or an edit of one table.

use crate::finding::Finding;
use crate::nearest::advice;
use crate::source::{Place, SourceId};
use crate::toml_tree::{Entry, Node, NodeKind, parse_value};

/// The tables whose entries are tables with names of their own.
const OF_NAMED_TABLES: [&str; 6] = ["shot", "pass", "output", "variant", "view", "preset"];
/// Tables that give shots which are not known yet when arguments are read.
const LISTS: [&str; 1] = ["shot-list"];
const EDITABLE: [&str; 10] = [
    "project", "place", "token", "size", "shot", "pass", "output", "variant", "view", "preset",
];

/// Puts the value of one argument into the tree of the job file, the first of `files`, or into the
/// command line's level.
pub(super) fn apply(
    argument: &str,
    source: SourceId,
    files: &mut [Vec<Entry>],
    command_line: &mut Vec<Entry>,
) -> Result<(), Box<Finding>> {
    let place = |span| Place { source, span };
    let Some(equals) = argument.find('=') else {
        return Err(Box::new(
            Finding::error("TP006", format!("`{argument}` sets nothing"))
                .at(&place(0..argument.len()), "")
                .advise("it takes KEY=VALUE, such as `--set camera=north`"),
        ));
    };
    let mut keys = Vec::new();
    let mut at = 0;
    for part in argument[..equals].split('.') {
        let start = at + (part.len() - part.trim_start().len());
        keys.push((
            part.trim().to_owned(),
            place(start..start + part.trim().len()),
        ));
        at += part.len() + 1;
    }
    if keys.iter().any(|(key, _)| key.is_empty()) {
        return Err(Box::new(
            Finding::error("TP006", "a key is missing")
                .at(&place(0..equals), "")
                .advise("it takes KEY=VALUE, such as `--set shot.dawn.camera=north`"),
        ));
    }
    let text = &argument[equals + 1..];
    let node = parse_value(text, equals + 1, source).unwrap_or_else(|| Node {
        place: place(equals + 1..argument.len()),
        kind: NodeKind::Text(text.to_owned()),
    });
    let root = if keys.len() > 1 && EDITABLE.contains(&keys[0].0.as_str()) {
        if OF_NAMED_TABLES.contains(&keys[0].0.as_str()) {
            known_table(&keys[0].0, &keys[1], files)?;
        }
        files.first_mut()
    } else {
        Some(command_line)
    };
    if let Some(root) = root {
        insert(root, &keys, node);
    }
    Ok(())
}

/// A slip in a name would silently make a new shot, so only tables that are there are edited.
fn known_table(
    kind: &str,
    name: &(String, Place),
    files: &[Vec<Entry>],
) -> Result<(), Box<Finding>> {
    // The shots of a list are not known yet; a slip among them is found when the job is read.
    if kind == "shot"
        && files
            .iter()
            .flatten()
            .any(|entry| LISTS.contains(&entry.key.as_str()))
    {
        return Ok(());
    }
    let mut names: Vec<&str> = files
        .iter()
        .flatten()
        .filter(|entry| entry.key == kind)
        .flat_map(|entry| match &entry.value.kind {
            NodeKind::Table(entries) => &entries[..],
            _ => &[],
        })
        .map(|entry| entry.key.as_str())
        .collect();
    if kind == "preset" {
        names.push("trial");
    }
    if names.contains(&name.0.as_str()) {
        return Ok(());
    }
    Err(Box::new(
        Finding::error("TP006", format!("the job has no {kind} `{}`", name.0))
            .at(&name.1, "")
            .advise(advice(&name.0, &names)),
    ))
}

fn insert(entries: &mut Vec<Entry>, keys: &[(String, Place)], node: Node) {
    let Some(((key, key_place), rest)) = keys.split_first() else {
        return;
    };
    let found = entries.iter().position(|entry| entry.key == *key);
    if rest.is_empty() {
        let entry = Entry {
            key: key.clone(),
            key_place: key_place.clone(),
            value: node,
        };
        match found {
            Some(index) => entries[index] = entry,
            None => entries.push(entry),
        }
        return;
    }
    let index = found.unwrap_or_else(|| {
        entries.push(Entry {
            key: key.clone(),
            key_place: key_place.clone(),
            value: Node {
                place: key_place.clone(),
                kind: NodeKind::Table(Vec::new()),
            },
        });
        entries.len() - 1
    });
    if let NodeKind::Table(inner) = &mut entries[index].value.kind {
        insert(inner, rest, node);
    } else {
        // A single value becomes a table: the reader says what is wrong with that.
        let mut inner = Vec::new();
        insert(&mut inner, rest, node);
        entries[index].value.kind = NodeKind::Table(inner);
    }
}
