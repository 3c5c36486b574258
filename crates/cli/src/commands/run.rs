//! `truepath run`: checks, renders, verifies, publishes; continues where it was stopped.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use clap::Args;
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::finding::{Finding, Weight, grouped};
use truepath_core::frames::FrameSet;
use truepath_runner::answers::can_ask;
use truepath_runner::disk::RealDisk;
use truepath_runner::run::{Options, Report, run as render};

use super::check::{findings_asking, has_errors};
use crate::job_arguments::JobArguments;
use crate::outcome::{DONE, FOUND, INTERRUPTED, Trouble};
use crate::show::finding::{summary, tell_all};
use crate::show::progress::{Progress, rough};
use crate::show::{ERROR, GOOD, WARNING, count, files};
use crate::this_program;

/// Check the job, then render what is missing
///
/// Every frame is rendered into a staging folder, decoded and held against the job, and only then
/// brought to its true name; nothing is ever replaced. What is there and whole is kept. Stopped or
/// killed at any moment, the next call goes on where this one ended.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath run\n  truepath run --shot dawn --frames 1,48,96\n  truepath run --pass-over TP105"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// Render although this error was found; may be said several times
    #[arg(long, value_name = "CODE", value_delimiter = ',')]
    pass_over: Vec<String>,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let chosen = arguments.job.load()?;
    let passed_over = |one: &Finding| arguments.pass_over.iter().any(|code| code == one.code);
    let grave = |found: &[Finding]| -> Vec<Finding> {
        let errors = found.iter().filter(|one| one.weight == Weight::Error);
        errors.filter(|one| !passed_over(one)).cloned().collect()
    };
    // What can be known without starting anything comes first.
    let mut found = findings_asking(&chosen, false);
    if grave(&found).is_empty() && can_ask(&chosen.chosen) {
        found = findings_asking(&chosen, true);
    }
    tell_all(&mut anstream::stderr(), &chosen.loaded.job.sources, &found);
    let grave = grave(&found);
    if has_errors(&grave) {
        anstream::eprintln!("{}; nothing was rendered", summary(&grave, &chosen.name));
        return Ok(ExitCode::from(FOUND));
    }
    let interrupt = Arc::new(AtomicBool::new(false));
    for signal in [SIGINT, SIGTERM, SIGHUP] {
        signal_hook::flag::register(signal, Arc::clone(&interrupt))
            .map_err(Trouble::outside("signals"))?;
    }
    let rendered = chosen.chosen.runnable();
    let mut progress = Progress::new(&rendered.deliverables);
    let options = Options {
        this_program: &this_program::path().map_err(Trouble::outside("this program"))?,
        interrupt: &interrupt,
        whole: chosen.whole,
        disk: &RealDisk,
    };
    let report = render(&chosen.loaded, &rendered, &options, &mut progress);
    progress.finish();
    let report = report?;
    remark_on_direct_movies(&chosen.chosen);
    let mut out = io::BufWriter::new(anstream::stdout().lock());
    tell(&mut out, &rendered.deliverables, &report, &chosen.name)?;
    out.flush()?;
    Ok(ExitCode::from(match &report {
        report if report.interrupted => INTERRUPTED,
        report if report.is_complete() => DONE,
        _ => FOUND,
    }))
}

/// Says plainly what nobody has made or looked at.
pub(super) fn remark_on_direct_movies(expansion: &Expansion) {
    let movies = expansion
        .deliverables
        .iter()
        .filter(|one| one.movie().is_some_and(|movie| movie.is_direct()));
    let number = movies.count() as u64;
    if number > 0 {
        anstream::eprintln!(
            "{} that an engine writes itself: named and checked, but not run by this version",
            count(number, "movie", "movies")
        );
    }
}

/// The summary: the result first, then the numbers, then what is missing and why.
fn tell(
    out: &mut impl Write,
    deliverables: &[Deliverable],
    report: &Report,
    name: &str,
) -> io::Result<()> {
    let there = report.kept + report.rendered;
    if report.interrupted {
        writeln!(
            out,
            "{WARNING}interrupted{WARNING:#}: {} of {} in {name} are there; `truepath run` goes on from here",
            grouped(there),
            files(report.wanted)
        )?;
    } else if report.is_complete() {
        writeln!(
            out,
            "{GOOD}complete{GOOD:#}: all {} of {name} are there and whole",
            files(report.wanted)
        )?;
    } else {
        writeln!(
            out,
            "{ERROR}not complete{ERROR:#}: {} of {} in {name} are there",
            grouped(there),
            files(report.wanted)
        )?;
    }
    let seconds = report.took.as_secs_f64();
    let rows = [
        (
            "recovered",
            report.recovered,
            "finished by an earlier run that was killed".to_owned(),
        ),
        ("kept", report.kept, "there before".to_owned()),
        (
            "adopted",
            report.adopted,
            "of those: new to the ledger, decoded and taken".to_owned(),
        ),
        (
            "rendered",
            report.rendered,
            format!(
                "in {}, {:.1} a second",
                rough(seconds),
                report.rendered as f64 / seconds.max(0.001)
            ),
        ),
        (
            "failed",
            report.failures.len() as u64,
            "see below".to_owned(),
        ),
        ("not tried", report.not_tried(), String::new()),
        (
            "warnings",
            report.warnings,
            format!("in the logs, {}", report.logs.display()),
        ),
    ];
    for (word, number, remark) in rows {
        if number > 0 {
            writeln!(out, "  {word:<10}{:>7}  {remark}", grouped(number))?;
        }
    }
    for (index, frames) in &report.stale {
        writeln!(
            out,
            "\n{WARNING}stale{WARNING:#}   {}: frames {frames}\n        other settings or another state of the scene made them; they are kept.\n        Raise `version`, or move them away, to render them again",
            deliverables[*index].label()
        )?;
    }
    for (label, frames, reason, log) in failures(deliverables, report) {
        let word = if frames.count() == 1 {
            "frame"
        } else {
            "frames"
        };
        let which = if frames.is_empty() {
            "the movie".to_owned()
        } else {
            format!("{word} {frames}")
        };
        writeln!(
            out,
            "\n{ERROR}failed{ERROR:#}  {label}: {which}\n        {reason}"
        )?;
        if let Some(log) = log {
            writeln!(out, "        log {}", log.display())?;
        }
    }
    Ok(())
}

type Failed<'a> = (String, FrameSet, &'a str, Option<&'a PathBuf>);

/// Failures with one reason and one log together; a movie has no frames here.
fn failures<'a>(deliverables: &[Deliverable], report: &'a Report) -> Vec<Failed<'a>> {
    let mut groups: Vec<(usize, Vec<i64>, &str, Option<&PathBuf>)> = Vec::new();
    for failure in &report.failures {
        let log = failure.log.as_ref();
        let index = failure.deliverable;
        match groups
            .iter_mut()
            .find(|(i, _, r, g)| *i == index && *r == failure.reason && *g == log)
        {
            Some((_, frames, ..)) => frames.push(failure.frame),
            None => groups.push((index, vec![failure.frame], &failure.reason, log)),
        }
    }
    let told = |index: usize, frames: Vec<i64>| match deliverables[index].movie() {
        Some(_) => FrameSet::empty(),
        None => FrameSet::from_frames(frames),
    };
    groups
        .into_iter()
        .map(|(index, frames, reason, log)| {
            (
                deliverables[index].label(),
                told(index, frames),
                reason,
                log,
            )
        })
        .collect()
}
