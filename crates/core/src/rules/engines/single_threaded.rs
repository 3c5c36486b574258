//! An engine that uses one core.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP519 `single-threaded`.
pub(super) const RULE: Rule = Rule {
    code: "TP519",
    name: "single-threaded",
    severity: Severity::Note,
    what: "The engine uses one core unless it is given a number, and `threads` is not set.",
    why: "The other cores have nothing to do.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "slow"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "slow"
threads = 4
"#,
    fix: "Say threads.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let Some(cores) = subject.answers.machine.cores.filter(|cores| *cores > 1) else {
        return Vec::new();
    };
    subject
        .once(|one| {
            let common = &one.common;
            let lazy = common.engine.single_threaded && common.processes.threads.is_none();
            (lazy && !one.is_assembled()).then(|| common.engine.name.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let engine = &one.common.engine.name;
            let place = subject
                .place_of(one, Key::Engine)
                .unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!(
                "{engine} uses one core unless it is given a number"
            ))
            .at(&place, "")
            .so(format!(
                "{} of {cores} cores would have nothing to do",
                cores - 1
            ))
            .advise(format!("say threads = {cores}"))
        })
        .collect()
}
