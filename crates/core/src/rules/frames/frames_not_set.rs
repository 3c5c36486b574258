//! A shot without frames.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP202 `frames-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP202",
    name: "frames-not-set",
    severity: Severity::Error,
    what: "Nobody says which frames of a shot are wanted.",
    why: "It cannot be known when the sequence is complete.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    fix: "Set frames.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject.unset(
        rule,
        Key::Frames,
        "this shot does not say which frames are wanted",
        "set `frames`, such as `frames = \"1-96\"`",
    )
}
