//! A scene of which something should be told, and is not.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::rules::{Rule, Subject};

/// TP522 `scene-tells-nothing`.
pub(super) const RULE: Rule = Rule {
    code: "TP522",
    name: "scene-tells-nothing",
    weight: Weight::Warning,
    what: "The engine was asked what a scene has, or a facts file lies beside it, and the answer cannot be had.",
    why: "A camera or pass that the scene does not have is then not found before the engine is at work.",
    breaks: r#"scene = "mute.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "told.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Fix the facts file, or what keeps the engine from answering.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let answers = subject.answers;
    let trouble = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        // What is not there is told by rules of its own.
        let is_missing = answers.files.get(&scene.path) == Some(&false)
            || answers.programs.get(&one.common.engine.program) == Some(&None);
        let trouble = answers.scenes.get(&scene.path)?.trouble.clone();
        trouble.filter(|_| !is_missing)
    };
    subject
        .once(trouble)
        .into_iter()
        .filter_map(|(one, files)| Some((one.common.scene.as_ref()?, trouble(one)?, files)))
        .map(|(scene, trouble, files)| {
            rule.finding("nobody can tell what this scene has")
                .at(&scene.place, format!("comes to {}", scene.path))
                .so(format!(
                    "the names of {} were not held against it: {trouble}",
                    count(files, "file", "files")
                ))
                .advise("fix that, or write a facts file beside the scene")
        })
        .collect()
}
