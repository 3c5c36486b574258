//! A movie of frames with gaps.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP412 `gaps-in-movie`.
pub(super) const RULE: Rule = Rule {
    code: "TP412",
    name: "gaps-in-movie",
    severity: Severity::Warning,
    what: "The sequence of a movie has a step or gaps.",
    why: "It plays too fast, and jumps.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-45/4"
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
    fix: "Render all frames, or let the movie run slower.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "it would play too fast, and its sound would run on",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let clip = &one.common.frames.shot;
    if clip.gapless(u64::MAX).len() < 2 {
        return None;
    }
    let from = movie.from.as_ref()?;
    let (first, last) = (clip.first()?, clip.last()?);
    Some(MovieMistake {
        place: from.place.clone(),
        sentence: "this movie has gaps".to_owned(),
        label: format!(
            "{} of {}",
            count(clip.count(), "frame", "frames"),
            count(last.abs_diff(first) + 1, "frame", "frames")
        ),
        advice: "render all frames, or leave the movie out until they are there".to_owned(),
    })
}
