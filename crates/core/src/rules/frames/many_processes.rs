//! Frames that one process cannot take.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::profile::FramesPerProcess;
use crate::rules::{Rule, Subject};

/// TP207 `many-processes`.
pub(super) const RULE: Rule = Rule {
    code: "TP207",
    name: "many-processes",
    severity: Severity::Note,
    what: "The engine takes a range without gaps, and the frames have gaps or a step.",
    why: "It is started once for each piece, and pays for its start each time.",
    breaks: r#"scene = "kiln.pov"
frames = "1-46/3"
path = "renders/{shot}.{frame:04}.png"
engine = "povray"
"#,
    keeps: r#"scene = "kiln.pov"
frames = "1-46"
path = "renders/{shot}.{frame:04}.png"
engine = "povray"
"#,
    fix: "Nothing has to be done; a range without gaps is quicker.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let place = &one.common.frames.files.place;
            Some(((place, &one.common.engine.name), pieces(one)?))
        })
        .into_iter()
        .map(|(one, pieces, _)| {
            let engine = &one.common.engine.name;
            let frames = one.common.frames.files.value.count();
            rule.finding(format!("{engine} takes these frames in pieces"))
                .at(&one.common.frames.files.place, "")
                .so(format!(
                    "{} for {} of {}",
                    count(pieces, "process", "processes"),
                    count(frames, "frame", "frames"),
                    one.label()
                ))
                .advise("a range without gaps is one process")
        })
        .collect()
}

/// The processes that the frames need, where they are more than one.
fn pieces(one: &Deliverable) -> Option<u64> {
    let pieces = one
        .common
        .engine
        .takes
        .pieces(&one.common.frames.files.value);
    // One frame a process is how such an engine always works.
    let piecewise = matches!(
        one.common.engine.takes,
        FramesPerProcess::Range | FramesPerProcess::Stepped
    );
    (pieces > 1 && piecewise && one.movie().is_none()).then_some(pieces)
}
