//! The queue as it is: each job with its state, what is there of it, and how long the rest will take.

use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use jiff::{SignedDuration, Zoned};
use truepath_core::finding::{Severity, grouped};
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;
use truepath_core::job::Jobs;
use truepath_core::queue::QueueEntry;
use truepath_runner::follow::status::{Follower, Row};
use truepath_runner::hand_over::queue::{job_of, load_queue};

use super::change::missing;
use crate::commands::run::cores;
use crate::commands::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::findings::findings;
use crate::job_arguments::JobArguments;
use crate::shapes::queue::{EntryShape, QueueShape};
use crate::show::pace::rough;
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING, files};

/// What is known of a job of a queue.
struct EntryState {
    /// `off`, `complete`, `running`, `waiting`, `failed` or `aborted`.
    word: &'static str,
    wanted: u64,
    valid: u64,
    failed: u64,
    /// Seconds until all of it is there, where anything is known of that.
    left: Option<f64>,
    /// Why it cannot be run.
    reason: Option<String>,
}

impl EntryState {
    /// Looks at the job of an entry.
    fn of(queue: &Path, entry: &QueueEntry, job: &JobArguments) -> Self {
        match Self::look(queue, entry, job) {
            Ok(state) if !entry.is_on => Self {
                word: "off",
                ..state
            },
            Ok(state) => state,
            Err(error) => Self {
                word: if entry.is_on { "aborted" } else { "off" },
                wanted: 0,
                valid: 0,
                failed: 0,
                left: None,
                reason: Some(error),
            },
        }
    }

    fn look(queue: &Path, entry: &QueueEntry, job: &JobArguments) -> Result<Self, String> {
        let chosen = job.of_entry(queue, entry).load_latest();
        let chosen = chosen.map_err(|error| sentence(&error))?;
        let expansion = match chosen.wanted() {
            Err(CommandError::NothingForPart(_)) => return Ok(Self::nothing_for_part()),
            wanted => wanted.map_err(|error| sentence(&error))?,
        };
        let mut follower = Follower::new(&chosen.loaded, expansion);
        let status = follower.look().map_err(|error| error.to_string())?;
        let (wanted, valid) = status.files();
        let failed: u64 = status
            .rows
            .iter()
            .map(|row| row.states.failed.count())
            .sum();
        let missing: Vec<FrameSet> = status.rows.iter().map(Row::missing).collect();
        let is_running = !status.machines.is_empty();
        let at_once = match expansion.jobs(&chosen.loaded.job) {
            Jobs::Auto => cores(),
            Jobs::Fixed(jobs) => usize::try_from(jobs).unwrap_or(1),
        };
        if valid < wanted && !is_running {
            // A job with errors is not begun: better known now than at night.
            let findings = findings(&chosen);
            let mut errors = findings
                .iter()
                .filter(|one| one.severity == Severity::Error);
            if let Some(first) = errors.next() {
                return Ok(Self {
                    word: "aborted",
                    wanted,
                    valid,
                    failed,
                    left: None,
                    reason: Some(first.sentence.clone()),
                });
            }
        }
        let forecast = || Forecast::new(&follower.expected(), &missing, at_once).left(0.0);
        let left = status.left().filter(|_| is_running).or_else(forecast);
        Ok(Self {
            word: match () {
                () if valid >= wanted => "complete",
                () if is_running => "running",
                () if failed > 0 => "failed",
                () => "waiting",
            },
            wanted,
            valid,
            failed,
            left: left.filter(|_| valid < wanted),
            reason: None,
        })
    }

    /// The job of an entry whose part of the work is empty.
    fn nothing_for_part() -> Self {
        Self {
            word: "complete",
            wanted: 0,
            valid: 0,
            failed: 0,
            left: None,
            reason: Some("nothing for this part".to_owned()),
        }
    }

    fn is_complete(&self) -> bool {
        matches!(self.word, "complete" | "off")
    }
}

