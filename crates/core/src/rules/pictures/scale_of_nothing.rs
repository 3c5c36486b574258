//! A scale without a size to take a part of.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP304 `scale-of-nothing`.
pub(super) const RULE: Rule = Rule {
    code: "TP304",
    name: "scale-of-nothing",
    severity: Severity::Error,
    what: "A scale is set, and no size that it could be a part of.",
    why: "The size is the scene's, and nobody here knows it.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
scale = "1/8"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
size = "hd"
scale = "1/8"
"#,
    fix: "Set size.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter(|problem| problem.kind == ProblemKind::ScaleOfNothing)
        .map(|problem| {
            rule.finding("there is no size to take this part of")
                .at(&problem.place, "")
                .so(format!(
                    "{} would have a size that nobody asked for",
                    count(problem.deliverables, "deliverable", "deliverables")
                ))
                .advise("set `size`, such as `size = \"hd\"`")
        })
        .collect()
}
