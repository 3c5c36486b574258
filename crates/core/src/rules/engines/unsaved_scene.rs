//! A scene that somebody is working on.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP518 `unsaved-scene`.
pub(super) const RULE: Rule = Rule {
    code: "TP518",
    name: "unsaved-scene",
    severity: Severity::Warning,
    what: "Beside the scene lies a newer copy of an editor, or a lock.",
    why: "What is rendered is not what is on somebody's screen.",
    breaks: r#"scene = "answered-open.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Save the scene and close it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let found = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        let beside = &subject.answers.scenes.get(&scene.path)?.beside;
        Some((scene.place.clone(), beside.first()?.clone()))
    };
    subject
        .once(found)
        .into_iter()
        .map(|(_, (place, beside), files)| {
            rule.finding("somebody may be working on this scene")
                .at(&place, format!("`{beside}` lies beside it"))
                .so(format!(
                    "{} would show the scene as it was saved last",
                    count(files, "picture", "pictures")
                ))
                .advise("save the scene and close it")
        })
        .collect()
}
