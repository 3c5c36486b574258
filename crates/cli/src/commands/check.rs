//! `truepath check`: findings about a job, before anything runs.

use std::path::Path;
use std::process::ExitCode;

use clap::{Args, ValueEnum};
use truepath_core::finding::{Finding, Severity};
use truepath_core::fix::{FixedFile, fix};
use truepath_core::source::{Place, Sources};
use truepath_runner::LoadError;
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::queue::load_queue;

use super::print_json;
use super::queue::clashes;
use crate::error::{CommandError, DONE, FOUND, WRONG};
use crate::findings::{findings_asking, has_errors};
use crate::job_arguments::{Chosen, JobArguments, NamedJob};
use crate::shapes::findings::Findings;
use crate::show::finding::{print_all, summary};
use crate::show::sarif::sarif;
use crate::show::{self, ERROR, GOOD, TITLE, WARNING, count, files};

/// Check a job before anything runs
///
/// Every finding shows the place in the job file, says in numbers what would happen, and what to
/// do about it. Nothing is started but with --ask-engine, and no job file is written but with
/// --fix.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath check\n  truepath check --shot dawn --set frames=1-240\n  truepath check --ask-engine\n  truepath check --fix --dry-run\n  truepath check --format json | jq '.findings[].code'"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// Start engines to ask their version and what their scenes have: cameras, passes, frames, files.
    /// The answers are kept, by the content of the scene
    #[arg(long)]
    ask_engine: bool,
    /// Write what a finding advises into the job file, where there is no choice; all else stays
    #[arg(long)]
    fix: bool,
    /// With --fix: fix files as well that this job builds on, which other jobs may use too
    #[arg(long, requires = "fix")]
    fix_base: bool,
    /// With --fix: show what would change, and write nothing
    #[arg(long, requires = "fix")]
    dry_run: bool,
    /// Show every finding, also those of one cause
    #[arg(long)]
    all: bool,
    /// How the findings are printed
    #[arg(long, value_enum, default_value = "text")]
    format: CheckFormat,
}

/// For people, for programs, or for editors.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum CheckFormat {
    /// To be read
    Text,
    /// JSON, with a version number
    Json,
    /// SARIF 2.1.0, for editors and services that show findings in place
    Sarif,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let job = arguments.job.clone();
    let queue = job.queue();
    let code = job.for_each(|job| of_job(&arguments, job))?;
    let Some(path) = queue else {
        return Ok(code);
    };
    let found = clashes(&path, &load_queue(&path)?);
    for sentence in &found {
        show::alert(&format!("{ERROR}ERROR TP102{ERROR:#}  {sentence}"));
    }
    Ok(if found.is_empty() {
        code
    } else {
        ExitCode::from(FOUND)
    })
}

fn of_job(arguments: &Arguments, job: JobArguments) -> Result<ExitCode, CommandError> {
    let format = arguments.format;
    let again = arguments.fix.then(|| job.clone());
    let chosen = match job.asking_for_frames(arguments.ask_engine).load_names() {
        // What cannot be read is reported in the form that was asked for.
        Err(CommandError::Load(LoadError::Mistakes { sources, findings }))
            if format != CheckFormat::Text =>
        {
            print(format, &sources, &findings)?;
            return Ok(ExitCode::from(WRONG));
        }
        loaded => loaded?,
    };
    let findings = findings_asking(&chosen, arguments.ask_engine);
    let sources = &chosen.loaded.job.sources;
    if let Some(job) = again {
        fix_files(&chosen, &findings, arguments)?;
        return Ok(if arguments.dry_run {
            ExitCode::from(DONE)
        } else {
            what_is_left(job)?
        });
    }
    if format == CheckFormat::Text {
        let mut out = anstream::stdout();
        print_all(&mut out, sources, &findings, arguments.all);
        let deliverables = &chosen.chosen.deliverables;
        let wanted = deliverables
            .iter()
            .map(|one| one.common.frames.selected.count())
            .sum();
        show::print(&format!(
            "{} ({}, {})",
            summary(&findings, &chosen.name),
            count(deliverables.len() as u64, "deliverable", "deliverables"),
            files(wanted)
        ))?;
    } else {
        print(format, sources, &findings)?;
    }
    let code = if has_errors(&findings) { FOUND } else { DONE };
    // All of a large job goes with the process; to take it apart takes time.
    std::mem::forget((chosen, findings));
    Ok(ExitCode::from(code))
}

