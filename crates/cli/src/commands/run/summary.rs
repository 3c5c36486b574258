//! The result of a run, worth reading in the morning.

use std::io::{self, Write};
use std::path::PathBuf;

use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::finding::{Finding, Severity, grouped};
use truepath_core::frames::FrameSet;
use truepath_runner::make::run::{Report, Warning};
use truepath_runner::record::aside::aside_entries;

use crate::show::pace::{pace, rough};
use crate::show::states::unverifiable;
use crate::show::verdict::Verdict;
use crate::show::{ERROR, FAINT, WARNING, bytes, count, files, frames_of};

/// The summary: the result first, then the numbers, then what is missing and why.
pub(super) fn print(
    out: &mut impl Write,
    deliverables: &[Deliverable],
    report: &Report,
    name: &str,
) -> io::Result<()> {
    result(out, report, name)?;
    numbers(out, report)?;
    for (index, found) in &report.splits {
        let label = deliverables[*index].label();
        writeln!(out, "\n{FAINT}split{FAINT:#}   {label}: {}", found.words())?;
    }
    kept_and_not_done(out, deliverables, report)?;
    print_suspicious(out, &report.suspicious)?;
    print_warnings(out, &report.warnings)?;
    not_made(out, deliverables, report)
}

/// Whether all is valid, in a line.
fn result(out: &mut impl Write, report: &Report, name: &str) -> io::Result<()> {
    let verdict = Verdict::new(report.wanted, report.valid(), report.not_valid());
    match report.halt.as_ref().filter(|_| !report.is_complete()) {
        Some(halt) => writeln!(
            out,
            "{WARNING}stopped{WARNING:#}: {}; {}. `truepath run` goes on from here",
            verdict.sentence(name),
            halt.why
        ),
        None => writeln!(out, "{}", verdict.line(name)),
    }
}

/// How the files came, and what did not.
fn numbers(out: &mut impl Write, report: &Report) -> io::Result<()> {
    // A clock that was set back meanwhile must not show.
    let seconds = report.took.as_secs_f64().max(0.0);
    let rows = [
        (
            "recovered",
            report.recovered,
            "finished by an earlier run that was killed".to_owned(),
        ),
        (
            "kept",
            report.kept,
            match report.unread {
                0 => "there before".to_owned(),
                unread => format!(
                    "there before; {} of them checked by size and time only",
                    grouped(unread)
                ),
            },
        ),
        (
            "adopted",
            report.adopted,
            "of those: new to the ledger, decoded and taken".to_owned(),
        ),
        (
            "accepted",
            report.accepted,
            "of those: taken as they are, as you asked".to_owned(),
        ),
        (
            "elsewhere",
            report.elsewhere,
            "brought meanwhile by other runs of this job".to_owned(),
        ),
        (
            "rendered",
            report.rendered,
            format!(
                "in {}, {}",
                rough(seconds),
                pace(report.rendered as f64 / seconds.max(0.001))
            ),
        ),
        (
            "discarded",
            report.thrown_away,
            "rendered besides and removed: to compare them, or because a clip may not be split"
                .to_owned(),
        ),
        (
            "continued",
            report.continued,
            "of the frames: from a checkpoint".to_owned(),
        ),
        (
            "failed",
            report.failures.len() as u64,
            "see below".to_owned(),
        ),
        ("not tried", report.not_tried(), String::new()),
        (
            "warnings",
            report.warnings.iter().map(|one| one.count).sum(),
            format!("in the logs, {}", report.logs.display()),
        ),
    ];
    for (word, number, remark) in rows {
        if number > 0 {
            writeln!(out, "  {word:<10}{:>7}  {remark}", grouped(number))?;
        }
    }
    Ok(())
}

/// Files that are kept and are not valid.
fn kept_and_not_done(
    out: &mut impl Write,
    deliverables: &[Deliverable],
    report: &Report,
) -> io::Result<()> {
    for (index, difference, frames) in &report.changed {
        writeln!(
            out,
            "\n{WARNING}changed{WARNING:#} {}: {}\n        {difference}; they are kept, and are not valid.\n        `run --keep-stale` takes them as they are, `run --rerender-stale` renders them again",
            deliverables[*index].label(),
            frames_of(frames)
        )?;
    }
    for (engine, path) in &report.disproven {
        writeln!(
            out,
            "\n{WARNING}too soon{WARNING:#} {engine} wrote {path} again after it had called it finished.\n        The later picture counts, and for the rest of this run a picture was finished only when its process had ended well.\n        Correct `log` and `in-order` in the profile of {engine}"
        )?;
    }
    for (index, reason, frames) in &report.unverifiable {
        writeln!(
            out,
            "\n{WARNING}unverifiable{WARNING:#} {}: {}{}",
            deliverables[*index].label(),
            frames_of(frames),
            unverifiable(reason)
        )?;
    }
    for (index, frame, reason) in &report.not_accepted {
        writeln!(
            out,
            "\n{ERROR}refused{ERROR:#} {}: frame {frame} cannot be taken as it is: {reason}",
            deliverables[*index].label()
        )?;
    }
    for (index, frames) in &report.stale {
        writeln!(
            out,
            "\n{WARNING}stale{WARNING:#}   {}: {}\n        other settings or another state of the scene made them; they are kept, and are not valid.\n        `run --rerender-stale` renders them again, `run --keep-stale` takes them as they are",
            deliverables[*index].label(),
            frames_of(frames)
        )?;
    }
    Ok(())
}

