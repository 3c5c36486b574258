//! The short form: a whole job without tables, read into the same types.

use super::tree::Entry;
use super::{Key, NamedTable, Table};
use crate::source::{Layer, Place};

/// What a job file without tables calls its only output.
const OUTPUT: &str = "frames";
/// What it calls its shot when no scene gives a name.
const SHOT: &str = "main";

/// The tables of the long form.
const LONG: [&str; 4] = ["project", "shot", "pass", "output"];

/// Whether a file is written in the short form.
pub(super) fn is_short(entries: &[Entry]) -> bool {
    !entries
        .iter()
        .any(|entry| LONG.contains(&entry.key.as_str()))
        && entries
            .iter()
            .any(|entry| entry.key != "place" && entry.key != "token")
}

/// The one shot and the one output.
pub(super) fn tables(project: &Table, start: &Place) -> (NamedTable, NamedTable) {
    let scene = project.get(Key::Scene);
    let name = scene
        .and_then(|setting| match &setting.value.value {
            super::Value::Template(template, _) => stem(&template.to_string()),
            _ => None,
        })
        .unwrap_or_else(|| SHOT.to_owned());
    let named = |name: String, layer, place: &Place| NamedTable {
        name,
        name_place: place.clone(),
        table: Table::empty(layer),
        passes: Vec::new(),
    };
    let scene_place = scene.map_or(start, |setting| &setting.value.place);
    let path_place = project
        .get(Key::Path)
        .map_or(start, |setting| &setting.value.place);
    (
        named(name, Layer::Shot, scene_place),
        named(OUTPUT.to_owned(), Layer::Output, path_place),
    )
}

/// The name of a file without folder and extension.
pub(crate) fn stem(path: &str) -> Option<String> {
    let name = path.rsplit(['/', '\\']).next().unwrap_or(path);
    let stem = match name.rfind('.') {
        Some(dot) if dot > 0 => &name[..dot],
        _ => name,
    };
    (!stem.is_empty()).then(|| stem.to_owned())
}
