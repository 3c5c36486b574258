//! A scene about which nothing is known although it could be.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP522 `no-scene-facts`.
pub(super) const RULE: Rule = Rule {
    code: "TP522",
    name: "no-scene-facts",
    severity: Severity::Warning,
    what: "The engine was asked what a scene has, or a facts file lies beside it, and the answer cannot be had.",
    why: "A camera or pass that the scene does not have is then not found before the engine is at work.",
    breaks: r#"scene = "mute.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Fix the facts file, or what keeps the engine from answering.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let answers = subject.answers;
    let unanswered = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        // What is not there is reported by rules of its own.
        let is_missing = answers.files.get(&scene.path) == Some(&false)
            || answers.programs.get(&one.common.engine.program) == Some(&None);
        let reason = answers.scenes.get(&scene.path)?.no_answer.clone();
        reason.filter(|_| !is_missing)
    };
    subject
        .once(unanswered)
        .into_iter()
        .filter_map(|(one, reason, files)| Some((one.common.scene.as_ref()?, reason, files)))
        .map(|(scene, reason, files)| {
            rule.finding("nothing is known about what this scene has")
                .at(&scene.place, format!("expands to {}", scene.path))
                .so(format!(
                    "the names of {} are not compared with it: {reason}",
                    count(files, "file", "files")
                ))
                .advise("fix that, or write a facts file beside the scene")
        })
        .collect()
}
