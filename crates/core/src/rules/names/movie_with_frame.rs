//! A movie whose path has a frame.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP122 `movie-with-frame`.
pub(super) const RULE: Rule = Rule {
    code: "TP122",
    name: "movie-with-frame",
    severity: Severity::Error,
    what: "The path of a movie has a frame token.",
    why: "A movie is one file, and the number in its name would mean nothing.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.{frame:04}.mp4"
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
    fix: "Leave {frame} out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let framed = one.movie().is_some() && one.pattern.has_frame();
            framed.then(|| one.template.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            rule.finding("the path of a movie has a `{frame}`")
                .at(&one.template.place, "")
                .advise("leave it out; `{first}` and `{last}` give the frames of the shot")
        })
        .collect()
}
