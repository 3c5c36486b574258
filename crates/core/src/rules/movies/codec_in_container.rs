//! A codec that the container cannot hold.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::movie::{CONTAINERS, ContainerFacts};
use crate::rules::movies::{MovieMistake, report};
use crate::rules::{Rule, Subject, one_of};

/// TP404 `codec-in-container`.
pub(super) const RULE: Rule = Rule {
    code: "TP404",
    name: "codec-in-container",
    severity: Severity::Error,
    what: "The container has no place for the codec.",
    why: "The movie could not be written, or no player would open it.",
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
movie = { from = "frames", codec = "prores" }
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
path = "renders/{shot}.mov"
movie = { from = "frames", codec = "prores" }
"#,
    fix: "Use another container or another codec.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(rule, subject, "no player would open the movie", mistake)
}

fn mistake(one: &Deliverable) -> Option<MovieMistake> {
    let movie = one.movie()?;
    let codec = movie.codec.as_ref()?;
    let held = movie.container.codecs;
    if held.contains(&codec.value.name) {
        return None;
    }
    let able = CONTAINERS
        .iter()
        .filter(|one| one.codecs.contains(&codec.value.name));
    Some(MovieMistake {
        place: codec.place.clone(),
        sentence: format!(
            "{} cannot hold {}",
            movie.container.name(),
            codec.value.name
        ),
        label: format!("{} holds {}", movie.container.name(), held.join(", ")),
        advice: format!(
            "{} can be held by {}",
            codec.value.name,
            one_of(able.map(ContainerFacts::name))
        ),
    })
}
