//! A step that leaves out the last frame.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP205 `last-left-out`.
pub(super) const RULE: Rule = Rule {
    code: "TP205",
    name: "last-left-out",
    severity: Severity::Note,
    what: "The last number of a stepped range is none of its frames.",
    why: "The end of the shot is not among the frames.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48/8"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-49/8"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Move the end, or add the last frame.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| Some(one.common.frames.files.place.clone()))
        .into_iter()
        .flat_map(|(one, ..)| {
            let place = &one.common.frames.files.place;
            let parts: Vec<&str> = subject
                .text(place)
                .split(" not ")
                .next()
                .unwrap_or("")
                .split(',')
                .collect();
            parts
                .into_iter()
                .filter_map(left_out)
                // Another part of the set may have it.
                .filter(|(end, _)| !one.common.frames.files.value.contains(*end))
                .map(|(end, last)| {
                    rule.finding(format!("this step leaves out frame {end}"))
                        .at(place, format!("the last is {last}"))
                        .advise(format!("add it: `{},{end}`", subject.text(place)))
                })
                .collect::<Vec<_>>()
        })
        .collect()
}

/// The end of a stepped range that is none of its frames, and its last frame.
fn left_out(part: &str) -> Option<(i64, i64)> {
    let (range, step) = part.trim().split_once('/')?;
    // `1-9/4` steps; what has a step of 1 leaves nothing out.
    step.trim().parse::<i64>().ok().filter(|step| *step > 1)?;
    let whole: FrameSet = range.parse().ok()?;
    let stepped: FrameSet = part.parse().ok()?;
    let (end, last) = (whole.last()?, stepped.last()?);
    (end != last).then_some((end, last))
}
