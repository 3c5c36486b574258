//! How jobs ended: the result of each, of all of them together, and the lines that say so.

use std::io::{self, Write};
use std::time::Duration;

use truepath_core::finding::grouped;
use truepath_runner::make::run::Report;

use crate::error::{DONE, FOUND, INTERRUPTED};
use crate::show::{ERROR, GOOD, WARNING, files};

/// The result of a job, the best first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::commands) enum JobResult {
    /// All is there.
    Complete,
    /// It goes on elsewhere.
    Running,
    /// It was stopped before all was done.
    Stopped,
    /// Something is missing.
    NotComplete,
    /// It did not begin, or could not go on.
    Aborted,
}

impl JobResult {
    /// The word that scripts and addresses get.
    pub(in crate::commands) fn word(self) -> &'static str {
        match self {
            Self::Complete => "complete",
            Self::Running => "running",
            Self::Stopped => "stopped",
            Self::NotComplete => "not-complete",
            Self::Aborted => "aborted",
        }
    }
}

/// How a job ended.
pub(in crate::commands) struct JobEnded {
    /// The job file as it was named.
    pub(in crate::commands) job: String,
    pub(in crate::commands) result: JobResult,
    /// Why it was stopped or aborted.
    pub(in crate::commands) reason: String,
    /// The exit code.
    pub(super) code: u8,
    /// Files that are wanted, valid and failed.
    pub(in crate::commands) wanted: u64,
    pub(in crate::commands) valid: u64,
    pub(in crate::commands) failed: u64,
    pub(super) took: Duration,
    /// Whether its summary could be printed.
    pub(super) printed: io::Result<()>,
}

impl JobEnded {
    /// A job that ended.
    pub(super) fn of_report(job: &str, report: &Report, printed: io::Result<()>) -> Self {
        let (result, reason, code) = match &report.halt {
            _ if report.is_complete() => (JobResult::Complete, "", DONE),
            Some(halt) if halt.interrupted => (JobResult::Stopped, &*halt.why, INTERRUPTED),
            Some(halt) => (JobResult::Stopped, &*halt.why, FOUND),
            None => (JobResult::NotComplete, "", FOUND),
        };
        Self {
            job: job.to_owned(),
            result,
            reason: reason.to_owned(),
            code,
            wanted: report.wanted,
            valid: report.valid(),
            failed: report.failures.len() as u64,
            took: report.took,
            printed,
        }
    }

    /// A job that did not begin, or could not go on.
    pub(super) fn aborted(job: &str, reason: &str, code: u8) -> Self {
        Self::without_report(job, JobResult::Aborted, reason, code)
    }

    /// A job of a queue that was not begun.
    pub(in crate::commands) fn not_begun(job: &str, why: &str, is_interrupted: bool) -> Self {
        let code = if is_interrupted { INTERRUPTED } else { FOUND };
        Self::without_report(job, JobResult::Stopped, why, code)
    }

    /// A part of a job that got no work.
    pub(super) fn nothing_for_part(job: &str) -> Self {
        Self::without_report(job, JobResult::Complete, "nothing for this part", DONE)
    }

    /// A job of which only the plan was shown.
    pub(super) fn dry(job: &str) -> Self {
        Self::without_report(job, JobResult::Running, "", DONE)
    }

    /// A job that goes on without this program.
    pub(super) fn running(job: &str) -> Self {
        Self::without_report(job, JobResult::Running, "", INTERRUPTED)
    }

    fn without_report(job: &str, result: JobResult, reason: &str, code: u8) -> Self {
        Self {
            job: job.to_owned(),
            result,
            reason: reason.to_owned(),
            code,
            wanted: 0,
            valid: 0,
            failed: 0,
            took: Duration::ZERO,
            printed: Ok(()),
        }
    }
}

/// The worst of several jobs, which is the result of all.
pub(super) fn worst(all: &[JobEnded]) -> Option<&JobEnded> {
    all.iter().max_by_key(|one| one.result)
}

/// A line for each job, the worst last.
pub(super) fn summarize(out: &mut impl Write, all: &[JobEnded]) -> io::Result<()> {
    let mut order: Vec<&JobEnded> = all.iter().collect();
    order.sort_by_key(|one| one.result);
    let width = order.iter().map(|one| one.job.chars().count()).max();
    let width = width.unwrap_or(0);
    writeln!(out)?;
    for one in order {
        let style = match one.result {
            JobResult::Complete => GOOD,
            JobResult::Running | JobResult::Stopped => WARNING,
            JobResult::NotComplete | JobResult::Aborted => ERROR,
        };
        let word = one.result.word();
        write!(out, "{style}{word:<12}{style:#}  {:<width$}", one.job)?;
        if one.wanted > 0 {
            write!(
                out,
                "  {} of {} valid",
                grouped(one.valid),
                files(one.wanted)
            )?;
        }
        if one.failed > 0 {
            write!(out, ", {} failed", grouped(one.failed))?;
        }
        if !one.reason.is_empty() {
            // The whole message was printed when it happened.
            let first = one.reason.lines().next().unwrap_or_default();
            write!(out, "  {first}")?;
        }
        writeln!(out)?;
    }
    Ok(())
}
