//! A run on a Slurm cluster: its tasks are runs like any other, which share the work by their claims.

use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

use truepath_core::deliverable::DeliverableId;
use truepath_core::finding::count;
use truepath_core::plan::plan_as;
use truepath_core::quote::posix_line;
use truepath_media::read_text;
use truepath_runner::disk::{Disk, RealDisk};
use truepath_runner::follow::status::{Follower, Status};
use truepath_runner::make::run::Report;
use truepath_runner::make::slurm::{BadTask, bad_tasks, open_tasks, submit};

use super::ended::JobEnded;
use crate::commands::command_lines::cluster;
use crate::error::CommandError;
use crate::job_arguments::Chosen;
use crate::show::pace::{pace, rough};
use crate::show::states::failure;
use crate::show::verdict::Verdict;
use crate::show::{WARNING, files, print, remark};
use crate::{signals, this_program};

/// The most tasks of an array where the job does not say `slurm.max-tasks`.
const MOST_TASKS: u64 = 64;
/// How often the cluster is asked.
const PAUSE: Duration = Duration::from_secs(1);
/// How often in a row it is handed work that brings nothing.
const PATIENCE: u32 = 2;

/// Submits the job to the cluster, follows it, and submits again what is missing.
pub(super) fn run(chosen: &Chosen) -> Result<JobEnded, CommandError> {
    let expansion = chosen.wanted()?.clone();
    let mut follower = Follower::new(&chosen.loaded, &expansion);
    let refused = || CommandError::outside("the state folder");
    let folder = chosen.loaded.state_folder().slurm();
    RealDisk
        .create_folders(&folder)
        .map_err(CommandError::outside(folder.display().to_string()))?;
    let began = Instant::now();
    let before = follower.look().map_err(refused())?.files().1;
    let mut barren = 0;
    let mut bad = Vec::new();
    loop {
        let status = follower.look().map_err(refused())?;
        let (wanted, done) = status.files();
        if done >= wanted || barren >= PATIENCE {
            let report = report(&status, before, began);
            let printed = print_status(chosen, &expansion.deliverables, &status, &bad);
            return Ok(JobEnded::of_report(&chosen.name, &report, printed));
        }
        // Of an earlier call whose terminal went away, there may be tasks at work already.
        let job = match latest(&folder)? {
            Some(job) if open(&job)? > 0 => {
                remark(&format!(
                    "job {job} is at work on this already; following it"
                ));
                job
            }
            _ => submit_job(chosen, &folder, tasks(chosen, &status))?,
        };
        if !follow(&job, &mut follower)? {
            remark(&format!(
                "job {job} goes on without this terminal; the same call follows it again, `scancel {job}` ends it"
            ));
            return Ok(JobEnded::running(&chosen.name));
        }
        bad = bad_tasks(&job).map_err(CommandError::outside("the cluster"))?;
        for task in &bad {
            remark(&format!(
                "{WARNING}task {}{WARNING:#} of job {job}: {}, {} (exit code {})",
                task.task, task.state, task.reason, task.exit
            ));
        }
        let now = follower.look().map_err(refused())?.files().1;
        barren = if now > done { 0 } else { barren + 1 };
    }
}

/// How many tasks there is work for.
fn tasks(chosen: &Chosen, status: &Status) -> u64 {
    let expansion = &chosen.chosen;
    let wanted = |index: DeliverableId| {
        let states = &status.rows[index].states;
        states.wanted.difference(&states.done).unwrap_or_default()
    };
    // Of a clip that may turn out to be free there is work for several.
    let missing = plan_as(expansion, &wanted, &|index| {
        let one = &expansion.deliverables[index];
        one.is_split_unknown() || one.is_planned_in_pieces()
    });
    let limit = cluster(&chosen.loaded.job, expansion).max_tasks;
    (missing.len() as u64)
        .min(limit.unwrap_or(MOST_TASKS))
        .max(1)
}

/// The number of the job that was submitted last.
fn latest(folder: &Path) -> Result<Option<String>, CommandError> {
    match read_text(&folder.join("job")) {
        Ok(text) => Ok(Some(text.trim().to_owned())),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(CommandError::outside(folder.display().to_string())(error)),
    }
}

