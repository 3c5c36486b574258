//! Pixels that are not a number, or infinite.

use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP801 `broken-values`.
pub(super) const RULE: Rule = Rule {
    code: "TP801",
    name: "broken-values",
    severity: Severity::Warning,
    what: "A finished picture has pixels that are not a number, or infinite.",
    why: "They spread in everything that is computed from them: blurs, scalings, movies.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Three pixels of frame 5 are not a number.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Find the material or light that the scene divides by zero at, and render the frames again.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            let broken = pictures.iter().filter_map(|picture| {
                let measure = picture.measure.as_ref()?;
                let count = measure.not_a_number + measure.infinite;
                (count > 0).then_some((picture.frame, count))
            });
            let broken: Vec<_> = broken.collect();
            let samples: u64 = broken.iter().map(|(_, count)| count).sum();
            let frames = FrameSet::from_frames(broken.into_iter().map(|(frame, _)| frame));
            (!frames.is_empty()).then(|| {
                subject
                    .of_frames(
                        rule,
                        one,
                        &frames,
                        &format!(
                            "hold {} that are not a number or infinite",
                            count(samples, "value", "values")
                        ),
                    )
                    .so("they spread in everything that is computed from these pictures")
                    .advise("find what the scene divides by zero at, and render them again")
            })
        })
        .collect()
}
