//! A variant, view or preset that no table declares.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP112 `undeclared`.
pub(super) const RULE: Rule = Rule {
    code: "TP112",
    name: "undeclared",
    severity: Severity::Error,
    what: "A variant, view or preset is listed that no table declares.",
    why: "It would be made without any of the overrides that it was meant to have.",
    breaks: r#"[project]
engine = "understudy"
variants = ["day", "night", "dusk"]
[variant.day]
settings = { exposure = 1 }
[variant.night]
settings = { exposure = -2 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{variant}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
variants = ["day", "night"]
[variant.day]
settings = { exposure = 1 }
[variant.night]
settings = { exposure = -2 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{variant}.{frame:04}.png"
"#,
    fix: "Fix the name, or declare it in a table.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::Undeclared {
                kind,
                name,
                advice,
                near,
            } => Some((problem, kind, name, advice, near)),
            _ => None,
        })
        .map(|(problem, kind, name, advice, near)| {
            let finding = rule
                .finding(format!("the job has no {kind} `{name}`"))
                .at(&problem.place, "")
                .advise(advice);
            match near {
                Some(near) => finding.fix(&problem.place, near),
                None => finding,
            }
        })
        .collect()
}
