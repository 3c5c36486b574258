//! Several pictures in a file, by an engine that writes one.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::helpers::several_of;
use crate::rules::{Rule, Subject};

/// TP508 `layers-engine-cannot-write`.
pub(super) const RULE: Rule = Rule {
    code: "TP508",
    name: "layers-engine-cannot-write",
    severity: Severity::Error,
    what: "Several passes or views go into one file, and the engine writes a file for each.",
    why: "The file would hold one of them, or the engine would stop.",
    breaks: r#"[project]
engine = "povray"
[shot.dawn]
scene = "dawn.pov"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.exr"
passes = ["beauty", "depth"]
layers = { all = ["beauty", "depth"] }
"#,
    keeps: r#"[project]
engine = "povray"
[shot.dawn]
scene = "dawn.pov"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.exr"
passes = ["beauty", "depth"]
"#,
    fix: "Let each have a file of its own.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let missing = |one: &Deliverable| {
        // What the format cannot hold is reported by another rule.
        let several = one.several();
        let held = several
            .iter()
            .all(|holds| one.picture.format.holds.contains(holds));
        let engine = &one.common.engine;
        let missing = several
            .into_iter()
            .find(|holds| !engine.holds.contains(holds));
        missing.filter(|_| held)
    };
    subject
        .once(|one| Some((missing(one)?, one.common.engine.name.clone())))
        .into_iter()
        .map(|(one, (missing, engine), files)| {
            let (word, key) = several_of(missing);
            let place = subject
                .place_of(one, key)
                .unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!("{engine} writes one file for each of the {word}"))
                .at(&place, "")
                .so(format!(
                    "{} would hold one of them at most",
                    count(files, "file", "files")
                ))
                .advise("let each have a file of its own")
        })
        .collect()
}
