//! `truepath audit`: the files on disk compared with the job.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use jiff::Zoned;
use jiff::civil::DateTime;
use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::file_state::FileState;
use truepath_core::finding::{Finding, grouped};
use truepath_core::frames::FrameSet;
use truepath_core::question::Answers;
use truepath_core::rules::{FinishedScope, Subject, judge_finished};
use truepath_runner::Loaded;
use truepath_runner::follow::audit::{Audit, AuditChoice, AuditOptions, DeliverableAudit, audit};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND, INTERRUPTED};
use crate::findings::has_errors;
use crate::job_arguments::{JobArguments, NamedJob};
use crate::shapes::audit::AuditShape;
use crate::show::finding::print_all;
use crate::show::reading::ReadingProgress;
use crate::show::states::{changes, unverifiable};
use crate::show::verdict::Verdict;
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING, count, files, frames_of, warn_of_ledgers};
use crate::signals;

/// Compare the files on disk with the job
///
/// Every file is decoded whole, and its bytes are compared with the hash that was published. It reports
/// the frames that are missing, broken (empty, truncated, damaged, of another size, format, channels or
/// bits), changed (not the bytes that were published), unverifiable (this program cannot decode them),
/// stale (made with other settings), and foreign: in the same folder, and wanted by no part of the job.
/// Pictures that are whole and may still be wrong are judged by the rules TP801 and up: black frames, parts
/// that were never rendered, the same picture under two names, and more.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath audit\n  truepath audit --shot dawn --format json\n  truepath audit --sample 5%\n  truepath audit --since 8h\n\nThe exit code is 0 when every wanted file is valid, and no rule has found an error."
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// How many files are read at once; unset, as many as there are cores
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..))]
    jobs: Option<u16>,
    /// Open only a part of the files, such as 5%: spread over each sequence, always with the first, the last
    /// and the newest
    #[arg(long, value_name = "PART", value_parser = part)]
    sample: Option<f64>,
    /// Open only files that have changed since then: so long ago, such as 8h, or a time such as
    /// 2026-02-03T04:05
    #[arg(long, value_name = "TIME", value_parser = since)]
    since: Option<i128>,
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
    let rendered = chosen.wanted()?.clone();
    let progress = ReadingProgress::new();
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let options = AuditOptions {
        jobs: arguments.jobs.map_or(cores, usize::from),
        choice: AuditChoice {
            sample: arguments.sample,
            since: arguments.since,
        },
        interrupt: signals::listen()?,
        observer: &|so_far| progress.show(so_far),
    };
    let audited = audit(&chosen.loaded, &rendered, &chosen.all(), &options);
    progress.end();
    let mut audit = audited.map_err(CommandError::outside("the files cannot be audited"))?;
    let findings = judge(&chosen.loaded, &rendered, &mut audit);
    warn_of_ledgers(chosen.loaded.state_folder().path(), &audit.remarks);
    if arguments.format == OutputFormat::Json {
        let sources = &chosen.loaded.job.sources;
        let labels = labels(&rendered.deliverables);
        print_json(&AuditShape::of(&labels, &audit, &findings, sources))?;
    } else {
        let mut out = crate::show::out();
        table(&mut out, &rendered.deliverables, &audit)?;
        // Findings end with an empty line of their own.
        writeln!(out)?;
        if !findings.is_empty() {
            out.flush()?;
            print_all(
                &mut anstream::stdout(),
                &chosen.loaded.job.sources,
                &findings,
                false,
            );
        }
        result(&mut out, &audit, &findings)?;
        out.flush()?;
    }
    Ok(ExitCode::from(if audit.interrupted {
        INTERRUPTED
    } else if audit.is_clean() && !has_errors(&findings) {
        DONE
    } else {
        FOUND
    }))
}

