//! `truepath schema`: JSON Schemas of what is written and printed.

use std::process::ExitCode;

use clap::{Args, ValueEnum};
use schemars::schema_for;
use truepath_core::schema::{job_schema, profile_schema};

use super::print_json;
use crate::outcome::{DONE, Trouble};
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
    of: Of,
}

/// What there is a schema of.
#[derive(Debug, Clone, Copy, ValueEnum)]
enum Of {
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
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    match arguments.of {
        Of::Job => print_json(&job_schema())?,
        Of::Profile => print_json(&profile_schema())?,
        Of::Paths => print_json(&schema_for!(shapes::paths::Paths))?,
        Of::Tokens => print_json(&schema_for!(shapes::tokens::Tokens))?,
        Of::Match => print_json(&schema_for!(shapes::matched::MatchedShape))?,
        Of::Check => print_json(&schema_for!(shapes::findings::Findings))?,
        Of::Status => print_json(&schema_for!(shapes::status::StatusShape))?,
        Of::Overview => print_json(&schema_for!(shapes::overview::Overview))?,
    }
    Ok(ExitCode::from(DONE))
}