/// Frames that were not finished, and why.
fn not_made(out: &mut impl Write, deliverables: &[Deliverable], report: &Report) -> io::Result<()> {
    for (index, frame, continues) in &report.unfinished {
        let then = if *continues {
            "the next run continues it from its checkpoint"
        } else {
            "the next run renders it from the start"
        };
        writeln!(
            out,
            "\n{WARNING}stopped{WARNING:#} {}: in the middle of frame {frame}; {then}",
            deliverables[*index].label()
        )?;
    }
    for one in &report.given_up {
        let tried = report.failures.iter();
        let tried = tried.filter(|failure| failure.deliverable == one.deliverable);
        let frames = FrameSet::from_frames(tried.clone().map(|failure| failure.frame));
        writeln!(
            out,
            "\n{ERROR}given up{ERROR:#} {}: {} failed alike, so {} {} not tried\n        {}",
            deliverables[one.deliverable].label(),
            frames_of(&frames),
            count(one.frames.count(), "frame", "frames"),
            if one.frames.count() == 1 {
                "was"
            } else {
                "were"
            },
            one.reason
        )?;
        if let Some(log) = tried.filter_map(|failure| failure.log.as_ref()).min() {
            writeln!(out, "        log {}", log.display())?;
        }
    }
    for (label, frames, reason, log) in failures(deliverables, report) {
        let which = if frames.is_empty() {
            "the movie".to_owned()
        } else {
            frames_of(&frames)
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

/// So many findings about pictures are reported.
const MOST_SUSPICIOUS: usize = 8;

/// What the rules say about what the pictures show.
fn print_suspicious(out: &mut impl Write, findings: &[Finding]) -> io::Result<()> {
    for one in findings.iter().take(MOST_SUSPICIOUS) {
        let style = if one.severity == Severity::Note {
            FAINT
        } else {
            WARNING
        };
        let effect = one.consequence.as_deref().unwrap_or("look at them");
        writeln!(
            out,
            "\n{style}look at{style:#} {}\n        {effect} ({})",
            one.sentence, one.code
        )?;
    }
    let more = findings.len().saturating_sub(MOST_SUSPICIOUS) as u64;
    if more > 0 {
        let findings = count(more, "finding", "findings");
        writeln!(
            out,
            "\n{FAINT}and {findings} more: `truepath audit` shows all{FAINT:#}"
        )?;
    }
    Ok(())
}

/// So many kinds of warnings are reported.
const MOST_KINDS: usize = 8;

/// The warnings by kind, those first that no earlier run had.
fn print_warnings(out: &mut impl Write, warnings: &[Warning]) -> io::Result<()> {
    for one in warnings.iter().take(MOST_KINDS) {
        let new = if one.is_new { ", new" } else { "" };
        writeln!(
            out,
            "\n{WARNING}warning{WARNING:#} {}{new}: {}\n        {FAINT}first in {}, line {}{FAINT:#}",
            count(one.count, "time", "times"),
            one.first,
            one.log.display(),
            one.line
        )?;
    }
    if let Some(more) = warnings
        .len()
        .checked_sub(MOST_KINDS)
        .filter(|more| *more > 0)
    {
        let kinds = count(more as u64, "kind", "kinds");
        writeln!(
            out,
            "\n{FAINT}and {kinds} of warnings more, in the logs{FAINT:#}"
        )?;
    }
    Ok(())
}

type FailedFrames<'a> = (String, FrameSet, &'a str, Option<&'a PathBuf>);

/// Failures with one reason and one log together; a movie has no frames here.
fn failures<'a>(deliverables: &[Deliverable], report: &'a Report) -> Vec<FailedFrames<'a>> {
    let mut groups: Vec<(DeliverableId, Vec<i64>, &str, Option<&PathBuf>)> = Vec::new();
    let is_given_up = |index: DeliverableId| {
        let mut given_up = report.given_up.iter();
        given_up.any(|one| one.deliverable == index)
    };
    for failure in &report.failures {
        if is_given_up(failure.deliverable) {
            continue;
        }
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
    let named = |index: DeliverableId, frames: Vec<i64>| match deliverables[index].movie() {
        Some(_) => FrameSet::empty(),
        None => FrameSet::from_frames(frames),
    };
    groups
        .into_iter()
        .map(|(index, frames, reason, log)| {
            (
                deliverables[index].label(),
                named(index, frames),
                reason,
                log,
            )
        })
        .collect()
}

/// How much was set aside beside the frames, by this run and by those before.
pub(super) fn print_set_aside(out: &mut impl Write, expansion: &Expansion) -> io::Result<()> {
    let entries = aside_entries(expansion)?;
    if !entries.is_empty() {
        writeln!(
            out,
            "\nset aside: {}, {}; `truepath clean` shows where",
            files(entries.iter().map(|entry| entry.files).sum()),
            bytes(entries.iter().map(|entry| entry.bytes).sum())
        )?;
    }
    Ok(())
}
