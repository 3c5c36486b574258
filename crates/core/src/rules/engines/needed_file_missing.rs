//! A file that the scene needs and that is not there.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP515 `needed-file-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP515",
    name: "needed-file-missing",
    severity: Severity::Error,
    what: "The scene names a file that is not there.",
    why: "Parts of the picture would be missing, or nothing be rendered.",
    breaks: r#"scene = "answered-lacking.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Put it there, or fix the scene.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let missing = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        let missing = &subject.answers.scenes.get(&scene.path)?.missing;
        (!missing.is_empty()).then(|| (scene.place.clone(), missing.clone()))
    };
    subject
        .once(missing)
        .into_iter()
        .filter_map(|(_, (place, missing), files)| {
            let number = missing.len() as u64;
            Some(
                rule.finding(format!(
                    "{} missing that this scene needs",
                    count(number, "file is", "files are")
                ))
                .at(&place, format!("such as {}", missing.first()?))
                .so(format!(
                    "parts of {} would be missing",
                    count(files, "picture", "pictures")
                ))
                .advise("put it there, or fix the scene"),
            )
        })
        .collect()
}
