//! Frames that repeat the one before.

use crate::finding::{Finding, Severity};
use crate::frames::{Frame, FrameSet};
use crate::rules::{Rule, Subject};
use crate::suspicion::{Repetition, repeated};

/// TP805 `repeated-frame`.
pub(super) const RULE: Rule = Rule {
    code: "TP805",
    name: "repeated-frame",
    severity: Severity::Warning,
    what: "A finished picture has the very pixels of the frame before, and most others do not.",
    why: "The renderer did not get the frame number, or a file was copied over another one.",
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
            let (mut repeats, mut held, mut all) = (Vec::new(), Vec::new(), Vec::new());
            for row in subject.rows(one, pictures) {
                for found in repeated(row) {
                    match found {
                        Repetition::Some(frames) => repeats.extend(frames),
                        Repetition::Held(rows) => {
                            held.extend(rows.iter().flat_map(|(first, last)| *first..=*last));
                        }
                        Repetition::All => all.extend(row.iter().map(|picture| picture.frame)),
                    }
                }
            }
            let finding = |frames: Vec<Frame>, what: &str| {
                let frames = FrameSet::from_frames(frames);
                (!frames.is_empty()).then(|| subject.of_frames(rule, one, &frames, what))
            };
            let note = |finding: Finding| Finding {
                severity: Severity::Note,
                ..finding
            };
            let repeats = finding(repeats, "have the pixels of the frame before");
            let all = finding(all, "show the same picture");
            [
                repeats.map(|one| {
                    one.so("the movement stops for a moment")
                        .advise("render them again")
                }),
                finding(held, "stand still").map(note),
                all.map(|one| {
                    note(one.so(
                        "either nothing moves in this scene, or the renderer does not get the frame number",
                    ))
                }),
            ]
            .into_iter()
            .flatten()
        })
        .collect()
}
