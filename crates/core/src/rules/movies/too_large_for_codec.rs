//! A picture beyond the levels of the codec.

use crate::deliverable::Deliverable;
use crate::finding::grouped;
use crate::finding::{Finding, Severity};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject};

/// TP407 `too-large-for-codec`.
pub(super) const RULE: Rule = Rule {
    code: "TP407",
    name: "too-large-for-codec",
    severity: Severity::Error,
    what: "The picture has more pixels than the highest level of the codec.",
    why: "Most players would not show the movie.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
size = "20000x20000"
[shot.dawn]
scene = "dawn.toml"
frames = "1-4"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    keeps: r#"[project]
engine = "understudy"
fps = 24
size = "4096x4096"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    fix: "Use a smaller size, or another codec.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "most players would not show the movie",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let codec = movie.codec.as_ref()?.value;
    let size = one.picture.size.as_ref()?;
    let pixels = u64::from(size.value.width) * u64::from(size.value.height);
    let side = size.value.width.max(size.value.height);
    if pixels <= codec.most_pixels && side <= codec.longest_side {
        return None;
    }
    Some(MovieMistake {
        place: size.place.clone(),
        sentence: format!("{} is beyond the levels of {}", size.value, codec.name),
        label: format!(
            "at most {} pixels, {} a side",
            grouped(codec.most_pixels),
            codec.longest_side
        ),
        advice: "render a smaller sequence for the movie, or use another codec".to_owned(),
    })
}
