//! A preset that writes where another writes.

use crate::deliverable::{Deliverable, Selection, expand};
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP203 `preset-writes-over`.
pub(super) const RULE: Rule = Rule {
    code: "TP203",
    name: "preset-writes-over",
    severity: Severity::Warning,
    what: "A preset other than the project's own expands to the same paths.",
    why: "Its pictures would stand among the others, and nobody could distinguish them.",
    breaks: r#"[project]
engine = "understudy"
preset = "final"
[preset.final]
settings = { samples = 256 }
[preset.draft]
settings = { samples = 4 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
preset = "final"
[preset.final]
settings = { samples = 256 }
[preset.draft]
subfolder = "draft"
settings = { samples = 4 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    fix: "Give the preset a folder of its own with `subfolder`, or put {preset} into the path.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let job = subject.job;
    let Some(first) = subject.expansion.deliverables.first() else {
        return Vec::new();
    };
    // One shot is enough: what parts the paths of presets is in the template or in the preset.
    let selection = Selection {
        shots: vec![first.common.names.shot.clone()],
        ..Selection::default()
    };
    let usual = job.preset();
    let usual = usual.as_deref();
    let of_usual = match usual {
        Some(name) => expand(&job.with_preset(name), subject.around, &selection),
        None => expand(&job.without_command_line(), subject.around, &selection),
    };
    let of_presets = job
        .presets
        .iter()
        .filter(|preset| Some(preset.name.as_str()) != usual)
        .filter_map(|preset| {
            let other = expand(&job.with_preset(&preset.name), subject.around, &selection);
            let (one, twin) = of_usual.deliverables.iter().find_map(|one| {
                let twin = other
                    .deliverables
                    .iter()
                    .find(|twin| twin.pattern == one.pattern)?;
                differs(one, twin).then_some((one, twin))
            })?;
            let chosen = first.common.names.preset.as_ref();
            let is_chosen = chosen.is_some_and(|chosen| chosen.value == preset.name);
            let severity = if is_chosen {
                Severity::Error
            } else {
                rule.severity
            };
            let frames = one
                .common
                .frames
                .files
                .value
                .count_shared(&twin.common.frames.selected);
            let name = usual.map_or("the job without a preset".to_owned(), |name| {
                format!("`{name}`")
            });
            Some(
                Finding::new(
                    rule.code,
                    severity,
                    format!("the preset `{}` writes where {name} writes", preset.name),
                )
                .at(&preset.name_place, "")
                .at(&one.template.place, "the same path")
                .so(format!(
                    "{} of {} alone would stand among the others, such as {}",
                    count(frames, "frame", "frames"),
                    one.label(),
                    one.path(one.common.frames.files.value.first()?)
                ))
                .advise(format!(
                    "give it a folder of its own: subfolder = \"{}\"",
                    preset.name
                ))
                .advise("or put `{preset}` into the path"),
            )
        });
    let of_command_line = super::option_writes_over::of_command_line(rule, subject);
    of_presets.chain(of_command_line).collect()
}

/// Whether two presets make other pictures.
fn differs(one: &Deliverable, other: &Deliverable) -> bool {
    let settings = |one: &Deliverable| -> Vec<(String, String)> {
        one.settings
            .iter()
            .map(|(name, word)| (name.clone(), word.text.clone()))
            .collect()
    };
    one.picture.requirements() != other.picture.requirements() || settings(one) != settings(other)
}
