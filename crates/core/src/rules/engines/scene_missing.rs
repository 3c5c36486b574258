//! A scene that is not there.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP504 `scene-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP504",
    name: "scene-missing",
    severity: Severity::Error,
    what: "The file that is to be rendered is not there.",
    why: "The engine would fail at once, or render something else.",
    breaks: r#"scene = "missing.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Fix the path of the scene.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let scene = one.common.scene.as_ref()?;
            (subject.answers.files.get(&scene.path) == Some(&false)).then(|| scene.path.clone())
        })
        .into_iter()
        .filter_map(|(one, _, files)| Some((one.common.scene.as_ref()?, files)))
        .map(|(scene, files)| {
            rule.finding("this scene is not there")
                .at(&scene.place, format!("expands to {}", scene.path))
                .so(format!(
                    "{} could not be rendered",
                    count(files, "file", "files")
                ))
                .advise("fix the path; it starts at a place or at the folder of the job file")
        })
        .collect()
}