/// What the rules say about what the pictures show.
fn judge(loaded: &Loaded, rendered: &Expansion, audit: &mut Audit) -> Vec<Finding> {
    let mut answers = Answers::default();
    for (one, account) in rendered.deliverables.iter().zip(&mut audit.accounts) {
        let pictures = std::mem::take(&mut account.pictures);
        if !pictures.is_empty() {
            answers.pictures.insert(one.pattern.sketch(), pictures);
        }
    }
    let subject = Subject::of_pictures(&loaded.job, rendered, &loaded.surroundings, &answers);
    judge_finished(&subject, FinishedScope::All)
}

/// A part of a whole: `5%`.
fn part(text: &str) -> Result<f64, String> {
    let percent = text
        .strip_suffix('%')
        .and_then(|number| number.parse::<f64>().ok());
    percent
        .filter(|percent| *percent > 0.0 && *percent <= 100.0)
        .map(|percent| percent / 100.0)
        .ok_or_else(|| "a part is written as 5%".to_owned())
}

/// A time, in nanoseconds since 1970: so long ago, or a date and a time of day.
fn since(text: &str) -> Result<i128, String> {
    let now = Zoned::now();
    let time = match truepath_core::job::length_of_time(text) {
        Some(length) => now.checked_sub(length).ok(),
        None => text
            .parse::<DateTime>()
            .ok()
            .and_then(|time| time.to_zoned(now.time_zone().clone()).ok()),
    };
    time.map(|time| time.timestamp().as_nanosecond())
        .ok_or_else(|| "a time is written as 8h, 90m or 2026-02-03T04:05".to_owned())
}

fn labels(deliverables: &[Deliverable]) -> Vec<String> {
    deliverables.iter().map(Deliverable::label).collect()
}

fn table(out: &mut impl Write, deliverables: &[Deliverable], audit: &Audit) -> io::Result<()> {
    let labels = labels(deliverables);
    let width = labels
        .iter()
        .map(|label| label.chars().count())
        .max()
        .unwrap_or(0)
        .max(11);
    writeln!(
        out,
        "{TITLE}{:<width$}  {:>8}  {:>8}  {:>8}  {:>8}  {:>8}  {:>8}  {:>8}{TITLE:#}",
        "deliverable", "wanted", "valid", "missing", "broken", "changed", "stale", "foreign"
    )?;
    for (label, account) in labels.iter().zip(&audit.accounts) {
        let sum = |by_reason: &[(String, FrameSet)]| -> u64 {
            by_reason.iter().map(|(_, frames)| frames.count()).sum()
        };
        let broken = sum(&account.broken);
        write!(out, "{label:<width$}")?;
        for (number, style) in [
            (account.wanted, TITLE),
            (account.valid, GOOD),
            (account.missing.count(), ERROR),
            (broken, ERROR),
            (sum(&account.changed), WARNING),
            (account.stale.count(), WARNING),
            (account.foreign.count(), WARNING),
        ] {
            let style = if number == 0 { FAINT } else { style };
            write!(out, "  {style}{:>8}{style:#}", grouped(number))?;
        }
        writeln!(out)?;
    }
    for (one, account) in deliverables.iter().zip(&audit.accounts) {
        details(out, one, account)?;
    }
    for (folder, name, frames) in &audit.strangers {
        let frames = if frames.is_empty() {
            String::new()
        } else {
            format!(" {frames}")
        };
        writeln!(
            out,
            "\n{WARNING}foreign{WARNING:#}  {}/{name}{frames}",
            folder.display()
        )?;
    }
    Ok(())
}

