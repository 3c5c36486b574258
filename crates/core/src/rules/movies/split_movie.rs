//! A movie that would be written in pieces.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP415 `split-movie`.
pub(super) const RULE: Rule = Rule {
    code: "TP415",
    name: "split-movie",
    severity: Severity::Error,
    what: "An engine writes a movie itself, and cannot take all frames in one process.",
    why: "Each process would begin the file again, and one piece would be left.",
    breaks: r#"[project]
engine = "pieces"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.film]
path = "renders/{shot}.mp4"
movie = { direct = true, codec = "h264" }
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
    fix: "Render a sequence, and put the movie together from it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "each would begin the file again, and one piece would be left",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    if !movie.is_direct() {
        return None;
    }
    let pieces = one.common.engine.takes.pieces(&one.common.frames.shot);
    (pieces > 1).then(|| MovieMistake {
        place: one.template.place.clone(),
        sentence: format!(
            "this movie would be written by {}",
            count(pieces, "process", "processes")
        ),
        label: String::new(),
        advice: "render a sequence, and put the movie together from it".to_owned(),
    })
}
