//! Changes of a queue.

use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_core::queue::{Queue, QueueEdit};
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::queue::{EditQueueError, edit_queue, is_queue_file, load_queue};
use truepath_runner::load::{JOB_FILE, LoadError};

use crate::error::{CommandError, DONE};
use crate::job_arguments::JobArguments;
use crate::show::{FAINT, print};

/// Put a job into the queue, or a part of it
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath queue add orrery/truepath.toml --shot dawn --note 'for Monday'\n  truepath queue add . --trial --off"
)]
pub(super) struct AddArguments {
    /// The job file, or its folder
    #[arg(value_name = "JOB")]
    named: PathBuf,
    #[command(flatten)]
    job: JobArguments,
    /// What is to be remembered of it
    #[arg(long, value_name = "TEXT")]
    note: Option<String>,
    /// The place that it gets; unset, the last
    #[arg(long, value_name = "PLACE", value_parser = clap::value_parser!(u32).range(1..))]
    at: Option<u32>,
    /// Put it there switched off
    #[arg(long)]
    off: bool,
}

pub(super) fn add(queue: &Path, added: AddArguments) -> Result<ExitCode, CommandError> {
    let job = if added.named.is_dir() {
        added.named.join(JOB_FILE)
    } else {
        added.named
    };
    if is_queue_file(&job) {
        return Err(CommandError::Usage(format!(
            "{} is a queue, and queues are not put into queues; name the job files that it holds",
            job.display()
        )));
    }
    // A job that cannot be loaded, or a selection of nothing, is found now and not at night.
    added.job.of_job(job.clone()).load()?;
    let mut entry = added.job.entry();
    entry.job = from_queue(queue, &job)?;
    entry.note = added.note;
    entry.is_on = !added.off;
    change(
        queue,
        &QueueEdit::Add(Box::new(entry), added.at.map(|at| at as usize)),
    )
}

/// The path of a job as the queue names it: relative to its folder where it lies below that.
fn from_queue(queue: &Path, job: &Path) -> Result<String, CommandError> {
    let real = |path: &Path| {
        let shown = path.display().to_string();
        std::fs::canonicalize(path).map_err(CommandError::outside(shown))
    };
    let folder = match queue.parent() {
        Some(folder) if folder != Path::new("") => real(folder)?,
        _ => real(Path::new("."))?,
    };
    let job = real(job)?;
    let path = job.strip_prefix(&folder).unwrap_or(&job);
    let text = path.to_str().map(str::to_owned);
    text.ok_or_else(|| {
        CommandError::Usage(format!("{} has a name that is not Unicode", path.display()))
    })
}

/// Changes the queue, and shows its entries.
pub(super) fn change(path: &Path, edit: &QueueEdit) -> Result<ExitCode, CommandError> {
    if !path.exists() && !matches!(edit, QueueEdit::Add(..)) {
        return Err(missing(path));
    }
    edit_queue(&RealDisk, path, edit).map_err(|error| match error {
        EditQueueError::Mistakes(sources, findings) => {
            CommandError::Load(LoadError::Mistakes { sources, findings })
        }
        EditQueueError::Edit(error) => CommandError::Usage(format!("{}: {error}", path.display())),
        EditQueueError::Disk(error) => CommandError::outside(path.display().to_string())(error),
    })?;
    let queue = load_queue(path)?;
    print_entries(&queue)?;
    Ok(ExitCode::from(DONE))
}

/// How a queue that is not there is reported.
pub(super) fn missing(path: &Path) -> CommandError {
    CommandError::Usage(format!(
        "there is no {}; `truepath queue add JOB` begins one, and --queue names another file",
        path.display()
    ))
}

/// A line for each entry.
fn print_entries(queue: &Queue) -> io::Result<()> {
    for (number, entry) in (1..).zip(&queue.entries) {
        let word = if entry.is_on { "on " } else { "off" };
        let note = entry.note.as_ref();
        let note = note.map_or_else(String::new, |note| format!("  {FAINT}{note}{FAINT:#}"));
        print(&format!("{number:>3}  {word}  {}{note}", entry.label()))?;
    }
    Ok(())
}
