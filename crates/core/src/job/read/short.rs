//! The short form: a whole job without tables, read into the same types.

use super::JobReader;
use crate::finding::Finding;
use crate::job::{Job, Key, NamedTable, Table, TableKind, Value};
use crate::source::{Level, Place};
use crate::toml_tree::{Entry, NodeKind};

/// What a job file without tables calls its only output.
const OUTPUT: &str = "frames";
/// What it calls its shot when no scene gives a name.
const SHOT: &str = "main";

/// Whether a file is written in the short form: it has keys of its own.
pub(super) fn is_short(entries: &[Entry]) -> bool {
    let long = [
        "project",
        "shot",
        "shot-list",
        "pass",
        "output",
        "variant",
        "view",
        "preset",
    ];
    !entries
        .iter()
        .any(|entry| long.contains(&entry.key.as_str()))
        && entries
            .iter()
            .any(|entry| !is_common(entry) && entry.key != "base")
}

/// The tables that both forms have.
fn is_common(entry: &Entry) -> bool {
    match entry.key.as_str() {
        "place" | "token" | "check" | "part" => true,
        "size" => matches!(entry.value.kind, NodeKind::Table(_)),
        _ => false,
    }
}

impl JobReader<'_> {
    /// Reads a short job file into one shot and one output.
    pub(super) fn short(&mut self, entries: Vec<Entry>, job: &mut Job, start: &Place) {
        let (tables, keys): (Vec<Entry>, Vec<Entry>) = entries.into_iter().partition(is_common);
        self.long(&tables, job);
        job.project = self.table(&keys, TableKind::Project, Level::Project);
        for (key, what) in [(
            Key::Path,
            "where the files go: path = \"renders/{scene}.{frame:04}.png\"",
        )] {
            if job.project.get(key).is_none()
                && job.command_line.get(key).is_none()
                && self.findings.is_empty()
            {
                let name = key.facts().name;
                self.findings.push(
                    Finding::error("TP005", format!("the job does not say `{name}`"))
                        .at(start, "")
                        .advise(format!("say {what}")),
                );
            }
        }
        let scene = job.project.get(Key::Scene);
        let name = scene
            .and_then(|setting| match &setting.value.value {
                Value::Template(template, _) => stem(&template.to_string()),
                _ => None,
            })
            .unwrap_or_else(|| SHOT.to_owned());
        let scene_place = scene.map_or(start, |setting| &setting.value.place).clone();
        let path_place = job
            .project
            .get(Key::Path)
            .map_or(start, |setting| &setting.value.place)
            .clone();
        self.component(&name, &scene_place, "shot");
        job.shots
            .push(bare(name, scene_place, TableKind::Shot, Level::Shot));
        job.outputs.push(bare(
            OUTPUT.to_owned(),
            path_place,
            TableKind::Output,
            Level::Output,
        ));
    }
}

fn bare(name: String, name_place: Place, kind: TableKind, level: Level) -> NamedTable {
    NamedTable {
        name,
        name_place,
        kind,
        table: Table::empty(level),
        inherits: None,
        inner: Vec::new(),
    }
}

/// The name of a file without folder and extension. A backslash parts folders in a Windows path only: elsewhere it is a
/// character of the name.
pub(crate) fn stem(path: &str) -> Option<String> {
    let is_windows = path.starts_with(r"\\") || path.get(1..2) == Some(":");
    let is_separator = |character| character == '/' || (is_windows && character == '\\');
    let name = path.rsplit(is_separator).next().unwrap_or(path);
    let stem = match name.rfind('.') {
        Some(dot) if dot > 0 => &name[..dot],
        _ => name,
    };
    (!stem.is_empty()).then(|| stem.to_owned())
}

#[cfg(test)]
mod tests {
    use super::stem;

    #[test]
    fn a_backslash_parts_folders_in_windows_paths_only() {
        for (path, name) in [
            ("scenes/kiln.v2.scene", "kiln.v2"),
            (r"R:\scenes\kiln.scene", "kiln"),
            (r"\\store\scenes\kiln.scene", "kiln"),
            (r"scenes/a\b.scene", r"a\b"),
            ("scenes/.hidden", ".hidden"),
        ] {
            assert_eq!(stem(path).as_deref(), Some(name), "{path}");
        }
    }
}
