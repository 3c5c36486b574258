//! A place where nothing can be written.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::places::report;
use crate::rules::{Rule, Subject};

/// TP604 `place-not-writable`.
pub(super) const RULE: Rule = Rule {
    code: "TP604",
    name: "place-not-writable",
    severity: Severity::Error,
    what: "You cannot write to this folder.",
    why: "No frame could be published.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/locked"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Change its permissions, or use another place.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "nothing can be written here",
        wrong,
        |finding, files| {
            finding
                .so(format!("{files} could not be published"))
                .advise("change its permissions, or use another place")
        },
    )
}

/// What is wrong with the folder that the paths start from.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let facts = subject.answers.folders.get(&*one.root)?;
    (!facts.writable).then(|| one.root.to_string())
}
