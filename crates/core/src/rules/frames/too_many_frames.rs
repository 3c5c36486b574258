//! A sequence of more frames than are handled.

use crate::deliverable::MOST_FRAMES;
use crate::finding::{Finding, Severity, grouped};
use crate::rules::{Rule, Subject};

/// TP209 `too-many-frames`.
pub(super) const RULE: Rule = Rule {
    code: "TP209",
    name: "too-many-frames",
    severity: Severity::Error,
    what: "A sequence has more than two million frames.",
    why: "That is 23 hours at 24 frames per second. Such a number is a slip of the hand, and looking for so many files takes hours and all memory.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48000000"
path = "renders/{shot}.{frame:08}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:08}.png"
engine = "understudy"
"#,
    fix: "Correct the frames, or divide the shot.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let frames = &one.common.frames;
            let is_too_long = frames.selected.count() > MOST_FRAMES;
            is_too_long.then(|| frames.files.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let frames = &one.common.frames;
            rule.finding(format!(
                "there are {} frames in this set",
                grouped(frames.selected.count())
            ))
            .at(&frames.files.place, "")
            .so(format!(
                "a sequence of more than {} frames is not rendered",
                grouped(MOST_FRAMES)
            ))
            .advise("correct the frames, or divide the shot")
        })
        .collect()
}
