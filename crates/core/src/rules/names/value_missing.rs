//! A token without a value, or with one that no path can hold.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};
use crate::template::ExpandError;

/// TP110 `value-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP110",
    name: "value-missing",
    severity: Severity::Error,
    what: "A token outside an optional part has no value, or one that a file name cannot hold.",
    why: "No path can be made.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_{camera}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}{?_{camera}}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Set the value, or put the token into an optional part.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::Token { error, .. } => Some((problem, error)),
            _ => None,
        })
        .filter_map(|(problem, error)| {
            let finding = rule.finding(error.to_string()).at(&problem.place, "");
            match error {
                ExpandError::Unknown { .. } => None,
                ExpandError::NoValue { name, .. } if name == "ext" => {
                    Some(finding.advise("set `format`, such as `format = \"exr\"`"))
                }
                ExpandError::NoValue { name, .. } => Some(finding.advise(format!(
                    "set it, or let it drop where it has none: `{{?_{{{name}}}}}`"
                ))),
                ExpandError::Refused { .. } => Some(finding),
            }
        })
        .collect()
}
