//! A token that does not exist.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::nearest::{advice, nearest};
use crate::rules::{Rule, Subject};
use crate::template::ExpandError;

/// TP109 `unknown-token`.
pub(super) const RULE: Rule = Rule {
    code: "TP109",
    name: "unknown-token",
    severity: Severity::Error,
    what: "A template has a token that does not exist.",
    why: "No path can be made.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shto}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Use a token that exists, or define it under [token].",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .problems()
        .filter_map(|problem| match &problem.kind {
            ProblemKind::Token {
                error: ExpandError::Unknown { name, .. },
                known,
            } => Some((problem, name, known)),
            _ => None,
        })
        .map(|(problem, name, known)| {
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            let mut finding = rule
                .finding(format!("there is no token `{{{name}}}`"))
                .at(&problem.place, "");
            if let Some(near) = nearest(name, known.iter().copied()) {
                let written = subject.text(&problem.place);
                finding = finding.fix(&problem.place, written.replacen(name.as_str(), near, 1));
            }
            let is_capital = |sign: char| sign.is_ascii_uppercase() || "_0123456789".contains(sign);
            if name.starts_with("env.") || name.chars().all(is_capital) {
                let name = name.trim_start_matches("env.");
                return finding.advise(format!(
                    "a variable of the environment names a place: [place] root = \"{{env.{name}}}\", and the path begins with {{place.root}}"
                ));
            }
            finding
                .advise(advice(name, &known))
                .advise("define your own tokens under [token]")
        })
        .collect()
}
