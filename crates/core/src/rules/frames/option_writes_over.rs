//! A key of the command line that makes other pictures under the same names.

use crate::deliverable::{Deliverable, Selection, expand};
use crate::finding::{Finding, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// What a key of the command line would write over; part of TP203.
pub(super) fn of_command_line(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let job = subject.job;
    let set: Vec<_> = [
        Key::Scale,
        Key::Size,
        Key::Crop,
        Key::Quality,
        Key::Settings,
    ]
    .into_iter()
    .filter_map(|key| Some((key, job.command_line.get(key)?)))
    .collect();
    let (Some((key, setting)), Some(first)) = (set.first(), subject.expansion.deliverables.first())
    else {
        return Vec::new();
    };
    // One shot is enough: what parts the paths is in the template.
    let selection = Selection {
        shots: vec![first.common.names.shot.clone()],
        ..Selection::default()
    };
    let usual = expand(&job.without_command_line(), subject.around, &selection);
    let is_other = |one: &&Deliverable| {
        let mut all = usual.deliverables.iter();
        all.any(|other| {
            let settings = |one: &Deliverable| -> Vec<String> {
                let settings = one.settings.iter();
                settings
                    .map(|(name, word)| format!("{name} {}", word.text))
                    .collect()
            };
            let differs = other.picture.requirements() != one.picture.requirements()
                || settings(other) != settings(one);
            other.pattern == one.pattern && differs
        })
    };
    let Some(one) = subject.expansion.deliverables.iter().find(is_other) else {
        return Vec::new();
    };
    let files: u64 = subject
        .expansion
        .deliverables
        .iter()
        .map(|one| one.common.frames.selected.count())
        .sum();
    let name = key.facts().name;
    vec![
        rule.finding(format!(
            "`{name}` of the command line makes other pictures under the same names"
        ))
        .at(&setting.value.place, "the path stays the same")
        .so(format!(
            "{} would stand under the names of the final ones, such as {}",
            count(files, "file", "files"),
            one.path(one.common.frames.files.value.first().unwrap_or(0))
        ))
        .advise(
            "use --trial, which writes to a folder of its own, or set the path too: --set path=…",
        ),
    ]
}
