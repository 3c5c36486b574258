//! An output without a path.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP111 `path-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP111",
    name: "path-not-set",
    severity: Severity::Error,
    what: "An output has no path.",
    why: "Nobody knows where its files go.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
format = "png"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
format = "png"
path = "renders/{shot}.{frame:04}.{ext}"
"#,
    fix: "Set path.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject.unset(
        rule,
        Key::Path,
        "this output does not say where its files go",
        "set `path`, such as `path = \"renders/{shot}.{frame:04}.png\"`",
    )
}
