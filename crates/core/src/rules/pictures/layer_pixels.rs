//! Other pixels for files whose pixels are taken from others.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP317 `layer-pixels`.
pub(super) const RULE: Rule = Rule {
    code: "TP317",
    name: "layer-pixels",
    severity: Severity::Error,
    what: "An output is made of the files of another one, and asks for another size, another part or another engine.",
    why: "Its pixels stay as they are in those files: what is set here would have no effect.",
    breaks: r#"[project]
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
size = "64x64"
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
    fix: "Set it for the output whose files these are made of.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let outputs = subject.job.outputs.iter();
    let assembled = outputs.filter(|output| output.table.get(Key::From).is_some());
    assembled
        .flat_map(|output| {
            let set = KEYS
                .iter()
                .filter_map(|key| Some((key, output.table.get(*key)?)));
            set.map(|(key, setting)| {
                rule.finding(format!(
                    "`{}` has no effect on files that are made of others",
                    key.facts().name
                ))
                .at(&setting.value.place, "")
                .so("their pixels stay as they are")
                .advise("set it for the output that is rendered")
            })
        })
        .collect()
}

/// Keys that say how something is rendered.
const KEYS: [Key; 9] = [
    Key::Size,
    Key::Scale,
    Key::Crop,
    Key::PixelAspect,
    Key::Engine,
    Key::Run,
    Key::Settings,
    Key::StopAtSamples,
    Key::StopAtTime,
];
