//! Parts of pictures that were never rendered.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};
use crate::suspicion::unrendered_parts;

/// TP804 `part-not-rendered`.
pub(super) const RULE: Rule = Rule {
    code: "TP804",
    name: "part-not-rendered",
    severity: Severity::Warning,
    what: "A finished picture has a rectangle of one value, with straight edges, that its neighbours do not have.",
    why: "A tile or the last rows were never rendered: the renderer ended too early and wrote the file all the same.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# The lower part of frame 5 is black.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Look at the frames, and render them again.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            let rows = subject.rows(one, pictures).into_iter();
            let found: Vec<_> = rows.flat_map(unrendered_parts).collect();
            let first = found.first()?;
            let frames = FrameSet::from_frames(found.iter().map(|found| found.frame));
            let what = if found.len() == 1 {
                format!("have a blank part, {}", first.part)
            } else {
                format!(
                    "have blank parts, such as {} in frame {}",
                    first.part, first.frame
                )
            };
            Some(
                subject
                    .of_frames(rule, one, &frames, &what)
                    .so("a part of the picture seems never to have been rendered")
                    .advise("look at it, and render it again"),
            )
        })
        .collect()
}
