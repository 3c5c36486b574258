//! Frames that are named twice.

use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP204 `frames-twice`.
pub(super) const RULE: Rule = Rule {
    code: "TP204",
    name: "frames-twice",
    severity: Severity::Note,
    what: "Ranges of one set of frames overlap.",
    why: "Each frame is rendered once all the same; one of the numbers is likely a slip.",
    breaks: r#"scene = "kiln.toml"
frames = "1-20,15-30"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-14,15-30"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Fix the numbers.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| Some(one.common.frames.files.place.clone()))
        .into_iter()
        .filter_map(|(one, ..)| {
            let place = &one.common.frames.files.place;
            let text = subject.text(place);
            let (twice, first) = overlap(text)?;
            Some(
                rule.finding(format!(
                    "{} named twice here",
                    count(twice, "frame is", "frames are")
                ))
                .at(place, format!("such as {first}"))
                .advise("one of the numbers is likely a slip; each frame is rendered once"),
            )
        })
        .collect()
}

/// How many frames several of the ranges have, and the first of them.
fn overlap(text: &str) -> Option<(u64, i64)> {
    let wanted = text.split(" not ").next()?;
    let mut known = FrameSet::empty();
    let mut twice = FrameSet::empty();
    for part in wanted.split(',') {
        let set: FrameSet = part.parse().ok()?;
        twice = twice.union(&known.intersection(&set).ok()?).ok()?;
        known = known.union(&set).ok()?;
    }
    Some((twice.count(), twice.first()?))
}