fn print(format: CheckFormat, sources: &Sources, findings: &[Finding]) -> Result<(), CommandError> {
    match format {
        CheckFormat::Sarif => print_json(&sarif(sources, findings)),
        CheckFormat::Text | CheckFormat::Json => print_json(&Findings::of(sources, findings)),
    }
}

/// Applies the fixes, or shows them only; a file is written beside itself and then renamed over,
/// so that it is never half there.
fn fix_files(
    chosen: &Chosen,
    findings: &[Finding],
    arguments: &Arguments,
) -> Result<(), CommandError> {
    let dry = arguments.dry_run;
    let sources = &chosen.loaded.job.sources;
    let own = chosen.loaded.folder.join(&chosen.loaded.file);
    let is_own = |name: &str| {
        chosen.loaded.folder.join(name) == own
            || Path::new(name) == own
            || std::path::absolute(name).is_ok_and(|path| path == own)
    };
    let fixes = fix(sources, findings);
    for one in &fixes.by_hand {
        let (line, _) = sources.line_and_column(&one.place);
        show::alert(&format!(
            "{WARNING}not fixed{WARNING:#} {}:{line}: the text has several lines, quotes or escapes; write {:?} by hand",
            sources.get(one.place.source).name,
            one.text
        ));
    }
    let (fixed, bases): (Vec<FixedFile>, Vec<FixedFile>) = fixes
        .files
        .into_iter()
        .partition(|one| arguments.fix_base || is_own(&sources.get(one.source).name));
    for base in &bases {
        show::alert(&format!(
            "{WARNING}not fixed{WARNING:#} {}: other jobs may build on it too; --fix-base fixes it as well",
            sources.get(base.source).name
        ));
    }
    if fixed.is_empty() {
        show::print(&format!(
            "nothing that can be fixed without a choice in {}",
            chosen.name
        ))?;
        return Ok(());
    }
    for one in &fixed {
        let source = sources.get(one.source);
        let path = chosen.loaded.folder.join(&source.name);
        let path = if path.is_file() {
            path
        } else {
            source.name.clone().into()
        };
        for (span, new) in &one.changes {
            let place = Place {
                source: one.source,
                span: span.clone(),
            };
            let (line, _) = sources.line_and_column(&place);
            let old = &source.text[span.clone()];
            show::print(&format!("{TITLE}{}:{line}{TITLE:#}", source.name))?;
            show::print(&format!("  {ERROR}- {old}{ERROR:#}"))?;
            show::print(&format!("  {GOOD}+ {new}{GOOD:#}"))?;
        }
        if !dry {
            truepath_runner::rewrite(&RealDisk, &path, &source.text, &one.text)
                .map_err(CommandError::outside(&*source.name))?;
        }
    }
    let number = fixed.iter().map(|one| one.changes.len() as u64).sum();
    let text = count(number, "place", "places");
    show::print(&if dry {
        format!("{text} would be fixed")
    } else {
        format!("{text} fixed; `truepath check` shows what is left")
    })?;
    Ok(())
}

/// The exit code of a job by what is left after the fixes.
fn what_is_left(job: JobArguments) -> Result<ExitCode, CommandError> {
    let chosen = job.load_names()?;
    let findings = findings_asking(&chosen, false);
    let is_error = |finding: &&Finding| finding.severity == Severity::Error;
    let left = findings.iter().filter(is_error).count() as u64;
    if left == 0 {
        return Ok(ExitCode::from(DONE));
    }
    show::alert(&format!("{} left", count(left, "error", "errors")));
    Ok(ExitCode::from(FOUND))
}
