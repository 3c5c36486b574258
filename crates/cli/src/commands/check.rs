//! `truepath check`: findings about a job, before anything runs.

use std::process::ExitCode;

use clap::Args;
use serde_json::json;
use truepath_core::finding::{Finding, Weight};
use truepath_core::rules::{Subject, check};
use truepath_runner::load::answer;

use super::{Format, print_json};
use crate::job_arguments::{Chosen, JobArguments};
use crate::outcome::{DONE, FOUND, Trouble};
use crate::shapes::VERSION;
use crate::show::finding::{as_json, summary, tell_all};
use crate::show::{count, files};

/// Check a job before anything runs
///
/// Every finding shows the place in the job file, says in numbers what would happen, and what to
/// do about it. Nothing is started and nothing is written.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath check\n  truepath check --shot dawn --set frames=1-240\n  truepath check --format json | jq '.findings[].code'"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// How the findings are printed
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

/// What the rules have to say about the chosen part of a job.
pub(super) fn findings(chosen: &Chosen) -> Vec<Finding> {
    let answers = answer(&chosen.chosen, &chosen.loaded.folder);
    check(&Subject::new(
        &chosen.loaded.job,
        &chosen.chosen,
        &chosen.loaded.surroundings,
        &answers,
    ))
}

/// Whether one of the findings is an error.
pub(super) fn has_errors(findings: &[Finding]) -> bool {
    findings
        .iter()
        .any(|finding| finding.weight == Weight::Error)
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let chosen = arguments.job.load()?;
    let findings = findings(&chosen);
    let sources = &chosen.loaded.job.sources;
    if arguments.format == Format::Json {
        print_json(&json!({ "version": VERSION, "findings": as_json(sources, &findings) }))?;
    } else {
        let mut out = anstream::stdout();
        tell_all(&mut out, sources, &findings);
        let deliverables = &chosen.chosen.deliverables;
        let wanted = deliverables
            .iter()
            .map(|one| one.common.chosen.count())
            .sum();
        anstream::println!(
            "{} ({}, {})",
            summary(&findings, &chosen.name),
            count(deliverables.len() as u64, "deliverable", "deliverables"),
            files(wanted)
        );
    }
    Ok(ExitCode::from(if has_errors(&findings) {
        FOUND
    } else {
        DONE
    }))
}
