//! A pass that the scene does not have.

use crate::finding::{Finding, Severity};
use crate::rules::engines::unknown::Unknown;
use crate::rules::{Rule, Subject};

/// TP513 `unknown-pass`.
pub(super) const RULE: Rule = Rule {
    code: "TP513",
    name: "unknown-pass",
    severity: Severity::Error,
    what: "A pass is asked for that the scene does not have.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}_{pass}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "shadw"]
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}_{pass}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "shadow"]
"#,
    fix: "Fix the name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let unknown = Unknown {
        kind: "pass",
        lost: "would not be rendered",
        place_is_name: true,
    };
    unknown.findings(rule, subject, |one, facts| {
        let known = facts.passes.as_ref()?;
        let words = one.planes.iter().filter_map(|plane| plane.pass.as_ref());
        let word = words.into_iter().find(|word| !known.contains(&word.text))?;
        Some((word.clone(), known))
    })
}
