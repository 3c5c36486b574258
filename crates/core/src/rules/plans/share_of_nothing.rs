//! A share of the work in which there is none.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP703 `share-of-nothing`.
pub(super) const RULE: Rule = Rule {
    code: "TP703",
    name: "share-of-nothing",
    severity: Severity::Warning,
    what: "The share of the work that was chosen holds no frame.",
    why: "This machine would have nothing to do: there are more parts than there is work.",
    breaks: r#"scene = "kiln.toml"
frames = "1-2"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
share = { part = "4/4" }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
share = { part = "4/4" }
"#,
    fix: "Share the work among fewer machines, or in smaller chunks.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let Some(share) = &subject.expansion.share else {
        return Vec::new();
    };
    let deliverables = &subject.expansion.deliverables;
    if deliverables.is_empty()
        || deliverables
            .iter()
            .any(|one| !one.common.frames.selected.is_empty())
    {
        return Vec::new();
    }
    let finding = rule
        .finding(format!(
            "part {} of {} is empty",
            share.part,
            share.weights.len()
        ))
        .at(&share.place, "")
        .so("this machine would have nothing to do");
    vec![finding.advise("share the work among fewer machines, or say a smaller `chunk`")]
}
