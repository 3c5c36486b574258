//! Frames that took much less time than their neighbours.

use super::less_than_neighbours;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};
use crate::suspicion::fast_frames;

/// TP809 `fast-frame`.
pub(super) const RULE: Rule = Rule {
    code: "TP809",
    name: "fast-frame",
    severity: Severity::Note,
    what: "A finished picture took much less time to render than its neighbours.",
    why: "There is less in the picture: something was not loaded, or rendered with another quality.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Frame 5 took a second, and its neighbours 20.
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
    less_than_neighbours(rule, subject, fast_frames, |frame, seconds, usual| {
        format!(
            "take much less time than those beside: frame {frame} took {seconds:.1} s, and {usual:.1} s are usual there"
        )
    })
}
