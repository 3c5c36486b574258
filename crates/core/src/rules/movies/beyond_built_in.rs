//! Movies that the encoder inside this program cannot make.

use crate::deliverable::{Deliverable, beyond_built_in};
use crate::finding::{Finding, Severity};
use crate::movie::BUILT_IN;
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP419 `beyond-built-in`.
pub(super) const RULE: Rule = Rule {
    code: "TP419",
    name: "beyond-built-in",
    severity: Severity::Error,
    what: "The built-in encoder cannot make this movie.",
    why: "The movie could not be put together once its frames are there.",
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
movie = { from = "frames", codec = "hevc", encoder = "built-in" }
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
movie = { from = "frames", codec = "h264", encoder = "built-in" }
"#,
    fix: "Leave `movie.encoder` out, or ask for what it makes.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the movie could not be put together",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie().filter(|movie| !movie.is_direct())?;
    if one.common.engine.name != BUILT_IN {
        return None;
    }
    let beyond = beyond_built_in(movie, &one.picture)?;
    Some(MovieMistake {
        place: beyond.place.unwrap_or_else(|| one.template.place.clone()),
        sentence: format!("the encoder inside this program {}", beyond.what),
        label: beyond.can,
        advice: "leave `movie.encoder` out, and another one is taken that can".to_owned(),
    })
}
