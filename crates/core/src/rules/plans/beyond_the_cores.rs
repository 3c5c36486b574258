//! More threads than this machine has cores.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP702 `beyond-the-cores`.
pub(super) const RULE: Rule = Rule {
    code: "TP702",
    name: "beyond-the-cores",
    weight: Weight::Warning,
    what: "A process of the engine is told to use more threads than there are cores.",
    why: "They wait for each other, and everything takes longer.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
threads = 64
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
threads = 4
"#,
    mend: "Use as many threads as there are cores.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let Some(cores) = subject.answers.machine.cores else {
        return Vec::new();
    };
    let beyond = |one: &Deliverable| {
        let threads = u64::try_from(one.common.threads?).ok()?;
        (threads > cores).then_some(threads)
    };
    subject
        .once(|one| {
            beyond(one)?;
            subject.place_of(one, Key::Threads)
        })
        .into_iter()
        .filter_map(|(one, _)| {
            Some(
                rule.finding(format!(
                    "{} are more than this machine has cores",
                    count(beyond(one)?, "thread", "threads")
                ))
                .at(
                    &subject.place_of(one, Key::Threads)?,
                    format!("it has {cores}"),
                )
                .so("they would wait for each other")
                .advise(format!("say threads = {cores}, or leave it to the engine")),
            )
        })
        .collect()
}
