//! More threads than this machine has cores, over all processes at once.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::{Jobs, Key};
use crate::rules::{Rule, Subject};

/// TP702 `beyond-the-cores`.
pub(super) const RULE: Rule = Rule {
    code: "TP702",
    name: "beyond-the-cores",
    severity: Severity::Warning,
    what: "The processes that run at once are set to use more threads than there are cores.",
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
    fix: "Use as many threads as there are cores, or fewer processes at once.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let Some(cores) = subject.answers.machine.cores else {
        return Vec::new();
    };
    // As many as keep the cores busy are never too many.
    let jobs = match subject.job.jobs() {
        Some(Jobs::Fixed(jobs)) => jobs,
        Some(Jobs::Auto) | None => 1,
    };
    let beyond = |one: &Deliverable| {
        let threads = u64::try_from(one.common.processes.threads?).ok()?;
        let all = threads.saturating_mul(jobs);
        (all > cores).then_some(all)
    };
    subject
        .once(|one| Some((subject.place_of(one, Key::Threads)?, beyond(one)?)))
        .into_iter()
        .map(|(_, (place, beyond), _)| {
            rule.finding(format!(
                "{} are more than this machine has cores",
                count(beyond, "thread", "threads")
            ))
            .at(&place, format!("it has {cores}"))
            .so("they would wait for each other")
            .advise(match jobs {
                1 => format!("say threads = {cores}, or leave it to the engine"),
                jobs => format!(
                    "say threads = {} for {jobs} processes at once, or leave it out",
                    (cores / jobs).max(1)
                ),
            })
        })
        .collect()
}
