//! Frames that the scene does not have.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP206 `frames-of-scene`.
pub(super) const RULE: Rule = Rule {
    code: "TP206",
    name: "frames-of-scene",
    severity: Severity::Warning,
    what: "Some of the frames are outside those of the scene.",
    why: "Most renderers repeat the last picture, or render nothing that was made.",
    breaks: r#"scene = "answered.toml"
frames = "1-96"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Fix the frames, or let the scene go on.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let outside = |one: &Deliverable| {
        let facts = subject.scene_facts(one)?;
        let has: FrameSet = facts.frames.as_ref()?.parse().ok()?;
        let (first, last) = (has.first()?, has.last()?);
        let inside = one
            .common
            .frames
            .files
            .value
            .count_shared(&FrameSet::range(first, last));
        let outside = one.common.frames.files.value.count() - inside;
        (outside > 0 && one.movie().is_none()).then_some((outside, has))
    };
    subject
        .once_by(|one| {
            let scene = one.common.scene.as_ref().map(|scene| &scene.path);
            Some(((&one.common.frames.files.place, scene), outside(one)?))
        })
        .into_iter()
        .map(|(one, (number, has), _)| {
            rule.finding(format!(
                "{} outside those of the scene",
                count(number, "frame is", "frames are")
            ))
            .at(
                &one.common.frames.files.place,
                format!("the scene has {has}"),
            )
            .so("the last picture would be repeated, or nothing be there")
            .advise("fix the frames, or let the scene go on")
        })
        .collect()
}
