//! placeholder
use crate::outcome::Trouble;
use clap::Args;
use std::process::ExitCode;
/// Write the demo project
#[derive(Debug, Args)]
pub(crate) struct Arguments {}
pub(super) fn run(_: Arguments) -> Result<ExitCode, Trouble> {
    Ok(ExitCode::SUCCESS)
}
