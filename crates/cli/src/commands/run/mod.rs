//! `truepath run`: checks, renders, verifies, publishes; continues where it was stopped.

mod afterwards;
mod detach;
mod dry_run;
mod ended;
mod events;
mod on_slurm;
mod queue_at_work;
mod stopping;
mod summary;

use std::io::{self, Write};
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::atomic::Ordering;

use clap::Args;
use truepath_core::finding::{Finding, Severity};
use truepath_core::job::{self, Key};
use truepath_runner::clock::Moment;
use truepath_runner::disk::RealDisk;
use truepath_runner::follow::answers::can_ask;
use truepath_runner::make::run::{
    Existing, Jobs, Machine, Options, Policy, RunError, run as render,
};

pub(in crate::commands) use ended::{JobEnded, JobResult};
pub(in crate::commands) use queue_at_work::QueueAtWork;
use queue_at_work::WithQueue;

use super::OutputFormat;
use crate::error::{CommandError, DONE, FOUND};
use crate::findings::{findings_asking, has_errors};
use crate::job_arguments::{Chosen, JobArguments};
use crate::limits;
use crate::show::finding::{print_all, summary};
use crate::show::progress::ProgressLines;
use crate::show::remark;
use crate::{signals, this_program};

/// Check the job, then render what is missing
///
/// Every frame is rendered into a staging folder, decoded and compared with the job, and only then
/// brought to its true name; nothing is replaced unless that is asked for. What is there and whole is
/// kept. Stopped or killed at any moment, the next call goes on where this one ended. Started alike on
/// several machines that share a folder, runs share the work.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath run\n  truepath run --jobs 4 --until 07:00 --then 'echo $TRUEPATH_RESULT >morning.txt'\n  truepath run --shot dawn --frames 1,48,96\n  truepath run --rerender-stale\n  truepath run --ignore TP105"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// Job files to run one after another, each with its own state, in place of --job
    #[arg(value_name = "JOB", conflicts_with = "job")]
    jobs_in_order: Vec<PathBuf>,
    /// Say what would be done: processes, frames, where they go and how long it may take; start nothing
    #[arg(long, conflicts_with_all = ["on", "detach"])]
    dry_run: bool,
    /// How the result of a dry run is printed
    #[arg(long, value_enum, default_value = "text", requires = "dry_run")]
    format: OutputFormat,
    /// Go on without this terminal, which may be closed
    #[arg(long)]
    detach: bool,
    /// Render on a cluster of machines that share this folder: it is handed an array of runs, which
    /// share the work, and is asked again for what is missing at their end
    #[arg(
        long,
        value_name = "CLUSTER",
        value_enum,
        conflicts_with = "verify_all"
    )]
    on: Option<WorkloadManager>,
    #[command(flatten)]
    options: RunOptions,
}

/// The code of a rule.
fn code_of_rule(text: &str) -> Result<String, String> {
    let codes: Vec<&str> = truepath_core::rules::rules()
        .map(|rule| rule.code)
        .collect();
    match codes.contains(&text) {
        true => Ok(text.to_owned()),
        false => Err(format!(
            "there is no rule with this code; {}",
            truepath_core::nearest::advice(text, &codes)
        )),
    }
}

