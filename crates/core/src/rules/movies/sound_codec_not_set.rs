//! Sound without a codec.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject, one_of};

/// TP413 `sound-codec-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP413",
    name: "sound-codec-not-set",
    severity: Severity::Error,
    what: "A shot has sound, and its movie does not say how it is coded.",
    why: "The movie would be silent, or the encoder would choose.",
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
movie = { from = "frames", codec = "h264" }
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
    fix: "Say movie.audio-codec.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the movie would be silent, or the encoder would choose",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let audio = movie.sounds().into_iter().next()?.file;
    if movie.audio_codec.is_some() || movie.is_direct() {
        return None;
    }
    Some(MovieMistake {
        place: audio.place,
        sentence: "the codec of this sound is not set".to_owned(),
        label: format!("in the movie of {}", one.label()),
        advice: format!(
            "say movie.audio-codec: {}",
            one_of(movie.container.audio_codecs)
        ),
    })
}
