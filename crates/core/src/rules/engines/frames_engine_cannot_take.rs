//! Frames that the engine renders wrongly or cannot be asked for.

use crate::finding::{Finding, Severity};
use crate::profile::FramesPerProcess;
use crate::rules::{Rule, Subject};

/// TP506 `frames-engine-cannot-take`.
pub(super) const RULE: Rule = Rule {
    code: "TP506",
    name: "frames-engine-cannot-take",
    severity: Severity::Error,
    what: "The engine cannot be asked for a frame, or renders such a frame wrongly.",
    why: "Other frames than the ones asked for would be rendered without a message.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{frame}", "{target}"]
"#,
    fix: "Put {frame}, or {first} and {last}, into the command line; keep to frames that the engine knows.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let untold = subject
        .once(|one| {
            if one.is_assembled() {
                return None;
            }
            let engine = &one.common.engine;
            // A single picture needs no frame.
            let several = one.common.frames.files.value.count() > 1;
            (engine.takes == FramesPerProcess::Nothing && several).then(|| engine.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let engine = &one.common.engine;
            rule.finding(format!("{} is not given the frame to render", engine.name))
                .at(engine.place.as_ref().unwrap_or(&one.template.place), "")
                .so("every process would render the same")
                .advise("put `{frame}` into the line for one frame a process, or `{first}` and `{last}` for a range")
        });
    let low = subject
        .once(|one| {
            if one.is_assembled() {
                return None;
            }
            let lowest = one.common.engine.lowest_frame?;
            let first = one.common.frames.files.value.first()?;
            (first < lowest).then(|| one.common.frames.files.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let engine = &one.common.engine;
            rule.finding(format!(
                "{} cannot render frames below {}",
                engine.name,
                engine.lowest_frame.unwrap_or(0)
            ))
            .at(&one.common.frames.files.place, "")
            .so("other frames would be rendered in their place")
            .advise("shift the frames of the scene")
        });
    untold.chain(low).collect()
}