/// How a job is run, by itself or in a queue.
#[derive(Debug, Clone, Default, Args)]
pub(in crate::commands) struct RunOptions {
    /// Render although this error was found; may be given several times
    #[arg(long, value_name = "CODE", value_delimiter = ',', value_parser = code_of_rule)]
    ignore: Vec<String>,
    /// Show every finding, also those of one cause
    #[arg(long)]
    all: bool,
    /// Where there is no live screen: a line for every file, in place of one every few seconds
    #[arg(long, short)]
    verbose: bool,
    /// How many processes run at once, or `auto` for as many as keep all cores busy; unset, what the job says, or
    /// `auto`
    #[arg(long, short, value_name = "NUMBER")]
    jobs: Option<JobsArgument>,
    /// Render frames again that other settings made, or that are not the files that were published; each stays until its successor is verified
    #[arg(long, help_heading = FILES, conflicts_with = "keep_stale")]
    rerender_stale: bool,
    /// Take frames that other settings made, or that are not the files that were published, as they
    /// are, where they are the right kind of picture
    #[arg(long, help_heading = FILES)]
    keep_stale: bool,
    /// Render frames again that no run has recorded, in place of decoding and taking them
    #[arg(long, help_heading = FILES)]
    rerender_unrecorded: bool,
    /// Take pictures that are whole although the exit code of their process does not mean success; also
    /// those that an earlier run moved aside for that reason
    #[arg(long, help_heading = FILES)]
    accept_unproven: bool,
    /// Read every file that is there, in place of trusting its size and time: what is broken is set
    /// aside and rendered again
    #[arg(long, help_heading = FILES)]
    verify_all: bool,
    #[command(flatten)]
    stopping: stopping::Stopping,
    /// Run at low CPU priority
    #[arg(long)]
    low_priority: bool,
    /// Append what happens to this file, a JSON object a line
    #[arg(long, value_name = "FILE")]
    events: Option<PathBuf>,
    #[command(flatten)]
    afterwards: afterwards::Afterwards,
}

/// How many processes run at once, as it is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum JobsArgument {
    Auto,
    Number(NonZeroUsize),
}

impl std::str::FromStr for JobsArgument {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "auto" => Ok(Self::Auto),
            _ => text
                .parse()
                .map(Self::Number)
                .map_err(|_| "it takes a number from 1, or `auto`".to_owned()),
        }
    }
}

impl std::fmt::Display for JobsArgument {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Auto => out.write_str("auto"),
            Self::Number(number) => number.fmt(out),
        }
    }
}

/// Which workload manager.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
enum WorkloadManager {
    /// Slurm: an array of tasks
    Slurm,
}

/// What options about files that are there stand under in the help.
const FILES: &str = "Files that are there";

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments.detach {
        let chosen = arguments.first().load()?;
        return detach::detach(&chosen.loaded.state_folder());
    }
    let until = arguments.options.begin()?;
    let interrupt = signals::listen()?;
    let jobs: Vec<JobArguments> = match &arguments.jobs_in_order[..] {
        [] => vec![arguments.job.clone()],
        several => several
            .iter()
            .map(|path| arguments.job.of_job(path.clone()))
            .collect(),
    };
    let call = RunCall {
        options: &arguments.options,
        dry_run: arguments.dry_run.then_some(arguments.format),
        on: arguments.on,
        until,
        queue: None,
        has_summary: true,
    };
    let mut all: Vec<JobEnded> = Vec::new();
    for job in &jobs {
        all.push(call.job(job));
        if interrupt.load(Ordering::Relaxed) > 0 {
            break;
        }
    }
    end(&arguments.options, all, jobs.len() > 1)
}

/// Reports how all jobs ended, and does what is to be done then.
pub(in crate::commands) fn end(
    options: &RunOptions,
    mut all: Vec<JobEnded>,
    are_several: bool,
) -> Result<ExitCode, CommandError> {
    let mut printed = Ok(());
    for ended in &mut all {
        let of_job = std::mem::replace(&mut ended.printed, Ok(()));
        printed = printed.and(of_job);
    }
    if are_several {
        let of_all = ended::summarize(&mut crate::show::out(), &all);
        printed = printed.and(of_all);
    }
    // The command and the message at the end do not depend on whether the summary could be printed.
    options.afterwards.at_the_end(&all);
    match printed {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => Err(error.into()),
        _ => Ok(ExitCode::from(
            ended::worst(&all).map_or(DONE, |one| one.code),
        )),
    }
}

impl RunOptions {
    /// Whether findings with a code do not keep a job from being run.
    pub(in crate::commands) fn ignores(&self, code: &str) -> bool {
        self.ignore.iter().any(|ignored| ignored == code)
    }

