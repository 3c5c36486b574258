//! A movie of a sequence with several passes.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP403 `pass-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP403",
    name: "pass-not-set",
    severity: Severity::Error,
    what: "A movie does not say which pass it shows.",
    why: "The movie cannot be made.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.png"
passes = ["beauty", "depth"]
[output.review]
path = "renders/{shot}_review.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.png"
passes = ["beauty", "depth"]
[output.review]
path = "renders/{shot}_review.mp4"
movie = { from = "frames", codec = "h264", pass = "beauty" }
"#,
    fix: "Say it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject.unset(
        rule,
        Key::MoviePass,
        "the sequence has several passes, and which one the movie shows is not set",
        "say `movie.pass`, such as `movie.pass = \"beauty\"`",
    )
}
