//! Works a queue off.

use std::path::Path;
use std::process::ExitCode;
use std::sync::atomic::Ordering;

use clap::Args;
use truepath_runner::clock::Moment;
use truepath_runner::hand_over::queue::load_queue;

use super::change::missing;
use super::clashes;
use super::watch::QueueWatch;
use crate::commands::run::{JobEnded, JobResult, RunCall, RunOptions, end};
use crate::error::CommandError;
use crate::job_arguments::JobArguments;
use crate::show::{ERROR, TITLE, alert, remark};
use crate::signals;

/// Run the jobs of the queue, one after another
///
/// The first that is on and not done with is run, then the file is looked at again. A job that is switched off, removed
/// or moved behind another one while it runs is left once the frames that are nearly done are finished. A mistake in
/// the file is reported with its line, and the queue stands as it was before. Killed at any moment, the next call goes
/// on; several machines may work on one queue, and share the frames of its jobs.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath queue run\n  truepath queue run --until 07:00\n  truepath queue --queue week.toml run --then 'echo $TRUEPATH_RESULT >end.txt'\n\nThe exit code is that of the job that ended worst."
)]
pub(super) struct RunArguments {
    #[command(flatten)]
    options: RunOptions,
}

pub(super) fn run(path: &Path, arguments: RunArguments) -> Result<ExitCode, CommandError> {
    if !path.exists() {
        return Err(missing(path));
    }
    let options = &arguments.options;
    let found = clashes(path, &load_queue(path)?);
    for sentence in &found {
        alert(&format!("{ERROR}ERROR TP102{ERROR:#}  {sentence}"));
    }
    if !found.is_empty() && !options.ignores("TP102") {
        return Err(CommandError::Usage(format!(
            "nothing of {} was begun: let the paths of its jobs differ, or run it with --ignore TP102",
            path.display()
        )));
    }
    let watch = QueueWatch::new(path)?;
    let until = options.begin()?;
    let interrupt = signals::listen()?;
    let call = RunCall::of_queue(options, until, &watch);
    let mut all: Vec<JobEnded> = Vec::new();
    let is_over = || until.is_some_and(|until| Moment::now() >= until);
    let mut why = "not begun";
    while let Some((entry, place, of)) = watch.next() {
        if interrupt.load(Ordering::Relaxed) > 0 || is_over() {
            break;
        }
        let label = entry.label();
        remark(&format!("{TITLE}job {place} of {of}: {label}{TITLE:#}"));
        let job = JobArguments::default().of_entry(path, &entry);
        let mut ended = call.job(&job);
        ended.job = label;
        if !watch.ended(&entry, &ended) {
            continue;
        }
        let is_fine = ended.result == JobResult::Complete;
        all.push(ended);
        if !is_fine && watch.stops_at_failure() {
            why = "not begun: the queue stops at a failure";
            break;
        }
    }
    let is_interrupted = interrupt.load(Ordering::Relaxed) > 0;
    for entry in watch.open() {
        all.push(JobEnded::not_begun(&entry.label(), why, is_interrupted));
    }
    if all.is_empty() {
        remark(&format!("no job of {} is on", path.display()));
    }
    end(options, all, true)
}
