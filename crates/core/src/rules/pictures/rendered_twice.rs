//! The same picture in two outputs.

use std::collections::{HashMap, HashSet};

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::PlacedText;
use crate::rules::{Rule, Subject};

/// TP309 `rendered-twice`.
pub(super) const RULE: Rule = Rule {
    code: "TP309",
    name: "rendered-twice",
    severity: Severity::Note,
    what: "Two outputs ask for the same pass with the same settings and the same kind of file.",
    why: "It is rendered twice.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.copy]
path = "copies/{shot}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.small]
path = "small/{shot}.{frame:04}.png"
size = "64x64"
"#,
    fix: "Copy the files, or let the outputs differ.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    let Some(first) = all.first() else {
        return Vec::new();
    };
    // One shot is enough: outputs are the same for all.
    let shot: Vec<&Deliverable> = all
        .iter()
        .filter(|one| one.common.shot_index == first.common.shot_index && one.is_rendered())
        .collect();
    let mut reported: HashSet<(usize, usize)> = HashSet::new();
    let mut findings = Vec::new();
    // The first of those that ask for the same, one an output.
    let mut firsts: HashMap<String, Vec<&Deliverable>> = HashMap::new();
    for one in shot {
        let alike = firsts.entry(asked_for(one)).or_default();
        let shares = |other: &&&Deliverable| {
            let (own, others) = (
                &one.common.frames.files.value,
                &other.common.frames.files.value,
            );
            // What goes to one path is reported as a collision.
            own.count_shared(others) > 0 && one.pattern != other.pattern
        };
        let Some(other) = alike.iter().find(shares).copied() else {
            alike.push(one);
            continue;
        };
        let outputs = (other.common.output_index, one.common.output_index);
        if outputs.0 == outputs.1 || !reported.insert(outputs) {
            continue;
        }
        let frames = one
            .common
            .frames
            .files
            .value
            .count_shared(&other.common.frames.files.value);
        findings.push(
            rule.finding("two outputs ask for the same picture")
                .at(&one.template.place, one.label())
                .at(&other.template.place, other.label())
                .so(format!(
                    "{} would be rendered twice",
                    count(frames, "frame", "frames")
                ))
                .advise("copy the files, or let the outputs differ"),
        );
    }
    findings
}

/// Everything that makes a picture differ from another, except frames and names, as one text.
fn asked_for(one: &Deliverable) -> String {
    let common = &one.common;
    let word = |word: &Option<PlacedText>| PlacedText::text_of(word.as_ref()).map(str::to_owned);
    let words = [
        word(&common.names.camera),
        word(&common.names.variant),
        word(&common.names.view),
        word(&one.pass),
    ];
    let settings: Vec<(&String, &String)> = one
        .settings
        .iter()
        .map(|(name, word)| (name, &word.text))
        .collect();
    let requirements = one.picture.requirements();
    format!(
        "{words:?} {requirements:?} {settings:?} {:?} {:?}",
        common.engine.name, one.kind
    )
}
