//! Output inside a folder that the scene needs.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::helpers::is_below;
use crate::rules::{Rule, Subject};

/// TP612 `among-scene-files`.
pub(super) const RULE: Rule = Rule {
    code: "TP612",
    name: "among-scene-files",
    severity: Severity::Error,
    what: "Files are written into a folder of `scene-files`.",
    why: "Each new file would make all others stale, and bundles would take the pictures along.",
    breaks: r#"scene = "kiln.toml"
scene-files = ["textures"]
frames = "1-48"
path = "textures/baked/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
scene-files = ["textures"]
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Write them elsewhere, or name only what the scene needs.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    // What one part of the job writes may lie among the files of another.
    let all = &subject.expansion.deliverables;
    let mut needed: Vec<_> = all
        .iter()
        .flat_map(|one| one.common.scene_files.iter())
        .collect();
    needed.sort_by(|one, other| one.path.cmp(&other.path));
    needed.dedup_by(|one, other| one.path == other.path);
    let among = |one: &Deliverable| {
        let path = one.path(one.common.frames.files.value.first()?);
        let inside = needed.iter().find(|file| is_below(&path, &file.path))?;
        Some((
            one.template.place.clone(),
            inside.place.clone(),
            inside.path.clone(),
        ))
    };
    subject
        .once(among)
        .into_iter()
        .map(|(_, (place, named, folder), files)| {
            rule.finding("these files go into a folder that a scene needs")
                .at(&place, folder)
                .at(&named, "the scene needs it")
                .so(format!(
                    "{} would count as files of the scene",
                    count(files, "file", "files")
                ))
                .advise("write them elsewhere, or name only what the scene needs")
        })
        .collect()
}
