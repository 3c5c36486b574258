//! Nobody says what renders.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP502 `engine-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP502",
    name: "engine-not-set",
    severity: Severity::Error,
    what: "No engine is set.",
    why: "Nothing can be started.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Set engine, or run.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject.unset(
        rule,
        Key::Engine,
        "nothing says what renders this",
        "set `engine`, or `run = [\"program\", \"arguments\"]` for a renderer without a profile",
    )
}
