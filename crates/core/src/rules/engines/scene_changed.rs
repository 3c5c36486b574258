//! A scene that was saved after the last run.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP517 `scene-changed`.
pub(super) const RULE: Rule = Rule {
    code: "TP517",
    name: "scene-changed",
    severity: Severity::Note,
    what: "The scene is newer than the frames of the last run.",
    why: "Frames that are there show the scene as it was.",
    breaks: r#"scene = "answered-newer.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Raise the version, or render the frames again.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let newer = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        let answer = subject.answers.scenes.get(&scene.path)?;
        answer.newer_than_run.then(|| scene.place.clone())
    };
    subject
        .once(newer)
        .into_iter()
        .map(|(_, place, _)| {
            rule.finding("this scene was saved after the last run")
                .at(&place, "")
                .so("frames that are there show it as it was")
                .advise("raise `version`, so that no sequence mixes two states of it")
        })
        .collect()
}
