//! A part of a picture that is not inside it.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP305 `crop-outside`.
pub(super) const RULE: Rule = Rule {
    code: "TP305",
    name: "crop-outside",
    severity: Severity::Error,
    what: "A crop is not inside the picture, or the size of the picture is not known.",
    why: "The engine would render something else, or nothing.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
size = "640x360"
crop = "320x180 at 400,0"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
size = "640x360"
crop = "320x180 at 320,0"
"#,
    fix: "Move the crop into the picture, or make it smaller.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::CropOutside { reason } => Some((problem, reason)),
            _ => None,
        })
        .map(|(problem, reason)| {
            rule.finding("this part cannot be cut out of the picture")
                .at(&problem.place, reason)
                .advise("left and top count from the upper left corner, in pixels of `size`")
        })
        .collect()
}
