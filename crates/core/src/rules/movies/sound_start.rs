//! Sound that does not start with the first frame.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP414 `sound-start`.
pub(super) const RULE: Rule = Rule {
    code: "TP414",
    name: "sound-start",
    severity: Severity::Warning,
    what: "The frames of a movie start later than those of the scene, and its sound starts at the beginning.",
    why: "Picture and sound do not fit.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "answered.toml"
frames = "25-48"
audio = "half.wav"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", audio-codec = "aac" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "answered.toml"
frames = "1-48"
audio = "dawn.wav"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", audio-codec = "aac" }
"#,
    fix: "Cut the sound, or render from the beginning.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let late = |one: &Deliverable| {
        let has: FrameSet = subject.scene_facts(one)?.frames.as_ref()?.parse().ok()?;
        let (begins, first) = (has.first()?, one.common.frames.shot.first()?);
        let is_set = one.movie()?.audio_offset.is_some();
        (first > begins && !is_set).then_some((begins, first))
    };
    subject
        .once_by(|one| {
            let audio = &one.movie()?.audio.as_ref()?.place;
            let places = (audio, &one.common.frames.files.place);
            Some((places, (audio, late(one)?)))
        })
        .into_iter()
        .map(|(one, (audio, (begins, first)), _)| {
            rule.finding("this sound does not start with the first frame")
                .at(audio, "")
                .at(
                    &one.common.frames.files.place,
                    format!("from {first}; the scene begins at {begins}"),
                )
                .so(format!(
                    "the sound would run {} ahead",
                    count(first.abs_diff(begins), "frame", "frames")
                ))
                .advise("cut the sound, or render from the beginning")
        })
        .collect()
}
