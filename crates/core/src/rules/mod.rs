//! The rules: what can be known to be wrong before anything runs. One rule a file, in the folder of
//! what it is about.

mod engines;
mod finished;
mod frames;
mod helpers;
mod movies;
mod names;
mod pictures;
mod places;
mod plans;
mod rule;
mod subject;

pub use rule::Rule;
pub use subject::Subject;

use helpers::one_of;

use crate::deliverable::{MOST_DELIVERABLES, ProblemKind};
use crate::executor;
use crate::finding::{Finding, grouped};
use crate::job::{Job, Key, PlacedText, StopOn};
use crate::nearest::advice;

/// Every rule, in the order of the codes.
pub fn rules() -> impl Iterator<Item = &'static Rule> {
    [
        names::RULES,
        frames::RULES,
        pictures::RULES,
        movies::RULES,
        engines::RULES,
        places::RULES,
        plans::RULES,
        finished::RULES,
    ]
    .into_iter()
    .flatten()
    .copied()
}

/// That a job asks for more than it may have.
fn too_many(subject: &Subject<'_>) -> Option<Finding> {
    let mut problems = subject.problems();
    let problem = problems.find(|problem| problem.kind == ProblemKind::TooMany)?;
    let most = grouped(MOST_DELIVERABLES as u64);
    Some(
        Finding::error("TP009", format!("the job has more than {most} deliverables"))
            .at(&problem.place, "")
            .advise("split the job into several files, or shorten its lists of cameras, passes, views and variants"),
    )
}

/// The codes of `[check]` that no rule has: a mistake of the job file, known only where rules are.
pub fn unknown_codes(job: &Job) -> impl Iterator<Item = Finding> + '_ {
    let severities = job.check.severities.iter().map(|(code, _)| code);
    let exempt = job.check.exempt.iter().map(|exemption| &exemption.code);
    let known = |code: &&PlacedText| rules().any(|rule| rule.code == code.text);
    severities
        .chain(exempt)
        .filter(move |code| !known(code))
        .map(|code| {
            let first: Vec<&str> = rules().map(|rule| rule.code).take(1).collect();
            Finding::error("TP002", format!("there is no rule `{}`", code.text))
                .at(&code.place, "")
                .advise(match rules().find(|rule| rule.name == code.text) {
                    Some(rule) => format!("its code is {}", rule.code),
                    None => advice(&code.text, &first),
                })
                .advise("`truepath rules` lists them all")
        })
}

/// The first finding that a run stops at, as the job says.
#[must_use]
pub fn stops<'f>(job: &Job, findings: &'f [Finding]) -> Option<&'f Finding> {
    let words = job.get::<Vec<PlacedText>>(Key::StopOn)?;
    let words: Vec<StopOn> = words
        .iter()
        .filter_map(|word| StopOn::of_name(&word.text))
        .collect();
    let is_it = |finding: &&Finding| words.iter().any(|word| finished::stops(*word, finding));
    findings.iter().find(is_it)
}

/// How much of a sequence is there when its pictures are judged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FinishedScope {
    /// All that will come.
    All,
    /// More pictures may come: only what needs no neighbours is judged.
    SoFar,
}

/// What the rules of finished pictures have to say, errors first, then in the order of the rules.
#[must_use]
pub fn judge_finished(subject: &Subject<'_>, scope: FinishedScope) -> Vec<Finding> {
    match scope {
        FinishedScope::All => judged(finished::RULES, subject),
        FinishedScope::SoFar => judged(finished::WITHOUT_NEIGHBOURS, subject),
    }
}

/// What all rules have to say, errors first, then in the order of the rules.
#[must_use]
pub fn check(subject: &Subject<'_>) -> Vec<Finding> {
    // Of more than a job may have nothing is looked through.
    if let Some(finding) = too_many(subject) {
        return vec![finding];
    }
    let rules: Vec<&'static Rule> = rules().collect();
    judged(&rules, subject)
}

fn judged(rules: &[&'static Rule], subject: &Subject<'_>) -> Vec<Finding> {
    let ask = |rule: &'static Rule| (rule.check)(rule, subject);
    let found = executor::map(subject.executor(), rules.len(), |rule| ask(rules[rule]));
    let mut findings: Vec<Finding> = found
        .into_iter()
        .flatten()
        .filter_map(|finding| subject.job.check.judge(finding))
        .collect();
    findings.sort_by_key(|finding| finding.severity);
    findings
}
