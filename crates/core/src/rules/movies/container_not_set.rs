//! A movie of no known kind.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::movie::{CONTAINERS, ContainerFacts};
use crate::rules::{Rule, Subject, one_of};

/// TP401 `container-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP401",
    name: "container-not-set",
    severity: Severity::Error,
    what: "A movie names no container, and its path has no extension of one.",
    why: "The movie cannot be made.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}_review"
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
path = "renders/{shot}_review.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    fix: "Say it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject.unset(
        rule,
        Key::MovieContainer,
        "the kind of movie is not set",
        &format!(
            "say `movie.container`, or end the path in one of the extensions of movies: {}",
            one_of(CONTAINERS.iter().map(ContainerFacts::name))
        ),
    )
}
