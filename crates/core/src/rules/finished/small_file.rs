//! Files that are much smaller than their neighbours.

use super::less_than_neighbours;
use crate::finding::{Finding, Severity, grouped};
use crate::rules::{Rule, Subject};
use crate::suspicion::small_files;

/// TP808 `small-file`.
pub(super) const RULE: Rule = Rule {
    code: "TP808",
    name: "small-file",
    severity: Severity::Note,
    what: "The file of a finished picture is much smaller than those of its neighbours.",
    why: "There is less in the picture: something was not rendered, or with another quality.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# The file of frame 5 has a tenth of the bytes of its neighbours.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Look at the frames, and render them again where they are wrong.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    less_than_neighbours(rule, subject, small_files, |frame, bytes, usual| {
        format!(
            "are much smaller than those beside: frame {frame} has {} bytes, and {} are usual there",
            grouped(bytes),
            grouped(usual)
        )
    })
}
