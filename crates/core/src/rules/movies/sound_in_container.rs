//! Sound that the container cannot hold.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject, one_of};

/// TP409 `sound-in-container`.
pub(super) const RULE: Rule = Rule {
    code: "TP409",
    name: "sound-in-container",
    severity: Severity::Error,
    what: "The container has no place for the codec of the sound.",
    why: "The movie would have no sound, or could not be written.",
    breaks: r#"[project]
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
movie = { from = "frames", codec = "h264", audio-codec = "pcm-24" }
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
    fix: "Use another codec for the sound, or another container.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the movie would be silent, or could not be written",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let codec = movie.audio_codec.as_ref()?;
    let held = movie.container.audio_codecs;
    if held.contains(&codec.value.name) || movie.sounds().is_empty() {
        return None;
    }
    Some(MovieMistake {
        place: codec.place.clone(),
        sentence: format!(
            "{} cannot hold sound as {}",
            movie.container.name(),
            codec.value.name
        ),
        label: String::new(),
        advice: format!("{} holds {}", movie.container.name(), one_of(held)),
    })
}
