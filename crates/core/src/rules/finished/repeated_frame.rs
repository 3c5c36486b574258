//! Frames that repeat the one before.

use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};
use crate::suspicion::{Repetition, repeated};

/// TP805 `repeated-frame`.
pub(super) const RULE: Rule = Rule {
    code: "TP805",
    name: "repeated-frame",
    severity: Severity::Warning,
    what: "A finished picture has the very pixels of the frame before, and most others do not.",
    why: "The renderer was not told the frame, or a file was copied over another one.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Frame 5 has the pixels of frame 4.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Render the frames again; where the scene holds still, exempt the path in `[check]`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter(|(one, _)| !one.picture.is_data())
        .flat_map(|(one, pictures)| {
            repeated(pictures).into_iter().map(move |found| match found {
                Repetition::Some(frames) => {
                    let frames = FrameSet::from_frames(frames);
                    let what = if frames.count() == 1 {
                        "has the pixels of the frame before"
                    } else {
                        "have the pixels of the frame before"
                    };
                    subject
                        .of_frames(rule, one, &frames, what)
                        .so("the movement stops for a moment")
                        .advise("render them again")
                }
                Repetition::Held(rows) => {
                    let frames = rows.iter().flat_map(|(first, last)| *first..=*last);
                    let frames = FrameSet::from_frames(frames);
                    Finding {
                        severity: Severity::Note,
                        ..subject.of_frames(rule, one, &frames, "stand still")
                    }
                }
                Repetition::All => {
                    let all = FrameSet::from_frames(pictures.iter().map(|picture| picture.frame));
                    let found = subject.of_frames(rule, one, &all, "show the same picture");
                    Finding {
                        severity: Severity::Note,
                        ..found.so("either nothing moves in this scene, or the renderer is not told the frame")
                    }
                }
            })
        })
        .collect()
}
