//! Pictures with fewer samples than were asked for.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP810 `few-samples`.
pub(super) const RULE: Rule = Rule {
    code: "TP810",
    name: "few-samples",
    severity: Severity::Warning,
    what: "The engine reports fewer samples for a finished picture than were asked for.",
    why: "It is noisier than its neighbours: a limit of time, or an engine that stopped early.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# The engine reports 140 of 256 samples for frame 5.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Give each frame more time, or ask for fewer samples, and render the frames again.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            // As many as the job says that a frame is done with are enough.
            let enough = one.picture.stop_samples.as_ref();
            let enough = enough.map(|samples| samples.value.unsigned_abs());
            let few = |one: &&crate::question::FinishedPicture| {
                one.samples.is_some_and(|samples| match enough {
                    Some(enough) => samples.done < enough,
                    None => samples.missed().is_some(),
                })
            };
            let found: Vec<_> = pictures.iter().filter(few).collect();
            let first = *found.first()?;
            let samples = first.samples?;
            let frames = FrameSet::from_frames(found.iter().map(|one| one.frame));
            let what = if found.len() == 1 {
                format!("have {samples}")
            } else {
                let frame = first.frame;
                format!("have fewer samples than were asked for: frame {frame} has {samples}")
            };
            Some(
                subject
                    .of_frames(rule, one, &frames, &what)
                    .so("they are noisier than the others")
                    .advise("give each frame more time, or ask for fewer samples, and render them again"),
            )
        })
        .collect()
}