/// The last lines: whether all is there and whole.
fn result(out: &mut impl Write, audit: &Audit, findings: &[Finding]) -> io::Result<()> {
    let sum = |number: fn(&DeliverableAudit) -> u64| audit.accounts.iter().map(number).sum::<u64>();
    let verdict = verdict(audit);
    let closed = sum(|one| one.not_looked_into.count());
    let unmeasured = sum(|one| one.not_measured.count());
    if unmeasured > 0 {
        writeln!(
            out,
            "{FAINT}not measured{FAINT:#}  {}: they are decoded, but this program cannot measure pictures of their kind\n",
            files(unmeasured)
        )?;
    }
    if audit.interrupted {
        return writeln!(
            out,
            "{WARNING}interrupted{WARNING:#}: {} of {} were read; the others were not checked",
            grouped(audit.read.files),
            files(audit.read.of)
        );
    }
    let closed = if closed > 0 {
        format!(
            "; {} not opened, only names, sizes and times were compared",
            count(closed, "file was", "files were")
        )
    } else {
        String::new()
    };
    if verdict.is_complete() && !audit.is_whole() {
        return writeln!(
            out,
            "{GOOD}no fault found{GOOD:#}: {}{closed}",
            verdict.sentence("")
        );
    }
    if verdict.is_complete() {
        let suspicious = match findings.len() as u64 {
            0 => String::new(),
            found => format!(
                ", with {} about what they show",
                count(found, "finding", "findings")
            ),
        };
        return writeln!(out, "{verdict}{suspicious}{closed}");
    }
    // A run trusts what has the size and time that it recorded.
    let any = |is: fn(&DeliverableAudit) -> bool| audit.accounts.iter().any(is);
    let advice = match (
        any(|one| !one.broken.is_empty()),
        any(|one| !one.missing.is_empty()),
    ) {
        (true, _) => {
            "\n`truepath run --verify-all` renders what is missing or broken; without the option a run trusts sizes and times"
        }
        (false, true) => "\n`truepath run` renders what is missing",
        (false, false) => "",
    };
    writeln!(out, "{verdict}{advice}{closed}")
}

/// How many files are valid, and what the others are.
fn verdict(audit: &Audit) -> Verdict {
    let sum =
        |number: &dyn Fn(&DeliverableAudit) -> u64| audit.accounts.iter().map(number).sum::<u64>();
    let by_reason = |of: fn(&DeliverableAudit) -> &[(String, FrameSet)]| {
        sum(&|account| of(account).iter().map(|(_, frames)| frames.count()).sum())
    };
    Verdict::new(
        sum(&|one| one.wanted),
        sum(&|one| one.valid),
        [
            (FileState::Missing, sum(&|one| one.missing.count())),
            (FileState::Broken, by_reason(|one| &one.broken)),
            (FileState::Changed, by_reason(|one| &one.changed)),
            (FileState::Unverifiable, by_reason(|one| &one.unverifiable)),
            (FileState::Stale, sum(&|one| one.stale.count())),
        ],
    )
}

fn details(out: &mut impl Write, one: &Deliverable, account: &DeliverableAudit) -> io::Result<()> {
    let (label, is_movie) = (one.label(), one.movie().is_some());
    let mut row = |word: &str, style, frames: &FrameSet, why: &str| {
        if frames.is_empty() {
            return Ok(());
        }
        let frames = if is_movie {
            "the movie".to_owned()
        } else {
            frames_of(frames)
        };
        writeln!(out, "\n{style}{word:<7}{style:#}  {label}: {frames}{why}")
    };
    row("missing", ERROR, &account.missing, "")?;
    for (reason, frames) in &account.broken {
        row("broken", ERROR, frames, &format!("\n         {reason}"))?;
    }
    for (difference, frames) in &account.changed {
        let why = format!(
            "\n         {difference}.\n         `run --verify-all --keep-stale` takes them as they are, `run --verify-all --rerender-stale` renders them again"
        );
        row("changed", WARNING, frames, &why)?;
    }
    for (note, frames) in &account.notes {
        row("note", FAINT, frames, &format!("\n         {note}"))?;
    }
    for (reason, frames) in &account.unverifiable {
        row("unverifiable", WARNING, frames, &unverifiable(reason))?;
    }
    if account.why_stale.is_empty() {
        let why = "\n         other settings or another state of the scene made them";
        row("stale", WARNING, &account.stale, why)?;
    }
    for why in &account.why_stale {
        let changes = format!("\n         {}", changes(&why.changes));
        row("stale", WARNING, &why.frames, &changes)?;
    }
    let why = format!(
        "\n         {} the job does not want",
        count(account.foreign.count(), "frame that", "frames that")
    );
    row("foreign", WARNING, &account.foreign, &why)
}