    /// Does what comes before the first job; gives when to stop.
    pub(in crate::commands) fn begin(&self) -> Result<Option<Moment>, CommandError> {
        if self.low_priority {
            let lowered = truepath_runner::system::lower_priority();
            lowered.map_err(CommandError::outside("low priority"))?;
        }
        Ok(self.stopping.until())
    }
}

/// One call that runs jobs.
pub(in crate::commands) struct RunCall<'c> {
    pub(in crate::commands) options: &'c RunOptions,
    /// How a dry run is printed; none of a run.
    dry_run: Option<OutputFormat>,
    on: Option<WorkloadManager>,
    pub(in crate::commands) until: Option<Moment>,
    pub(in crate::commands) queue: Option<&'c dyn QueueAtWork>,
    /// Whether how it ended is printed.
    has_summary: bool,
}

impl<'c> RunCall<'c> {
    /// One that runs the jobs of a queue.
    pub(in crate::commands) fn of_queue(
        options: &'c RunOptions,
        until: Option<Moment>,
        queue: &'c dyn QueueAtWork,
    ) -> Self {
        Self {
            options,
            dry_run: None,
            on: None,
            until,
            queue: Some(queue),
            has_summary: true,
        }
    }

    /// One whose result is somebody else's to print.
    pub(in crate::commands) fn without_summary(options: &'c RunOptions) -> Self {
        Self {
            options,
            dry_run: None,
            on: None,
            until: None,
            queue: None,
            has_summary: false,
        }
    }

    /// Runs a job. One that goes wrong does not keep others from being rendered.
    pub(in crate::commands) fn job(&self, job: &JobArguments) -> JobEnded {
        let job = &job.clone().asking_for_frames(self.dry_run.is_none());
        let ended = self.in_version(job).unwrap_or_else(|error| {
            let reason = error.to_string();
            JobEnded::aborted(&job.name(), &reason, error.report())
        });
        self.options.afterwards.after_each(&ended);
        ended
    }
}

impl Arguments {
    /// The first job of this call.
    fn first(&self) -> JobArguments {
        match self.jobs_in_order.first() {
            Some(path) => self.job.of_job(path.clone()),
            None => self.job.clone(),
        }
    }
}

