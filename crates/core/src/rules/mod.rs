//! The rules: what can be known to be wrong before anything runs. One rule a file, in the folder of
//! what it is about.

mod engines;
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

use rayon::prelude::*;

use crate::deliverable::{MOST_DELIVERABLES, ProblemKind};
use crate::finding::{Finding, grouped};

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

/// What all rules have to say, errors first, then in the order of the rules.
#[must_use]
pub fn check(subject: &Subject<'_>) -> Vec<Finding> {
    // Of more than a job may have nothing is looked through.
    if let Some(finding) = too_many(subject) {
        return vec![finding];
    }
    let ask = |rule: &'static Rule| (rule.check)(rule, subject);
    let told: Vec<Vec<Finding>> = if subject.expansion.is_large() {
        let rules: Vec<&Rule> = rules().collect();
        rules.into_par_iter().with_max_len(1).map(ask).collect()
    } else {
        rules().map(ask).collect()
    };
    let mut findings: Vec<Finding> = told
        .into_iter()
        .flatten()
        .filter_map(|finding| subject.job.check.judge(finding))
        .collect();
    findings.sort_by_key(|finding| finding.weight);
    findings
}
