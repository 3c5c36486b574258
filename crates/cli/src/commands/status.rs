//! `truepath status`: how far the runs of a job are, from any terminal and any machine.

use std::io::{self, IsTerminal, Write};
use std::process::ExitCode;
use std::time::Duration;

use clap::Args;
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::finding::grouped;
use truepath_core::frames::FrameSet;
use truepath_core::split::Split;
use truepath_core::strip::States;
use truepath_runner::follow::status::{Follower, RunAtWork, Status};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::{JobArguments, NamedJob};
use crate::shapes::status::StatusShape;
use crate::show::pace::{pace, rough};
use crate::show::states::{changes, failure, unverifiable};
use crate::show::strips::{bar, coloured, fitted, table};
use crate::show::verdict::Verdict;
use crate::show::{
    ERROR, FAINT, TITLE, WARNING, bytes, columns, count, files, frames_of, warn_of_ledgers,
};

/// Show the progress of a job
///
/// It changes nothing, so it may be asked at any time, on any machine that sees the state folder: what is
/// there, what is running and where, what failed and why, the pace and the time left. Files are looked
/// at by their size and time; only those that differ from the ledger are opened. `truepath audit` reads
/// them all.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath status\n  truepath status --follow\n  truepath status --shot dawn --format json\n\nThe exit code is 0 when all wanted files are valid, else 1."
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// Show it again every second, until no run is at work any more
    #[arg(long, conflicts_with = "format")]
    follow: bool,
    /// Show which setting of stale frames has changed, from what to what
    #[arg(long, conflicts_with_all = ["follow", "format"])]
    stale: bool,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let job = arguments.job.clone();
    job.for_each(|job| of_job(&arguments, job))
}

fn of_job(arguments: &Arguments, job: JobArguments) -> Result<ExitCode, CommandError> {
    let chosen = job.load_latest()?;
    let expansion = chosen.wanted()?.clone();
    let mut follower = Follower::new(&chosen.loaded, &expansion);
    let refused = || CommandError::outside("the state folder");
    let mut status = follower.look().map_err(refused())?;
    warn_of_ledgers(chosen.loaded.state_folder().path(), &status.remarks);
    if arguments.format == OutputFormat::Json {
        print_json(&StatusShape::of(&expansion.deliverables, &status))?;
    } else if !arguments.follow {
        print(&expansion.deliverables, &status, &chosen.name, None)?;
    } else {
        loop {
            if io::stdout().is_terminal() {
                // The top of the screen, and nothing below.
                write!(io::stdout(), "\x1b[H\x1b[2J")?;
            }
            let height = terminal_size::terminal_size().map(|(_, height)| usize::from(height.0));
            print(&expansion.deliverables, &status, &chosen.name, height)?;
            if status.machines.is_empty() {
                break;
            }
            std::thread::sleep(Duration::from_secs(1));
            status = follower.look().map_err(refused())?;
        }
    }
    if arguments.stale {
        print_stale(&expansion.deliverables, &status)?;
    }
    let is_complete = status.is_complete();
    // What is remembered of a hundred thousand files goes with the process; to take it apart takes time.
    std::mem::forget(follower);
    Ok(ExitCode::from(if is_complete { DONE } else { FOUND }))
}

/// Prints a status; with a `height` in lines no more of it than fits, and what is at work first.
fn print(
    deliverables: &[Deliverable],
    status: &Status,
    name: &str,
    height: Option<usize>,
) -> Result<(), CommandError> {
    let mut out = crate::show::out();
    let width = columns(io::stdout(), 80);
    let (wanted, done) = status.files();
    head(&mut out, status, name)?;
    writeln!(out, "\n{}\n", bar(done, wanted, (width / 2).min(60)))?;
    // Lines for the head, the legend, and two for each run at work.
    let most = height.map(|height| height.saturating_sub(8 + 3 * status.machines.len()).max(3));
    let (rows, hidden) = shown_rows(deliverables, status, most);
    for (head, cells) in table(&rows, width) {
        writeln!(out, "{head}{}", coloured(&cells))?;
    }
    if !hidden.is_empty() {
        let complete = hidden.iter().filter(|states| is_complete(states)).count();
        writeln!(
            out,
            "{FAINT}and {} more, {complete} of them complete{FAINT:#}",
            count(hidden.len() as u64, "deliverable", "deliverables")
        )?;
    }
    let size: u64 = status.rows.iter().map(|row| row.bytes).sum();
    writeln!(
        out,
        "\n{FAINT}█ done  ▄ partly  ▒ running  ~ kept, not valid  ! failed or broken  · missing    {} on the disk{FAINT:#}",
        bytes(size)
    )?;
    at_work(&mut out, status, width)?;
    details(&mut out, deliverables, status)?;
    Ok(out.flush()?)
}

/// The totals, in a line.
fn head(out: &mut impl Write, status: &Status, name: &str) -> io::Result<()> {
    let (wanted, done) = status.files();
    let number = |of: fn(&States) -> &FrameSet| -> u64 {
        let rows = status.rows.iter();
        rows.map(|row| of(&row.states).count()).sum()
    };
    let failed = number(|states| &states.failed);
    let share = 100 * done / wanted.max(1);
    write!(out, "{TITLE}{name}{TITLE:#}  ")?;
    if status.is_complete() {
        write!(out, "{}", Verdict::new(wanted, done, []))?;
    } else {
        write!(
            out,
            "{} of {} valid, {share} %",
            grouped(done),
            files(wanted)
        )?;
    }
    if failed > 0 {
        write!(out, ", {ERROR}{failed} failed{ERROR:#}")?;
    }
    for (number, word, style) in [
        (number(|states| &states.broken), "broken", ERROR),
        (number(|states| &states.changed), "changed", WARNING),
        (
            number(|states| &states.unverifiable),
            "unverifiable",
            WARNING,
        ),
        (number(|states| &states.stale), "stale", WARNING),
    ] {
        if number > 0 {
            write!(out, ", {style}{} {word}{style:#}", grouped(number))?;
        }
    }
    if let Some(rate) = status.rate() {
        write!(out, ", {}", pace(rate))?;
    }
    if let Some(left) = status.left().filter(|_| done < wanted) {
        write!(out, ", {} left", rough(left))?;
    }
    Ok(())
}

