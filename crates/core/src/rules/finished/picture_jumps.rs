//! Frames that jump out of the run of their neighbours.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};
use crate::suspicion::{Measured, jumps};

/// TP807 `picture-jumps`.
pub(super) const RULE: Rule = Rule {
    code: "TP807",
    name: "picture-jumps",
    severity: Severity::Note,
    what: "The brightness, contrast or noise of a finished picture jumps out of the run of its neighbours.",
    why: "A light that was not loaded, another quality or another scene looks so; a flash does too.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Frame 5 is twice as bright as its neighbours.
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
        .filter(|(one, _)| !one.picture.is_data())
        .flat_map(|(one, pictures)| {
            let rows = subject.rows(one, pictures).into_iter();
            let found: Vec<_> = rows.flat_map(jumps).collect();
            let kinds = [Measured::Brightness, Measured::Contrast, Measured::Noise];
            kinds.into_iter().filter_map(move |kind| {
                let mut of_kind = found.iter().filter(|jump| jump.measured == kind);
                let first = of_kind.clone().next()?;
                let frames = FrameSet::from_frames(of_kind.clone().map(|jump| jump.frame));
                let many = of_kind.nth(1).is_some();
                let what = format!(
                    "jump out of the run of {} neighbours in {}: {:.3} in frame {}, {:.3} beside it",
                    if many { "their" } else { "its" },
                    kind.name(),
                    first.value,
                    first.frame,
                    first.usual
                );
                Some(
                    subject
                        .of_frames(rule, one, &frames, &what)
                        .so("a light or a texture may be missing there; a flash looks alike"),
                )
            })
        })
        .collect()
}
