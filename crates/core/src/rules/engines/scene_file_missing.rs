//! A file or folder that the job says the scene needs, and that is not there.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP526 `scene-file-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP526",
    name: "scene-file-missing",
    severity: Severity::Error,
    what: "A file or folder of `scene-files` is not there.",
    why: "Parts of the picture would be missing, and bundles would go out without them.",
    breaks: r#"scene = "kiln.toml"
scene-files = ["missing"]
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
scene-files = ["textures"]
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Put it there, or fix the path in `scene-files`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let answers = subject.answers;
    let is_missing = |path: &str| {
        let is_no_folder = answers.folders.get(path).is_some_and(|facts| !facts.there);
        answers.files.get(path) == Some(&false) && is_no_folder
    };
    let missing = |one: &Deliverable| {
        let mut files = one.common.scene_files.iter();
        let file = files.find(|file| is_missing(&file.path))?;
        Some((file.place.clone(), file.path.clone()))
    };
    subject
        .once(missing)
        .into_iter()
        .map(|(_, (place, path), files)| {
            rule.finding("this file or folder is not there")
                .at(&place, format!("expands to {path}"))
                .so(format!(
                    "parts of {} would be missing",
                    count(files, "picture", "pictures")
                ))
                .advise("put it there, or fix the path; it starts at a place or at the folder of the job file")
        })
        .collect()
}
