//! Files of the layers of others, in a format that this program takes no layers from.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::picture::FileFormat;
use crate::rules::{Rule, Subject};

/// TP316 `layers-of-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP316",
    name: "layers-of-format",
    severity: Severity::Error,
    what: "An output is made of the files of another one, and one of the two is not EXR.",
    why: "Layers are taken out of EXR files and put into EXR files; nothing would be made.",
    breaks: r#"[project]
engine = "understudy"
passes = ["beauty", "depth"]
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.png"
[output.together]
path = "renders/{shot}_all.{frame:04}.exr"
from = "frames"
layers = { all = ["beauty", "depth"] }
"#,
    keeps: r#"[project]
engine = "understudy"
passes = ["beauty", "depth"]
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.{frame:04}.exr"
[output.together]
path = "renders/{shot}_all.{frame:04}.exr"
from = "frames"
layers = { all = ["beauty", "depth"] }
"#,
    fix: "Give both outputs the format exr.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let other_format = |one: &Deliverable| {
        let format = one.picture.format;
        (format.format != Some(FileFormat::Exr)).then_some(format.name)
    };
    subject
        .once(|one| {
            let source = one.layer_sources.first()?;
            let format = other_format(&source.deliverable).or_else(|| other_format(one))?;
            Some((subject.place_of(one, Key::From)?, format))
        })
        .into_iter()
        .map(|(_, (place, format), files)| {
            rule.finding(format!("layers are of EXR files, and this one is {format}"))
                .at(&place, "")
                .so(format!(
                    "{} would not be made",
                    count(files, "file", "files")
                ))
                .advise("format = \"exr\" for both outputs")
        })
        .collect()
}
