//! Files of frames that the other output does not have.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP318 `layer-frames`.
pub(super) const RULE: Rule = Rule {
    code: "TP318",
    name: "layer-frames",
    severity: Severity::Error,
    what: "An output is made of the files of another one, which does not have all of its frames.",
    why: "What is to be taken from a file that nobody makes is never there.",
    breaks: r#"[project]
engine = "understudy"
passes = ["beauty", "depth"]
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{pass}.exr"
still = 5
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
    fix: "Give both outputs the same frames.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let frames = &one.common.frames.files.value;
            let lacking = one.layer_sources.iter().find_map(|source| {
                let there = &source.deliverable.common.frames.files.value;
                let lacking = frames.difference(there).ok()?;
                (!lacking.is_empty()).then_some(lacking)
            })?;
            Some((subject.place_of(one, Key::From)?, lacking.to_string()))
        })
        .into_iter()
        .map(|(one, (place, lacking), _)| {
            let from = &one.layer_sources[0].deliverable.common.names.output;
            rule.finding(format!("`{from}` does not have the frames {lacking}"))
                .at(&place, "")
                .so("these files would never be made")
                .advise("give both outputs the same frames")
        })
        .collect()
}
