//! Several pictures in a file of a format that holds one.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::picture::{FORMATS, Holds};
use crate::rules::helpers::several_of;
use crate::rules::{Rule, Subject, one_of};

/// TP306 `layers-in-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP306",
    name: "layers-in-format",
    severity: Severity::Error,
    what: "Several passes or views go into one file, and the format holds a single picture.",
    why: "All but one would be lost.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.png"
passes = ["beauty", "depth"]
layers = { all = ["beauty", "depth"] }
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.exr"
passes = ["beauty", "depth"]
layers = { all = ["beauty", "depth"] }
"#,
    fix: "Use a format that holds layers, or a file for each.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let missing = missing(one)?;
            Some((missing, one.template.place.clone()))
        })
        .into_iter()
        .map(|(one, (missing, _), files)| {
            let (word, key) = several_of(missing);
            let format = one.picture.format;
            let place = subject
                .place_of(one, key)
                .unwrap_or_else(|| one.template.place.clone());
            let able = FORMATS
                .iter()
                .filter(|facts| facts.holds.len() > 1)
                .map(|facts| facts.name);
            rule.finding(format!("a {} file holds a single picture", format.name))
                .at(&place, format!("{} {word} in one file", one.planes.len()))
                .so(format!(
                    "all but one would be lost in {}",
                    count(files, "file", "files")
                ))
                .advise(format!("{} holds several", one_of(able)))
        })
        .collect()
}

/// What the file should hold several of and its format cannot.
fn missing(one: &Deliverable) -> Option<Holds> {
    one.several()
        .into_iter()
        .find(|holds| !one.picture.format.holds.contains(holds))
}
