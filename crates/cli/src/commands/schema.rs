//! `truepath schema`: JSON Schemas of what is written and printed.

use std::process::ExitCode;

use clap::{Args, ValueEnum};
use schemars::schema_for;
use truepath_core::schema::{job_schema, profile_schema};

use super::print_json;
use crate::error::{CommandError, DONE};
use crate::shapes;

/// Print the JSON Schema of a file or of an output
///
/// Of the job file and of engine profiles, for editors that complete and check while one types;
/// and of what commands print with `--format json`, for programs that read it.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  truepath schema job > truepath.schema.json\n\nMany editors take the schema from a first line such as\n  #:schema ./truepath.schema.json"
)]
pub(crate) struct Arguments {
    /// What the schema is of
    #[arg(value_enum, default_value = "job")]
    of: SchemaKind,
}

/// What there is a schema of.
#[derive(Debug, Clone, Copy, ValueEnum)]
enum SchemaKind {
    /// The job file, truepath.toml
    Job,
    /// An engine profile
    Profile,
    /// What `paths --format json` prints
    Paths,
    /// What `tokens --format json` prints
    Tokens,
    /// What `match --format json` prints
    Match,
    /// What `overview --format json` prints
    Overview,
    /// What `check --format json` prints
    Check,
    /// What `status --format json` prints
    Status,
    /// What `audit --format json` prints
    Audit,
    /// What `passes list --format json` prints
    Passes,
    /// What `gather --format json` prints
    Gather,
    /// What `queue --format json` prints
    Queue,
    /// What `times --format json` prints
    Times,
    /// What `compare --format json` prints
    Compare,
    /// What `scan --format json` prints
    Scan,
    /// What `engines --format json` prints
    Engines,
    /// What `why --format json` prints
    Why,
    /// What `rules --format json` prints
    Rules,
    /// What `clean --format json` prints
    Clean,
    /// What `run --dry-run --format json` prints
    DryRun,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    match arguments.of {
        SchemaKind::Job => print_json(&job_schema())?,
        SchemaKind::Profile => print_json(&profile_schema())?,
        SchemaKind::Paths => print_json(&schema_for!(shapes::paths::Paths))?,
        SchemaKind::Tokens => print_json(&schema_for!(shapes::tokens::Tokens))?,
        SchemaKind::Match => print_json(&schema_for!(shapes::matched::MatchedShape))?,
        SchemaKind::Check => print_json(&schema_for!(shapes::findings::Findings))?,
        SchemaKind::Status => print_json(&schema_for!(shapes::status::StatusShape))?,
        SchemaKind::Audit => print_json(&schema_for!(shapes::audit::AuditShape))?,
        SchemaKind::Passes => print_json(&schema_for!(shapes::passes::PassesShape))?,
        SchemaKind::Gather => print_json(&schema_for!(shapes::gather::GatherShape))?,
        SchemaKind::Queue => print_json(&schema_for!(shapes::queue::QueueShape))?,
        SchemaKind::Times => print_json(&schema_for!(shapes::times::TimesShape))?,
        SchemaKind::Compare => print_json(&schema_for!(shapes::compare::CompareShape))?,
        SchemaKind::Scan => print_json(&schema_for!(shapes::scan::ScanShape))?,
        SchemaKind::Engines => print_json(&schema_for!(shapes::engines::EnginesShape))?,
        SchemaKind::Why => print_json(&schema_for!(shapes::why::WhyShape))?,
        SchemaKind::Rules => print_json(&schema_for!(shapes::rules::RulesShape))?,
        SchemaKind::Clean => print_json(&schema_for!(shapes::clean::CleanShape))?,
        SchemaKind::DryRun => print_json(&schema_for!(shapes::dry_run::DryRunShape))?,
        SchemaKind::Overview => print_json(&schema_for!(shapes::overview::Overview))?,
    }
    Ok(ExitCode::from(DONE))
}
