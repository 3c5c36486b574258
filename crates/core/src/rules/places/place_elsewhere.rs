//! A place that this system does not have.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP602 `place-elsewhere`.
pub(super) const RULE: Rule = Rule {
    code: "TP602",
    name: "place-elsewhere",
    severity: Severity::Error,
    what: "A place has folders for some systems, and not for the one that paths are made for.",
    why: "No path can be made.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { windows = 'R:\renders' }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { windows = 'R:\renders', linux = "/srv/renders" }
"#,
    fix: "Give the place a folder for the system.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::PlaceElsewhere { name, system } => Some((problem, name, system)),
            _ => None,
        })
        .map(|(problem, name, system)| {
            rule.finding(format!("the place `{name}` has no folder on {system}"))
                .at(&problem.place, "")
                .advise(format!("add one: {name} = {{ {system} = \"…\" }}"))
        })
        .collect()
}
