//! Pixels that the codec cannot store.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::movie::CODECS;
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject, one_of};

/// TP406 `pixels-of-codec`.
pub(super) const RULE: Rule = Rule {
    code: "TP406",
    name: "pixels-of-codec",
    severity: Severity::Error,
    what: "The codec has no such sampling, bits or alpha.",
    why: "The movie would come out with other pixels, or not at all.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264", pixels = "4:4:4:4 10" }
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
movie = { from = "frames", codec = "h264", pixels = "4:2:0 8" }
"#,
    fix: "Use pixels that the codec stores, or another codec.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "the movie would have other pixels, or lose its alpha",
        mistake,
    )
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let (codec, pixels) = (movie.codec.as_ref()?, movie.pixels.as_ref()?);
    if codec.value.pixel_formats.contains(&pixels.value.name) {
        return None;
    }
    let able = CODECS
        .iter()
        .filter(|one| one.pixel_formats.contains(&pixels.value.name));
    Some(MovieMistake {
        place: pixels.place.clone(),
        sentence: format!("{} cannot store {}", codec.value.name, pixels.value.name),
        label: format!("it stores {}", one_of(codec.value.pixel_formats)),
        advice: format!("{} can", one_of(able.map(|one| one.name))),
    })
}
