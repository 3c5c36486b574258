//! A setting that cannot be passed to the engine.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};
use crate::source::Place;

/// TP509 `not-passed-to-engine`.
pub(super) const RULE: Rule = Rule {
    code: "TP509",
    name: "not-passed-to-engine",
    severity: Severity::Error,
    what: "A key is set that the engine has no argument for.",
    why: "The engine would render as if it were not set.",
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
                    let place = set_at(one, key)?;
                    let silent = one.is_rendered()
                        && !one.common.engine.mentions(token)
                        && !can_be_ended(one, key);
                    silent.then_some((place, one.common.engine.name.clone()))
                })
                .into_iter()
                .map(move |(_, (place, engine), files)| {
                    rule.finding(format!("{engine} is not given `{}`", key.facts().name))
                        .at(&place, "")
                        .so(format!(
                            "{} would be rendered as if it were not set",
                            count(files, "file", "files")
                        ))
                        .advise(format!(
                            "no argument of its command line has `{{{token}}}`{}",
                            or_log(key)
                        ))
                })
        })
        .collect()
}

/// Whether a run can end the engine at the limit that a key sets.
fn can_be_ended(one: &Deliverable, key: Key) -> bool {
    let engine = &one.common.engine;
    match key {
        Key::StopAtSamples => engine.can_be_stopped(true),
        Key::StopAtTime => engine.can_be_stopped(false),
        _ => false,
    }
}

/// What would do in place of an argument.
fn or_log(key: Key) -> &'static str {
    match key {
        Key::StopAtSamples => {
            ", and its log does not say when it saves a picture and with how many samples (`saved`, `progress`)"
        }
        Key::StopAtTime => ", and its log does not say when it saves a picture (`saved`)",
        _ => "",
    }
}

/// Keys that only an engine can act on, with the token that passes them.
const KEYS: [(Key, &str); 5] = [
    (Key::Crop, "crop.width"),
    (Key::PixelAspect, "pixel-aspect"),
    (Key::Quality, "quality"),
    (Key::StopAtSamples, "stop-samples"),
    (Key::StopAtTime, "stop-seconds"),
];

/// Where such a key is set.
fn set_at(one: &Deliverable, key: Key) -> Option<Place> {
    let picture = &one.picture;
    match key {
        Key::Crop => picture.crop.as_ref().map(|crop| crop.place.clone()),
        Key::StopAtSamples => picture.stop_samples.as_ref().map(|one| one.place.clone()),
        Key::StopAtTime => picture.stop_time.as_ref().map(|one| one.place.clone()),
        Key::PixelAspect => picture.pixel_aspect.as_ref().map(|one| one.place.clone()),
        _ => picture
            .quality
            .as_ref()
            .map(|quality| quality.place.clone()),
    }
}
