//! A movie without a speed.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP417 `fps-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP417",
    name: "fps-not-set",
    severity: Severity::Error,
    what: "A movie does not say how many frames it shows a second.",
    why: "It would play at whatever the encoder takes for usual.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
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
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    fix: "Say fps.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "it would play at whatever the encoder takes for usual",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    if one.common.fps.is_some() || movie.is_direct() {
        return None;
    }
    Some(MovieMistake {
        place: movie.from.as_ref()?.place.clone(),
        sentence: "the frames per second of this movie are not set".to_owned(),
        label: String::new(),
        advice: "say `fps`, such as `fps = 24` under [project]".to_owned(),
    })
}
