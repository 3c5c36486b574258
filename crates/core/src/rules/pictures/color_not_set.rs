//! A movie of linear light without a transfer.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP313 `color-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP313",
    name: "color-not-set",
    severity: Severity::Warning,
    what: "A movie is assembled from a sequence of linear light, or of a format that usually holds it, and no transfer is set.",
    why: "It comes out far too dark, or too bright.",
    breaks: r#"[project]
engine = "understudy"
fps = 24
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.exr"
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
path = "renders/{shot}.{frame:04}.exr"
color = { pixels = "linear", transfer = "srgb" }
[output.review]
path = "renders/{shot}.mp4"
movie = { from = "frames", codec = "h264" }
"#,
    fix: "Say color.transfer, or color.pixels = \"display\".",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let movie = one.movie()?;
            let source = movie.source.as_ref()?;
            let linear = source.picture.is_light();
            let silent = linear && one.picture.color.transfer.is_none();
            silent.then(|| movie.from.as_ref().map(|from| from.place.clone()))
        })
        .into_iter()
        .filter_map(|(one, ..)| {
            let movie = one.movie()?;
            let format = movie.source.as_ref()?.picture.format.name;
            let what = match one.picture.color.pixels {
                Some(_) => "is linear light".to_owned(),
                None => format!("is {format}, which usually holds linear light"),
            };
            Some(
                rule.finding("how this light becomes a movie is not set")
                    .at(&movie.from.as_ref()?.place, format!("the sequence {what}"))
                    .so("the movie would be far too dark or too bright")
                    .advise("say color = { pixels = \"linear\", transfer = \"srgb\" } in the output of the sequence")
                    .advise("or color.pixels = \"display\", if it is ready to be shown"),
            )
        })
        .collect()
}
