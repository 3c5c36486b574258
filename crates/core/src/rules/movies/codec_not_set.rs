//! A movie without a codec.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::movie::CODECS;
use crate::rules::{Rule, Subject, one_of};

/// TP402 `codec-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP402",
    name: "codec-not-set",
    severity: Severity::Error,
    what: "A movie does not say how its pictures are coded.",
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
path = "renders/{shot}_review.mp4"
movie = { from = "frames" }
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
        Key::MovieCodec,
        "the movie does not say how its pictures are coded",
        &format!(
            "say `movie.codec`: {}",
            one_of(CODECS.iter().map(|facts| facts.name))
        ),
    )
}
