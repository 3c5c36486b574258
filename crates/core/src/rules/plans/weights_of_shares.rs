//! Weights that do not fit the number of parts.

use crate::finding::{Finding, Severity, count};
use crate::job::{Key, Value};
use crate::rules::{Rule, Subject};

/// TP704 `weights-of-shares`.
pub(super) const RULE: Rule = Rule {
    code: "TP704",
    name: "weights-of-shares",
    severity: Severity::Error,
    what: "There are more or fewer weights than parts that the work is shared into.",
    why: "Machines that think differently of the shares would render frames twice, or not at all.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
share = { part = "2/4", weights = "8,16" }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
share = { part = "2/4", weights = "8,8,16,4" }
"#,
    fix: "Say one weight for each part, in the order of the parts.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let job = subject.job;
    let (Some(weights), Some(share)) = (job.setting(Key::ShareWeights), &subject.expansion.share)
    else {
        return Vec::new();
    };
    let Value::Weights(given) = &weights.value.value else {
        return Vec::new();
    };
    if given.len() == share.weights.len() {
        return Vec::new();
    }
    let finding = rule
        .finding(format!(
            "{} for {}",
            count(given.len() as u64, "weight", "weights"),
            count(share.weights.len() as u64, "part", "parts")
        ))
        .at(&weights.value.place, "")
        .so("machines could disagree on which frames are whose");
    vec![finding.advise("say one weight for each part, in the order of the parts")]
}