/// Runs at work with their processes, and dead ones.
fn at_work(out: &mut impl Write, status: &Status, width: usize) -> io::Result<()> {
    for one in &status.machines {
        writeln!(
            out,
            "\n{TITLE}{}{TITLE:#}: run {}, {}{}, {} brought",
            one.machine,
            one.session,
            count(one.jobs as u64, "process at once", "processes at once"),
            one.why
                .as_ref()
                .map_or_else(String::new, |why| format!(" ({why})")),
            files(one.brought)
        )?;
        for process in status
            .running
            .iter()
            .filter(|process| process.machine == one.machine)
        {
            let line = format!("  {}, {}", process.label, doing(process));
            writeln!(out, "{}", fitted(&line, width))?;
        }
        let is_at_work = |process: &RunAtWork| process.machine == one.machine;
        let waits = one.waits.as_ref();
        if let Some(why) = waits.filter(|_| !status.running.iter().any(is_at_work)) {
            writeln!(out, "  waits for {why}")?;
        }
    }
    for number in &status.dead {
        writeln!(
            out,
            "\n{WARNING}dead{WARNING:#}    run {number}; what it left is recovered by the next `truepath run`"
        )?;
    }
    Ok(())
}

/// The frames of a process, and how far it is where its log can be read here.
fn doing(process: &RunAtWork) -> String {
    let mut text = frames_of(&process.frames);
    if let Some(frame) = process.frame.filter(|_| process.frames.count() > 1) {
        text.push_str(&format!(", at frame {frame}"));
    }
    if process.progress.share().is_some() || process.progress.samples.is_some() {
        text.push_str(&format!(", {}", process.progress));
    }
    if let Some(left) = process.progress.left {
        text.push_str(&format!(", {} left", rough(left)));
    }
    text
}

/// Frames that are not as they should be, and why.
fn details(out: &mut impl Write, deliverables: &[Deliverable], status: &Status) -> io::Result<()> {
    for (one, row) in deliverables.iter().zip(&status.rows) {
        let label = one.label();
        for (reason, frames) in &row.broken {
            writeln!(
                out,
                "\n{ERROR}broken{ERROR:#}  {label}: {}\n        {reason}",
                frames_of(frames)
            )?;
        }
        for (difference, frames) in &row.changed {
            writeln!(
                out,
                "\n{WARNING}changed{WARNING:#} {label}: {}\n        {difference}",
                frames_of(frames)
            )?;
        }
        for (reason, frames) in &row.unverifiable {
            writeln!(
                out,
                "\n{WARNING}unverifiable{WARNING:#} {label}: {}{}",
                frames_of(frames),
                unverifiable(reason)
            )?;
        }
        if !row.not_looked_into.is_empty() {
            writeln!(
                out,
                "\n{WARNING}unknown{WARNING:#} {label}: {}\n        the ledger does not know these files, and they were not opened; `truepath audit` does that",
                frames_of(&row.not_looked_into)
            )?;
        }
        if let Split::Found(found) = &one.common.processes.split {
            writeln!(out, "\n{FAINT}split{FAINT:#}   {label}: {}", found.words())?;
        }
        for failed in &row.failed {
            writeln!(out, "{}", failure(&one.label(), failed))?;
            if let Some(log) = &failed.log {
                writeln!(out, "        log {log}")?;
            }
        }
    }
    Ok(())
}

/// Which frames are stale, and what has changed since they were made.
fn print_stale(deliverables: &[Deliverable], status: &Status) -> io::Result<()> {
    let mut out = crate::show::out();
    for (one, row) in deliverables.iter().zip(&status.rows) {
        for why in &row.why_stale {
            writeln!(
                out,
                "\n{WARNING}stale{WARNING:#}   {}: {}\n        {}",
                one.label(),
                frames_of(&why.frames),
                changes(&why.changes)
            )?;
        }
    }
    out.flush()
}

/// Whether all frames are there.
fn is_complete(states: &States) -> bool {
    states.done.count() >= states.wanted.count()
}

/// The rows that are shown, and the states of those that are not: complete ones are left out first, those
/// at work last.
fn shown_rows(
    deliverables: &[Deliverable],
    status: &Status,
    most: Option<usize>,
) -> (Vec<(String, States)>, Vec<States>) {
    let mut order: Vec<DeliverableId> = DeliverableId::all(status.rows.len()).collect();
    let most = most.unwrap_or(order.len());
    order.sort_by_key(|index| {
        let states = &status.rows[*index].states;
        let is_idle = states.running.is_empty() && states.failed.is_empty();
        (is_complete(states), is_idle, *index)
    });
    let hidden = order.split_off(most.min(order.len()));
    order.sort_unstable();
    let row = |index: DeliverableId| {
        let states = status.rows[index].states.clone();
        (deliverables[index].label(), states)
    };
    let hidden = hidden.into_iter().map(|index| row(index).1).collect();
    (order.into_iter().map(row).collect(), hidden)
}
