//! Pictures of another size, other channels or bits than most of their sequence.

use crate::finding::{Finding, Severity};
use crate::frames::{Frame, FrameSet};
use crate::picture::usual_kind;
use crate::rules::{Rule, Subject};

/// TP811 `other-kind`.
pub(super) const RULE: Rule = Rule {
    code: "TP811",
    name: "other-kind",
    severity: Severity::Warning,
    what: "A finished picture has another size, other channels or bits than most of its sequence.",
    why: "The job does not set them, and programs that take the sequence expect pictures that are alike.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Frame 5 is half as wide as the others.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Set `size`, `channels` and `bits` in the job, and render the frames again.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            let usual = usual_kind(pictures.iter().filter_map(|picture| picture.kind.as_ref()))?;
            let odd = pictures.iter().filter_map(|picture| {
                let differences = picture.kind.as_ref()?.differences(&usual);
                (!differences.is_empty()).then(|| (picture.frame, differences.join(", ")))
            });
            let odd: Vec<(Frame, String)> = odd.collect();
            let (first, what) = odd.first()?;
            let frames = FrameSet::from_frames(odd.iter().map(|(frame, _)| *frame));
            let what = if odd.len() == 1 {
                format!("have {what}")
            } else {
                format!("are of another kind than the others: frame {first} has {what}")
            };
            Some(
                subject
                    .of_frames(rule, one, &frames, &what)
                    .so("programs that take the sequence expect pictures that are alike")
                    .advise("set `size`, `channels` and `bits` in the job, and render them again"),
            )
        })
        .collect()
}
