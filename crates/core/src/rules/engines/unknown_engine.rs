//! An engine without a profile.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP501 `unknown-engine`.
pub(super) const RULE: Rule = Rule {
    code: "TP501",
    name: "unknown-engine",
    severity: Severity::Error,
    what: "No profile has the name of the engine.",
    why: "Nobody knows how to start it.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understduy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Name a profile that exists, or put its profile into engines/ beside the job file.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::UnknownEngine { name, advice } => Some((problem, name, advice)),
            _ => None,
        })
        .map(|(problem, name, advice)| {
            rule.finding(format!("there is no engine `{name}`"))
                .at(&problem.place, "")
                .advise(advice)
                .advise("a renderer without a profile is used at once with `run = [\"program\", \"arguments\"]`")
        })
        .collect()
}
