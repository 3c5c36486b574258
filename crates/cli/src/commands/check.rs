//! `truepath check`: findings about a job, before anything runs.

use std::process::ExitCode;

use clap::{Args, ValueEnum};
use truepath_core::finding::{Finding, Severity};
use truepath_core::fix::fix;
use truepath_core::rules::{Subject, check};
use truepath_core::source::{Place, Sources};
use truepath_runner::LoadError;
use truepath_runner::answers::answer;
use truepath_runner::disk::RealDisk;

use super::print_json;
use crate::job_arguments::{Chosen, JobArguments, NamedJob};
use crate::outcome::{CommandError, DONE, FOUND, WRONG};
use crate::shapes::findings::Findings;
use crate::show::finding::{print_all, summary};
use crate::show::sarif::sarif;
use crate::show::{self, ERROR, GOOD, TITLE, count, files};

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

/// What the rules have to say about the chosen part of a job.
pub(super) fn findings(chosen: &Chosen) -> Vec<Finding> {
    findings_asking(chosen, false)
}

/// The same; with `ask` engines are started to report their version and what their scenes have.
pub(super) fn findings_asking(chosen: &Chosen, ask: bool) -> Vec<Finding> {
    let answers = answer(&chosen.loaded, &chosen.chosen, ask);
    let (job, around) = (&chosen.loaded.job, &chosen.loaded.surroundings);
    let subject = Subject::new(job, &chosen.chosen, around, &answers);
    if chosen.is_selected {
        check(&subject.within(&chosen.all()))
    } else {
        check(&subject)
    }
}

/// Whether one of the findings is an error.
pub(super) fn has_errors(findings: &[Finding]) -> bool {
    findings
        .iter()
        .any(|finding| finding.severity == Severity::Error)
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let job = arguments.job.clone();
    job.for_each(|job| of_job(&arguments, job))
}

fn of_job(arguments: &Arguments, job: JobArguments) -> Result<ExitCode, CommandError> {
    let format = arguments.format;
    let chosen = match job.asking_for_frames(arguments.ask_engine).load() {
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
    if arguments.fix {
        return fix_files(&chosen, &findings, arguments.dry_run);
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
fn fix_files(chosen: &Chosen, findings: &[Finding], dry: bool) -> Result<ExitCode, CommandError> {
    let sources = &chosen.loaded.job.sources;
    let fixed = fix(sources, findings);
    if fixed.is_empty() {
        show::print(&format!(
            "nothing that can be fixed without a choice in {}",
            chosen.name
        ))?;
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
    Ok(ExitCode::from(DONE))
}
