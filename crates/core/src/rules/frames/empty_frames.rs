//! A set without frames.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP201 `empty-frames`.
pub(super) const RULE: Rule = Rule {
    code: "TP201",
    name: "empty-frames",
    severity: Severity::Error,
    what: "A set of frames is empty.",
    why: "Nothing would be rendered.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48 not 1-100"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48 not 10-12"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Ask for at least one frame.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let frames = &one.common.frames.files;
            frames.value.is_empty().then(|| frames.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            rule.finding("there are no frames in this set")
                .at(&one.common.frames.files.place, "")
                .so("nothing would be rendered")
                .advise("leave at least one frame")
        })
        .collect()
}
