//! A single camera, view, pass or variant that the engine is not given.

use std::collections::HashSet;

use super::same_picture::{KINDS, PictureOf, by_shot_and_output, word};
use crate::command::PictureInputs;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::{KEYS, Key, PlacedText};
use crate::profile::{Each, Naming};
use crate::rules::{Rule, Subject};
use crate::source::{Level, Place};

/// TP524 `name-not-passed`.
pub(super) const RULE: Rule = Rule {
    code: "TP524",
    name: "name-not-passed",
    severity: Severity::Warning,
    what: "A camera, view, pass or variant has a name, and the engine is not given it.",
    why: "The picture would be whatever the scene has set, under this name.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
camera = "front"
path = "renders/{shot}_{camera}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
camera = "front"
path = "renders/{shot}_{camera}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", ["--camera", "{camera}"], "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Pass it to the engine by an argument, or say why it need not be given it: `same-picture`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let mut inputs = PictureOf::default();
    let mut known: HashSet<(&'static str, Place)> = HashSet::new();
    let mut found: Vec<(&'static str, PlacedText, &Deliverable, u64)> = Vec::new();
    for group in by_shot_and_output(subject) {
        let one = group[0];
        // What is assembled is made of pictures that are judged themselves.
        if one.is_assembled() || one.common.engine.is_absent {
            continue;
        }
        for kind in KINDS {
            let Some(name) = word(one, kind) else {
                continue;
            };
            let is_only = group
                .iter()
                .all(|other| PlacedText::text_of(word(other, kind)) == Some(name.text.as_str()));
            if !is_only || is_reported(subject, one, kind, name, inputs.of(&one.common.engine)) {
                continue;
            }
            let files = group
                .iter()
                .map(|one| one.common.frames.files.value.count())
                .sum();
            if known.insert((kind, name.place.clone())) {
                found.push((kind, name.clone(), one, files));
            } else if let Some(first) = found
                .iter_mut()
                .find(|(other, word, ..)| *other == kind && word.place == name.place)
            {
                first.3 += files;
            }
        }
    }
    found
        .into_iter()
        .map(|(kind, name, one, files)| {
            let engine = &one.common.engine;
            let advice = if engine.place.is_some() {
                format!("add a group such as [\"--{kind}\", \"{{{kind}}}\"] to `run`, with the flag that it has for this")
            } else {
                format!("add an argument with `{{{kind}}}` to the profile of {}", engine.name)
            };
            rule.finding(format!(
                "{} is not given the {kind} `{}`",
                engine.name, name.text
            ))
            .at(&name.place, "only names the files")
            .so(format!(
                "{} would show whatever the scene has set, under this name",
                count(files, "file", "files")
            ))
            .advise(advice)
            .advise("where the scene has it fixed, say so: same-picture = \"the scene has one camera\"")
        })
        .collect()
}

/// Whether the engine is given a name in one way or another.
fn is_reported(
    subject: &Subject<'_>,
    one: &Deliverable,
    kind: &str,
    name: &PlacedText,
    inputs: &PictureInputs,
) -> bool {
    let profile = &one.common.engine;
    let each = Each::of_token(kind);
    let names_files =
        matches!(&profile.naming, Naming::Template(output_name) if output_name.has(kind));
    let is_repeated = each.is_some() && profile.arguments.iter().any(|one| one.each == each);
    if inputs.can_see(kind) || is_repeated || names_files {
        return true;
    }
    // In so many words: in the command line, a setting or a variable.
    let is_written = |text: &str| {
        let mut words = text.split(|c: char| !c.is_alphanumeric() && c != '_' && c != '-');
        words.any(|word| word.trim_start_matches('-') == name.text) || text == name.text
    };
    let arguments = inputs.of_deliverable(one).unwrap_or_default();
    if arguments
        .iter()
        .any(|(what, text)| *what != "format" && is_written(text))
    {
        return true;
    }
    // The scene has no other.
    let facts = subject.scene_facts(one);
    let is_of_scene = match kind {
        "camera" => facts.is_some_and(|facts| {
            let only = facts
                .cameras
                .as_deref()
                .is_some_and(|all| all == [name.text.as_str()]);
            only || facts.camera.as_deref() == Some(name.text.as_str())
        }),
        "pass" => facts.is_some_and(|facts| {
            let passes = facts.passes.as_deref();
            passes.is_some_and(|all| all == [name.text.as_str()])
        }),
        "variant" => variant_reaches(subject, one, inputs),
        _ => false,
    };
    is_of_scene || subject.chain(one).setting(Key::SamePicture).is_some()
}

/// Whether something that a variant sets reaches the engine.
fn variant_reaches(subject: &Subject<'_>, one: &Deliverable, inputs: &PictureInputs) -> bool {
    let chain = subject.chain(one);
    let is_of_variant = |key: Key| {
        chain
            .history(key)
            .any(|setting| matches!(setting.value.level, Level::Variant | Level::ShotVariant))
    };
    KEYS.iter().any(|facts| {
        is_of_variant(facts.key)
            && match facts.key {
                Key::Scene | Key::Engine | Key::Run | Key::Env | Key::Frames | Key::Still => true,
                Key::Size | Key::Scale => inputs.can_see("width"),
                Key::Crop => inputs.can_see("crop.width"),
                Key::Fps => inputs.can_see("fps") || inputs.can_see("fps.fraction"),
                Key::Passes => inputs.can_see("pass"),
                Key::Views => inputs.can_see("view"),
                Key::Settings => {
                    let by_each = |one: &crate::profile::Argument| one.each == Some(Each::Settings);
                    one.common.engine.arguments.iter().any(by_each)
                        || inputs.can_see("settings")
                        || one
                            .settings
                            .iter()
                            .any(|(key, _)| inputs.can_see(&format!("settings.{key}")))
                }
                _ => inputs.can_see(facts.name),
            }
    })
}
