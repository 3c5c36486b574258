//! Alpha that a movie does not keep.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP418 `alpha-lost`.
pub(super) const RULE: Rule = Rule {
    code: "TP418",
    name: "alpha-lost",
    severity: Severity::Warning,
    what: "The pictures of a movie have alpha, and the movie keeps none.",
    why: "What is transparent would be black, or whatever colour lies below.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
size = "640x360"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
channels = "rgba"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", pixels = "4:2:0 8" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
size = "640x360"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
channels = "rgba"
[output.review]
path = "renders/{shot}.mov"
movie = { from = "frames", codec = "prores", pixels = "4:4:4:4 10" }
"#,
    fix: "Use a codec with alpha, such as prores with pixels = \"4:4:4:4 10\", or exempt the output where that is meant.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(rule, subject, "the movie would have no alpha", mistake)
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let source = movie.source.as_ref()?;
    let channels = source.picture.channels.as_ref()?;
    let pixels = movie.stored_pixels(&one.common.engine)?;
    if !channels.value.has_alpha() || pixels.alpha {
        return None;
    }
    let codec = movie.codec.as_ref()?;
    Some(MovieMistake {
        place: codec.place.clone(),
        sentence: format!("{} as {} keeps no alpha", codec.value.name, pixels.name),
        label: format!("its pictures are {}", channels.value.word()),
        advice: "use a codec with alpha, such as prores with movie.pixels = \"4:4:4:4 10\"; where it is meant, exempt the output in [check]".to_owned(),
    })
}
