//! A token that the text in the frames of a movie cannot have.

use crate::command::burn_in_text;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP421 `burn-in-token`.
pub(super) const RULE: Rule = Rule {
    code: "TP421",
    name: "burn-in-token",
    severity: Severity::Error,
    what: "A token in the text in the frames of a movie is unknown, has no value, or is not taken there.",
    why: "The text could not be drawn.",
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
movie = { from = "frames", codec = "h264" }
burn-in = { text = "{shot} {camera} {frame:04}" }
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
burn-in = { text = "{shot}{? {camera}} {frame:04}" }
"#,
    fix: "Fix the token, or put it into an optional part: `{? … }`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(rule, subject, "the text could not be drawn", mistake)
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let text = one.movie()?.burn_in.as_ref()?;
    let error = burn_in_text(one).err()?;
    Some(MovieMistake {
        place: text.place.part(text.length, error.span()),
        sentence: error.to_string(),
        label: String::new(),
        advice: "fix the token, or put it into an optional part, such as `{? {camera}}`".to_owned(),
    })
}
