//! Sound of another length than the frames.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP208 `sound-length`.
pub(super) const RULE: Rule = Rule {
    code: "TP208",
    name: "sound-length",
    severity: Severity::Warning,
    what: "The sound of a movie ends before its frames, or after them.",
    why: "The movie ends in silence, or the sound is cut off.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
audio = "short.wav"
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
scene = "dawn.toml"
frames = "1-48"
audio = "dawn.wav"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", audio-codec = "aac" }
"#,
    fix: "Fix the frames or the sound.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let lengths = |one: &Deliverable| {
        let audio = one.movie()?.audio.as_ref()?;
        let sound = *subject.answers.sounds.get(&audio.value)?;
        let offset = one.movie()?.audio_offset.as_ref();
        // When it ends, from the first frame.
        let sound = sound + offset.map_or(0.0, |offset| offset.value as f64 / 1000.0);
        let fps = one.common.fps?;
        let frames = fps.seconds(one.common.frames.shot.count());
        // Half a frame is no difference.
        ((sound - frames).abs() * fps.value() > 0.5).then_some((sound, frames))
    };
    subject
        .once_by(|one| {
            let audio = &one.movie()?.audio.as_ref()?.place;
            let places = (audio, &one.common.frames.files.place);
            Some((places, (audio, lengths(one)?)))
        })
        .into_iter()
        .map(|(one, (audio, (sound, frames)), _)| {
            let (word, end) = if sound < frames {
                ("shorter", "the movie would end in silence")
            } else {
                ("longer", "the end of the sound would be cut off")
            };
            rule.finding(format!("this sound is {word} than the frames"))
                .at(audio, format!("{sound:.2} s"))
                .at(&one.common.frames.files.place, format!("{frames:.2} s"))
                .so(end)
                .advise("fix the frames or the sound")
        })
        .collect()
}
