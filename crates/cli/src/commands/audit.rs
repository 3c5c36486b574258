//! `truepath audit`: the files on disk compared with the job.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::Deliverable;
use truepath_core::finding::grouped;
use truepath_core::frames::FrameSet;
use truepath_runner::audit::{Audit, DeliverableAudit, audit};

use super::check::{findings, has_errors};
use super::{OutputFormat, print_json};
use crate::job_arguments::NamedJob;
use crate::outcome::{CommandError, DONE, FOUND, WRONG};
use crate::shapes::audit::AuditShape;
use crate::show::finding::print_all;
use crate::show::states::{changes, remark_on_direct_movies, unverifiable};
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING, count, files, frames_of, warn_of_ledgers};

/// Compare the files on disk with the job
///
/// Every file is decoded whole, and its bytes are compared with the hash that was published. It reports
/// the frames that are missing, broken (empty, truncated, damaged, of another size, format, channels or
/// bits), changed (not the bytes that were published), unverifiable (this program cannot decode them),
/// stale (made with other settings), and foreign: in the same folder, and wanted by no part of the job.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath audit\n  truepath audit --shot dawn --format json\n\nThe exit code is 0 when every wanted frame is there and whole."
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.job().load_latest()?;
    if !chosen.chosen.problems.is_empty() {
        let findings = findings(&chosen);
        print_all(
            &mut anstream::stderr(),
            &chosen.loaded.job.sources,
            &findings,
            false,
        );
        if has_errors(&findings) {
            return Ok(ExitCode::from(WRONG));
        }
    }
    let rendered = chosen.chosen.runnable();
    let audit = audit(&chosen.loaded, &rendered, &chosen.all())
        .map_err(CommandError::outside("the files cannot be audited"))?;
    warn_of_ledgers(chosen.loaded.state_folder().path(), &audit.remarks);
    remark_on_direct_movies(&chosen.chosen);
    if arguments.format == OutputFormat::Json {
        print_json(&AuditShape::of(&labels(&rendered.deliverables), &audit))?;
    } else {
        let mut out = crate::show::out();
        print(&mut out, &rendered.deliverables, &audit)?;
        out.flush()?;
    }
    Ok(ExitCode::from(if audit.is_clean() { DONE } else { FOUND }))
}

fn labels(deliverables: &[Deliverable]) -> Vec<String> {
    deliverables.iter().map(Deliverable::label).collect()
}

fn print(out: &mut impl Write, deliverables: &[Deliverable], audit: &Audit) -> io::Result<()> {
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
    let sum = |number: fn(&DeliverableAudit) -> u64| audit.accounts.iter().map(number).sum::<u64>();
    let (wanted, valid) = (sum(|one| one.wanted), sum(|one| one.valid));
    if audit.is_clean() {
        writeln!(
            out,
            "\n{GOOD}complete{GOOD:#}: all {} are there and whole",
            files(wanted)
        )
    } else {
        // A run trusts what has the size and time that it recorded.
        let any = |is: fn(&DeliverableAudit) -> bool| audit.accounts.iter().any(is);
        let advice = match (
            any(|one| !one.broken.is_empty()),
            any(|one| !one.missing.is_empty()),
        ) {
            (true, _) => {
                "; `truepath run` renders what is missing or broken, with --verify-all also what has kept its size and time"
            }
            (false, true) => "; `truepath run` renders what is missing",
            (false, false) => "",
        };
        writeln!(
            out,
            "\n{ERROR}not complete{ERROR:#}: {} of {} are there and whole{advice}",
            grouped(valid),
            files(wanted)
        )
    }
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
    if is_movie || account.why_stale.is_empty() {
        let why = if is_movie {
            "\n         its frames have changed since it was made, or are not whole"
        } else {
            "\n         other settings or another state of the scene made them"
        };
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
