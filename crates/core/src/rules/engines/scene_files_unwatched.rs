//! Files that a scene seems to name, and of which nobody says that it needs them.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP530 `scene-files-unwatched`.
pub(super) const RULE: Rule = Rule {
    code: "TP530",
    name: "scene-files-unwatched",
    severity: Severity::Note,
    what: "A scene seems to name files that lie beside it, and neither its engine nor the job names them.",
    why: "When such a file changes, no frame counts as stale; a bundle does not have it.",
    breaks: r#"scene = "naming.txt"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    keeps: r#"scene = "naming.txt"
scene-files = ["brass.inc"]
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Name the files in `scene-files`.",
    check,
};

/// So many files are named at most.
const MOST: usize = 5;

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let unwatched = |one: &Deliverable| {
        let scene = one.common.scene.as_ref().filter(|_| one.is_rendered())?;
        let named = &subject.answers.scenes.get(&scene.path)?.unwatched;
        let files = named.iter().filter(|file| !is_named(one, &file.path));
        let names: Vec<String> = files.map(|file| file.name.clone()).collect();
        (!names.is_empty()).then(|| (scene.place.clone(), names))
    };
    subject
        .once(unwatched)
        .into_iter()
        .map(|(_, (place, names), _)| {
            let quoted: Vec<String> = names.iter().map(|name| format!("\"{name}\"")).collect();
            let listed = quoted[..quoted.len().min(MOST)].join(", ");
            let more = if quoted.len() > MOST { ", …" } else { "" };
            let number = names.len() as u64;
            rule.finding(format!(
                "this scene seems to name {} beside it that True Path does not watch",
                count(number, "file", "files")
            ))
            .at(
                &place,
                format!("such as {}", names.first().map_or("", String::as_str)),
            )
            .so("when one of them changes, no frame becomes stale, and `pack` leaves it out")
            .advise(format!("scene-files = [{listed}{more}]"))
        })
        .collect()
}

/// Whether the job names a file: alone, by a folder that it lies in, or in the line that renders.
fn is_named(one: &Deliverable, path: &str) -> bool {
    let mut named = one.common.scene_files.iter();
    let last = path.rsplit('/').next().unwrap_or(path);
    let mut arguments = one.common.engine.arguments.iter().flat_map(|one| &one.put);
    named.any(|file| {
        let below = path.strip_prefix(&file.path);
        below.is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    }) || arguments.any(|argument| argument.to_string().contains(last))
}
