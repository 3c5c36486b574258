//! A camera that the scene does not have.

use crate::finding::{Finding, Severity};
use crate::rules::engines::unknown::Unknown;
use crate::rules::{Rule, Subject};

/// TP512 `unknown-camera`.
pub(super) const RULE: Rule = Rule {
    code: "TP512",
    name: "unknown-camera",
    severity: Severity::Error,
    what: "A camera is asked for that the scene does not have.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}_{camera}.{frame:04}.png"
engine = "understudy"
camera = "dom"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}_{camera}.{frame:04}.png"
engine = "understudy"
camera = "dome"
"#,
    fix: "Fix the name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let unknown = Unknown {
        kind: "camera",
        lost: "would not be rendered, or be the wrong view",
        place_is_name: true,
    };
    unknown.findings(rule, subject, |one, facts| {
        let known = facts.cameras.as_ref()?;
        let word = one.common.names.camera.clone()?;
        (!known.contains(&word.text)).then_some((word, known))
    })
}
