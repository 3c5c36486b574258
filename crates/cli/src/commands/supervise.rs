//! `truepath supervise`: started by a run beside the engines; not for people.

use std::process::ExitCode;

use crate::outcome::Trouble;

/// Ends the process groups that it is told of when standard input closes.
pub(super) fn run() -> Result<ExitCode, Trouble> {
    truepath_runner::supervisor::supervise();
    Ok(ExitCode::SUCCESS)
}
