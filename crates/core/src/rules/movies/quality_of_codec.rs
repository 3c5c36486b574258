//! A quality that the codec has not.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject, one_of};

/// TP416 `quality-of-codec`.
pub(super) const RULE: Rule = Rule {
    code: "TP416",
    name: "quality-of-codec",
    severity: Severity::Error,
    what: "The codec cannot be asked for this quality.",
    why: "The movie would be something else than was asked for.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mov"
movie = { from = "frames", codec = "prores", quality = "lossless" }
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
path = "renders/{shot}.mov"
movie = { from = "frames", codec = "prores", quality = "high" }
"#,
    fix: "Use a quality that the codec has, or another codec.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the movie would be something else than was asked for",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let (codec, quality) = (movie.codec.as_ref()?, movie.quality.as_ref()?);
    if codec.value.qualities.contains(&quality.value.as_str()) {
        return None;
    }
    Some(MovieMistake {
        place: quality.place.clone(),
        sentence: format!("{} cannot be {}", codec.value.name, quality.value),
        label: String::new(),
        advice: format!("it can be {}", one_of(codec.value.qualities)),
    })
}
