//! Measures in a file that bends them.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::pass::is_data;
use crate::rules::{Rule, Subject};

/// TP307 `lossy-data`.
pub(super) const RULE: Rule = Rule {
    code: "TP307",
    name: "lossy-data",
    severity: Severity::Warning,
    what: "A pass of measures (depth, normals, ids) goes into 8 bits, or into a file that throws something away.",
    why: "A value between two others means something else, and the compositor cannot use it.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.png"
passes = ["beauty", "depth"]
bits = 8
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.exr"
passes = ["beauty", "depth"]
bits = "float"
"#,
    fix: "Write it as float, without loss: format = \"exr\", bits = \"float\".",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let pass = data_pass(one)?;
            Some((pass, bend(one)?, one.template.place.clone()))
        })
        .into_iter()
        .map(|(one, (pass, bend, _), files)| {
            let picture = &one.picture;
            let place = picture.bits.as_ref().map(|bits| &bits.place);
            let place = place
                .or(picture.format_place.as_ref())
                .unwrap_or(&one.template.place);
            rule.finding(format!("`{pass}` holds measures, and {bend}"))
                .at(place, "")
                .so(format!(
                    "{} could not be used as measures",
                    count(files, "file", "files")
                ))
                .advise(format!(
                    "[pass.{pass}] with format = \"exr\" and bits = \"float\""
                ))
        })
        .collect()
}

fn data_pass(one: &Deliverable) -> Option<String> {
    let mut passes = one.planes.iter().filter_map(|plane| plane.pass.as_ref());
    let found = passes.find(|word| is_data(&word.text));
    found
        .filter(|_| one.movie().is_none())
        .map(|word| word.text.clone())
}

/// What the file does to measures.
fn bend(one: &Deliverable) -> Option<&'static str> {
    let picture = &one.picture;
    let compression = picture.compression.as_ref().map(|one| one.value.as_str());
    if picture.format.is_lossy(compression) {
        Some("this file throws something away")
    } else if picture.has_eight_bits() {
        Some("8 bits distinguish 256 values")
    } else {
        None
    }
}
