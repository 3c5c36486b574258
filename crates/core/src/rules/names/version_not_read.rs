//! A version that cannot be read from the name of the scene.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP114 `version-not-read`.
pub(super) const RULE: Rule = Rule {
    code: "TP114",
    name: "version-not-read",
    severity: Severity::Error,
    what: "The version is to be read from the name of the scene, and the name does not fit.",
    why: "A wrong version would take the place of another.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_v{version:03}.{frame:04}.png"
engine = "understudy"
version = "{shot}_v{version:03}.toml"
"#,
    keeps: r#"scene = "kiln_v003.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
version = "{name}_v{version:03}.toml"
"#,
    fix: "Rename the scene, fix the template, or say the version as a number.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::VersionNotRead { name, reason } => Some((problem, name, reason)),
            _ => None,
        })
        .map(|(problem, name, reason)| {
            rule.finding(format!("`{name}` does not hold the version"))
                .at(&problem.place, reason)
                .advise("fix the template, or say the version as a number")
        })
        .collect()
}