impl RunCall<'_> {
    /// Runs a job, in the next version that is free where it asks for that.
    fn in_version(&self, job: &JobArguments) -> Result<JobEnded, CommandError> {
        let keys = |version: Option<i64>| {
            let jobs = self.options.jobs.map(|jobs| format!("jobs={jobs}"));
            let version = version.map(|version| format!("version={version}"));
            jobs.into_iter().chain(version).collect::<Vec<String>>()
        };
        let chosen = job.clone().load_with_keys(&keys(None))?;
        if Existing::of(&chosen.loaded.job) != Existing::NextVersion {
            return self.one(chosen);
        }
        let versions = chosen
            .chosen
            .deliverables
            .iter()
            .map(|one| one.common.names.version);
        let mut version = versions.flatten().max();
        let mut chosen = chosen;
        let mut in_the_way = None;
        loop {
            let (first, count, why) = match self.one(chosen) {
                Err(CommandError::Run(RunError::Refused { first, count })) => {
                    let why = format!("{first} is there");
                    (first, count, why)
                }
                Err(CommandError::Run(RunError::Claimed { first })) => {
                    let why = format!("another run makes {first} with other settings");
                    (first, 1, why)
                }
                other => return other,
            };
            let Some(next) = version.filter(|_| in_the_way.as_ref() != Some(&first)) else {
                return Err(CommandError::Usage(format!(
                    "existing = \"next-version\" needs a number as `version`, and {{version}} in every path: {count} files are in the way, such as {first}"
                )));
            };
            remark(&format!("version {next} is taken: {why}"));
            version = Some(next + 1);
            in_the_way = Some(first);
            chosen = job.clone().load_with_keys(&keys(version))?;
        }
    }

    /// Runs one job.
    fn one(&self, chosen: Chosen) -> Result<JobEnded, CommandError> {
        let options = self.options;
        let passed_over = |one: &Finding| options.ignores(one.code);
        let grave = |found: &[Finding]| -> Vec<Finding> {
            let errors = found.iter().filter(|one| one.severity == Severity::Error);
            errors.filter(|one| !passed_over(one)).cloned().collect()
        };
        // What can be known without starting anything comes first.
        let mut found = findings_asking(&chosen, false);
        if grave(&found).is_empty() && can_ask(&chosen.chosen) && self.dry_run.is_none() {
            found = findings_asking(&chosen, true);
        }
        let sources = &chosen.loaded.job.sources;
        print_all(&mut anstream::stderr(), sources, &found, options.all);
        let grave = grave(&found);
        if has_errors(&grave) {
            remark(&format!(
                "{}; nothing was rendered",
                summary(&grave, &chosen.name)
            ));
            let reason = "the job has errors, so nothing was rendered";
            return Ok(JobEnded::aborted(&chosen.name, reason, FOUND));
        }
        if self.on == Some(WorkloadManager::Slurm) {
            return on_slurm::run(&chosen);
        }
        let rendered = match chosen.wanted() {
            Ok(wanted) => wanted.clone(),
            Err(error @ CommandError::NothingForPart(_)) => {
                error.report();
                return Ok(JobEnded::nothing_for_part(&chosen.name));
            }
            Err(error) => return Err(error),
        };
        let jobs = match rendered.jobs(&chosen.loaded.job) {
            job::Jobs::Auto => Jobs::Auto,
            job::Jobs::Fixed(jobs) => Jobs::Fixed(usize::try_from(jobs).unwrap_or(1)),
        };
        let at_once = match jobs {
            Jobs::Fixed(jobs) => jobs,
            Jobs::Auto => cores(),
        };
        if self.dry_run.is_none() {
            limits::check_processes(cores(), at_once)?;
        }
        let policy = Policy {
            existing: Existing::of(&chosen.loaded.job),
            rerender_stale: options.rerender_stale,
            keep_stale: options.keep_stale,
            rerender_unrecorded: options.rerender_unrecorded,
            accept_unproven: options.accept_unproven,
            verify_all: options.verify_all,
        };
        if let Some(format) = self.dry_run {
            dry_run::print(&chosen, &rendered, policy, (jobs, format))?;
            return Ok(JobEnded::dry(&chosen.name));
        }
        let mut progress = ProgressLines::new(&rendered.deliverables, options.verbose);
        let mut progress = WithQueue {
            queue: self.queue,
            inner: &mut progress,
        };
        let interrupt = signals::listen()?;
        let stop_when = || self.queue.and_then(QueueAtWork::why_leave);
        let run_options = Options {
            this_program: &this_program::path().map_err(CommandError::outside("this program"))?,
            interrupt,
            whole: chosen.whole,
            disk: &RealDisk,
            jobs,
            machine: Machine {
                cores: cores(),
                memory: chosen.loaded.job.get(Key::Memory),
            },
            until: self.until,
            stop_when: &stop_when,
            policy,
        };
        let mut events = events::Events::new(
            options.events.as_deref(),
            &rendered.deliverables,
            &mut progress,
        )?;
        let report = render(&chosen.loaded, &rendered, &run_options, &mut events);
        events.finish();
        progress.inner.finish();
        let report = report?;
        if !self.has_summary {
            return Ok(JobEnded::of_report(&chosen.name, &report, Ok(())));
        }
        let mut out = crate::show::out();
        let printed = summary::print(&mut out, &rendered.deliverables, &report, &chosen.name);
        let printed = printed
            .and_then(|()| summary::print_set_aside(&mut out, &rendered))
            .and_then(|()| out.flush());
        Ok(JobEnded::of_report(&chosen.name, &report, printed))
    }
}

/// The cores of this machine.
pub(in crate::commands) fn cores() -> usize {
    std::thread::available_parallelism().map_or(1, NonZeroUsize::get)
}