fn open(job: &str) -> Result<usize, CommandError> {
    open_tasks(job).map_err(CommandError::outside("the cluster"))
}

/// Hands in an array of runs.
fn submit_job(chosen: &Chosen, folder: &Path, tasks: u64) -> Result<String, CommandError> {
    let outside = |path: &Path| CommandError::outside(path.display().to_string());
    let program = this_program::path().map_err(CommandError::outside("this program"))?;
    // The same call without what is for this terminal alone.
    let mut words: Vec<String> = Vec::new();
    let mut given = std::env::args().skip(1);
    while let Some(word) = given.next() {
        match word.as_str() {
            "--on" | "--then" | "--then-when" | "--notify" | "--events" => drop(given.next()),
            word if ["--on=", "--then=", "--then-when=", "--notify=", "--events="]
                .iter()
                .any(|start| word.starts_with(start)) => {}
            _ => words.push(word),
        }
    }
    let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
    let line = posix_line(
        &program.display().to_string(),
        words.iter().map(String::as_str),
    );
    let text = format!(
        "#!/bin/sh\n# A run of {} that shares its work with the others of this array.\ncd {} || exit 3\nexec {line}\n",
        truepath_core::script::one_line(&chosen.name),
        truepath_core::quote::posix(&here.display().to_string())
    );
    let script: PathBuf = folder.join("run.sh");
    RealDisk
        .write_whole(&script, text.as_bytes())
        .map_err(outside(&script))?;
    let options = cluster(&chosen.loaded.job, &chosen.chosen).options();
    let output = folder.join("%A-%a.txt");
    let job =
        submit(&script, tasks, &options, &output).map_err(CommandError::outside("the cluster"))?;
    let kept = folder.join("job");
    RealDisk
        .write_whole(&kept, format!("{job}\n").as_bytes())
        .map_err(outside(&kept))?;
    remark(&format!(
        "job {job}: {} handed to the cluster",
        count(tasks, "task", "tasks")
    ));
    Ok(job)
}

/// Follows a job to its end; gives whether it ended before somebody asked to stop.
fn follow(job: &str, follower: &mut Follower<'_>) -> Result<bool, CommandError> {
    let interrupt = signals::listen()?;
    let mut last_done = None;
    while open(job)? > 0 {
        if interrupt.load(Ordering::Relaxed) > 0 {
            return Ok(false);
        }
        let status = follower
            .look()
            .map_err(CommandError::outside("the state folder"))?;
        let (wanted, done) = status.files();
        if last_done != Some(done) {
            let mut line = format!("{done} of {}", files(wanted));
            if let (Some(rate), Some(left)) = (status.rate(), status.left()) {
                line.push_str(&format!(", {}, {} left", pace(rate), rough(left)));
            }
            remark(&line);
            last_done = Some(done);
        }
        std::thread::sleep(PAUSE);
    }
    Ok(true)
}

/// The result as a run would report it.
fn report(status: &Status, before: u64, began: Instant) -> Report {
    let (wanted, done) = status.files();
    Report {
        wanted,
        kept: before,
        elsewhere: done.saturating_sub(before),
        took: began.elapsed(),
        ..Report::default()
    }
}

fn print_status(
    chosen: &Chosen,
    deliverables: &[truepath_core::deliverable::Deliverable],
    status: &Status,
    bad: &[BadTask],
) -> io::Result<()> {
    let (wanted, valid) = status.files();
    let verdict = Verdict::new(wanted, valid, status.not_valid());
    print(&verdict.line(&chosen.name))?;
    if verdict.is_complete() {
        return Ok(());
    }
    for task in bad {
        print(&format!(
            "  task {}: {}, {}",
            task.task, task.state, task.reason
        ))?;
    }
    for (one, row) in deliverables.iter().zip(&status.rows) {
        for failed in &row.failed {
            print(&failure(&one.label(), failed))?;
        }
    }
    Ok(())
}
