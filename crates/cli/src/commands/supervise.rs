//! `truepath supervise`: started by a run in front of every engine; not for people.

use std::ffi::OsString;
use std::process::ExitCode;

use clap::Args;

use crate::outcome::Trouble;

/// Starts an engine and ends its whole process group when standard input closes.
#[derive(Debug, Args)]
pub(crate) struct Arguments {
    /// The engine's program and its arguments
    #[arg(last = true, required = true)]
    line: Vec<OsString>,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let (program, rest) = arguments
        .line
        .split_first()
        .ok_or_else(|| Trouble::Usage("a program is missing".to_owned()))?;
    let code = truepath_runner::supervise::supervise(program, rest);
    Ok(ExitCode::from(u8::try_from(code).unwrap_or(u8::MAX)))
}
