//! A text, a slate or an offset of the sound that the encoder has no argument for.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::profile::Each;
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};
use crate::source::{Place, Sourced};

/// TP420 `not-passed-to-encoder`.
pub(super) const RULE: Rule = Rule {
    code: "TP420",
    name: "not-passed-to-encoder",
    severity: Severity::Error,
    what: "A movie is to have a text in its frames, a slate, or sound with an offset, and its encoder has no argument for it.",
    why: "The movie would be made without it.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "hevc" }
burn-in = { text = "{shot} {frame:04}" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264" }
burn-in = { text = "{shot} {frame:04}" }
"#,
    fix: "Ask for what the encoder inside True Path makes, or leave the text out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(rule, subject, "the movie would be made without it", mistake)
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let engine = &one.common.engine;
    let takes_several = engine
        .arguments
        .iter()
        .any(|one| one.each == Some(Each::Sounds));
    let text = movie.burn_in.as_ref();
    let slate = movie.slate.as_ref();
    let offset = movie.audio.as_ref().and(movie.audio_offset.as_ref());
    let later = |offset: &Sourced<i64>| match offset.value {
        0.. => "audio-delay",
        _ => "audio-skip",
    };
    let set = [
        text.map(|text| (&text.place, "burn-in", "burn-in")),
        slate.map(|slate| (&slate.place, "slate", "slate")),
        offset
            .filter(|_| !takes_several)
            .map(|offset| (&offset.place, "audio-offset", later(offset))),
    ];
    if let Some(second) = movie.sounds().get(1)
        && !takes_several
    {
        return Some(MovieMistake {
            place: second.file.place.clone(),
            sentence: format!("{} is given a single sound", engine.name),
            label: "this one would not be heard".to_owned(),
            advice: "h264 in mp4 or mov is made by the encoder inside this program, which mixes several; or mix them before"
                .to_owned(),
        });
    }
    let is_lost = |(_, _, token): &(&Place, &str, &str)| !engine.mentions(token);
    let (place, key, token) = set.into_iter().flatten().find(is_lost)?;
    Some(MovieMistake {
        place: place.clone(),
        sentence: format!("{} is not given `{key}`", engine.name),
        label: format!("no argument of its command line has `{{{token}}}`"),
        advice: "h264 in mp4 or mov is made by the encoder inside this program, which takes it; or leave it out"
            .to_owned(),
    })
}
