//! Frames that took much less time than their neighbours.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
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
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            let rows = subject.rows(one, pictures).into_iter();
            let found: Vec<_> = rows.flat_map(fast_frames).collect();
            let (frame, seconds, usual) = *found.first()?;
            let frames = FrameSet::from_frames(found.iter().map(|(frame, ..)| *frame));
            let what = format!(
                "take much less time than those beside: frame {frame} took {seconds:.1} s, and {usual:.1} s are usual there"
            );
            Some(
                subject
                    .of_frames(rule, one, &frames, &what)
                    .so("there may be less in the picture than there should be"),
            )
        })
        .collect()
}
