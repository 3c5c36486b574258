//! `truepath supervise`: started by a run beside the engines; not for people.

use std::process::ExitCode;

use crate::error::CommandError;

/// Ends the process groups that it is given when standard input closes.
pub(super) fn run() -> Result<ExitCode, CommandError> {
    truepath_runner::make::supervisor::supervise();
    Ok(ExitCode::SUCCESS)
}
