//! A wish that the engine cannot be told.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};
use crate::source::Place;

/// TP509 `not-told-to-engine`.
pub(super) const RULE: Rule = Rule {
    code: "TP509",
    name: "not-told-to-engine",
    weight: Weight::Error,
    what: "A key is set that the engine has no argument for.",
    why: "The engine would render as if nobody had said it.",
    breaks: r#"scene = "kiln.pov"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "povray"
size = "hd"
crop = "640x360 at 0,0"
"#,
    keeps: r#"scene = "kiln.pov"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "povray"
size = "hd"
"#,
    fix: "Leave the key out, or give the engine a profile with an argument for it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    KEYS.iter()
        .flat_map(|&(key, token)| {
            subject
                .once(move |one| {
                    let place = said(one, key)?;
                    let silent = one.movie().is_none() && !one.common.engine.mentions(token);
                    silent.then_some((place, one.common.engine.name.clone()))
                })
                .into_iter()
                .filter_map(move |(one, files)| {
                    let engine = &one.common.engine.name;
                    Some(
                        rule.finding(format!("{engine} is not told `{}`", key.facts().name))
                            .at(&said(one, key)?, "")
                            .so(format!(
                                "{} would be rendered as if nobody had said it",
                                count(files, "file", "files")
                            ))
                            .advise(format!("no argument of its command line has `{{{token}}}`")),
                    )
                })
        })
        .collect()
}

/// Keys that only an engine can heed, with a token that tells it.
const KEYS: [(Key, &str); 3] = [
    (Key::Crop, "crop.width"),
    (Key::PixelAspect, "pixel-aspect"),
    (Key::Quality, "quality"),
];

/// Where such a key is said.
fn said(one: &Deliverable, key: Key) -> Option<Place> {
    let picture = &one.picture;
    match key {
        Key::Crop => picture.crop.as_ref().map(|crop| crop.place.clone()),
        Key::PixelAspect => picture.pixel_aspect.as_ref().map(|one| one.place.clone()),
        _ => picture
            .quality
            .as_ref()
            .map(|quality| quality.place.clone()),
    }
}
