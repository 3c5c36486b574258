//! Alpha that says nothing.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::picture::Channels;
use crate::rules::{Rule, Subject};
use crate::suspicion::constant_alpha;

/// TP803 `constant-alpha`.
pub(super) const RULE: Rule = Rule {
    code: "TP803",
    name: "constant-alpha",
    severity: Severity::Warning,
    what: "Alpha was asked for, and it is 0 or 1 in every pixel of a finished picture.",
    why: "Nobody can lay the picture over another one, or nothing of it would be seen.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
channels = "rgba"
engine = "understudy"
# Every pixel of frame 5 is opaque.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
channels = "rgba"
engine = "understudy"
"#,
    fix: "Make the renderer leave the background out, or ask for `rgb`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let has_alpha = |one: &Deliverable| {
        let channels = one.picture.channels.as_ref().map(|channels| channels.value);
        matches!(channels, Some(Channels::Rgba | Channels::GrayAlpha))
    };
    subject
        .finished()
        .filter(|(one, _)| has_alpha(one))
        .flat_map(|(one, pictures)| {
            let found = constant_alpha(pictures);
            [0.0, 1.0].into_iter().filter_map(move |alpha| {
                let frames = found.iter().filter(|found| found.alpha == alpha);
                let frames = FrameSet::from_frames(frames.map(|found| found.frame));
                (!frames.is_empty()).then(|| {
                    let (found, effect) = if alpha == 0.0 {
                        ("are transparent all over", "nothing of them would be seen")
                    } else {
                        (
                            "are opaque all over, and alpha was asked for",
                            "they cover whatever they are laid over",
                        )
                    };
                    subject
                        .of_frames(rule, one, &frames, found)
                        .so(effect)
                        .advise("make the renderer leave the background out, or ask for `rgb`")
                })
            })
        })
        .collect()
}
