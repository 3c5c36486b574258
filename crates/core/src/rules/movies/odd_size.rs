//! An odd size for pixels that share their colour.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP405 `odd-size`.
pub(super) const RULE: Rule = Rule {
    code: "TP405",
    name: "odd-size",
    severity: Severity::Error,
    what: "A side of the picture cannot be divided by the pixels that share one colour sample.",
    why: "Encoders refuse it, or cut a row or column off.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
size = "641x360"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
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
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", pixels = "4:2:0 8" }
"#,
    fix: "Use an even size, or 4:4:4.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the encoder would refuse the movie, or cut a row or column off",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let pixels = movie.stored_pixels(&one.common.engine)?;
    let size = one.picture.size.as_ref()?;
    let (across, down) = pixels.shared;
    if size.value.width.is_multiple_of(across) && size.value.height.is_multiple_of(down) {
        return None;
    }
    Some(MovieMistake {
        place: size.place.clone(),
        sentence: format!("{} cannot be stored as {}", size.value, pixels.name),
        label: format!("{across} by {down} pixels share their colour"),
        advice: "use an even size, or movie.pixels = \"4:4:4 8\"".to_owned(),
    })
}
