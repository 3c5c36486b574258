//! A sound that is not there.

use crate::deliverable::{Deliverable, Sound};
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP408 `sound-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP408",
    name: "sound-missing",
    severity: Severity::Error,
    what: "The sound file does not exist.",
    why: "The movie could not be assembled.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
audio = "missing.wav"
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
    fix: "Fix the path.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let missing = |one: &Deliverable| {
        let is_missing =
            |sound: &Sound| subject.answers.files.get(&sound.file.value) == Some(&false);
        let sound = one.movie()?.sounds().into_iter().find(is_missing)?;
        Some((sound.file.place, sound.file.value))
    };
    subject
        .once(missing)
        .into_iter()
        .map(|(_, (place, path), movies)| {
            rule.finding("this sound is not there")
                .at(&place, format!("expands to {path}"))
                .so(format!(
                    "{} could not be assembled",
                    count(movies, "movie", "movies")
                ))
                .advise("fix the path; it starts at a place or at the folder of the job file")
        })
        .collect()
}
