//! A path that leaves its place.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP601 `outside-place`.
pub(super) const RULE: Rule = Rule {
    code: "TP601",
    name: "outside-place",
    severity: Severity::Error,
    what: "A path leaves its place.",
    why: "Files would land where nobody looks for them, or on a folder that exists on one machine only.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "/srv/renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"place.renders = "/srv/renders"
scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Start the path with a place, or beside the job file.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let names: Vec<String> = subject
        .job
        .places
        .iter()
        .map(|place| format!("`{{place.{}}}/`", place.name))
        .collect();
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::Outside { reason } => Some((problem, reason)),
            _ => None,
        })
        .map(|(problem, reason)| {
            let finding = rule
                .finding("this path leaves its place")
                .at(&problem.place, reason);
            if names.is_empty() {
                finding.advise("name the folder as a place, such as `place.renders = \"/srv/renders\"`, and start the path with `{place.renders}/`")
            } else {
                finding.advise(format!("start the path with {}", names.join(" or ")))
            }
        })
        .collect()
}
