//! A movie that the engine writes itself.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP411 `direct-movie`.
pub(super) const RULE: Rule = Rule {
    code: "TP411",
    name: "direct-movie",
    severity: Severity::Warning,
    what: "An engine renders straight into a movie.",
    why: "If it stops halfway, all hours are lost: a movie dies as a whole, and a sequence keeps what it has.",
    breaks: r#"[project]
engine = "films"
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
        "if it stops halfway, everything that was rendered is lost",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    // One that is written in pieces is worse, and reported by another rule.
    let pieces = one.common.engine.takes.pieces(&one.common.frames.shot);
    if !movie.is_direct() || pieces > 1 {
        return None;
    }
    Some(MovieMistake {
        place: one.template.place.clone(),
        sentence: "the engine writes this movie itself".to_owned(),
        label: String::new(),
        advice: "render a sequence, and say movie.from = \"NAME\" in an output of its own"
            .to_owned(),
    })
}