/// Why a job cannot be run, as a sentence.
fn sentence(error: &CommandError) -> String {
    let mistake = match error {
        CommandError::Load(error) => error.first_mistake(),
        _ => None,
    };
    mistake.map_or_else(|| error.to_string(), |(_, one)| one.sentence.clone())
}

pub(super) fn run(path: &Path, format: OutputFormat) -> Result<ExitCode, CommandError> {
    if !path.exists() {
        return Err(missing(path));
    }
    let queue = load_queue(path)?;
    let job = JobArguments::default();
    let states: Vec<EntryState> = queue
        .entries
        .iter()
        .map(|entry| EntryState::of(path, entry, &job))
        .collect();
    let counted = || states.iter().filter(|state| state.word != "off");
    let open = || counted().filter(|state| !state.is_complete());
    let (wanted, valid) = counted().fold((0, 0), |(wanted, valid), state| {
        (wanted + state.wanted, valid + state.valid)
    });
    // The whole is known only where each part is.
    let left: Option<f64> = open().map(|state| state.left).sum();
    let is_complete = counted().next().is_some() && open().next().is_none();
    if format == OutputFormat::Json {
        let entries = queue
            .entries
            .iter()
            .zip(&states)
            .map(|(entry, state)| EntryShape {
                job: job_of(path, entry).display().to_string(),
                label: entry.label(),
                note: entry.note.clone(),
                on: entry.is_on,
                state: state.word,
                files: state.wanted,
                valid: state.valid,
                failed: state.failed,
                seconds_left: state.left,
                reason: state.reason.clone(),
            });
        print_json(&QueueShape::of(entries.collect(), left))?;
        return Ok(ExitCode::from(if is_complete { DONE } else { FOUND }));
    }
    let mut out = crate::show::out();
    let labels: Vec<String> = queue.entries.iter().map(QueueEntry::label).collect();
    let width = labels.iter().map(|label| label.chars().count()).max();
    let width = width.unwrap_or(0).min(60);
    for (number, ((entry, label), state)) in
        (1..).zip(queue.entries.iter().zip(&labels).zip(&states))
    {
        let style = match state.word {
            "complete" => GOOD,
            "failed" | "aborted" => ERROR,
            "running" => TITLE,
            "off" => FAINT,
            _ => WARNING,
        };
        let word = state.word;
        let mut line = format!("{number:>3}  {style}{word:<8}{style:#}  {label:<width$}");
        if state.reason.is_none() {
            let valid = grouped(state.valid);
            line.push_str(&format!("  {valid} of {} valid", files(state.wanted)));
        }
        if state.failed > 0 {
            let failed = grouped(state.failed);
            line.push_str(&format!(", {ERROR}{failed} failed{ERROR:#}"));
        }
        if let Some(left) = state.left {
            line.push_str(&format!(", about {} left", rough(left)));
        }
        writeln!(out, "{}", line.trim_end())?;
        for text in [&state.reason, &entry.note].into_iter().flatten() {
            writeln!(out, "     {FAINT}{text}{FAINT:#}")?;
        }
    }
    let total = format!("{} of {} valid", grouped(valid), files(wanted));
    let rest = match left {
        _ if is_complete => format!("; {GOOD}all jobs are complete{GOOD:#}"),
        Some(left) => format!("; about {} left, done about {}", rough(left), clock(left)),
        None => "; time left: unknown".to_owned(),
    };
    writeln!(out, "\n{total}{rest}")?;
    out.flush()?;
    Ok(ExitCode::from(if is_complete { DONE } else { FOUND }))
}

/// The time of day in so many seconds, with the day where that is another.
fn clock(seconds: f64) -> String {
    let now = Zoned::now();
    let then = SignedDuration::try_from_secs_f64(seconds)
        .ok()
        .and_then(|seconds| now.checked_add(seconds).ok());
    then.map_or_else(String::new, |then| {
        let form = if then.date() == now.date() {
            "%H:%M"
        } else {
            "%A %H:%M"
        };
        then.strftime(form).to_string()
    })
}
