//! Why a command could not do its work, and the exit codes.

use std::io;
use std::process::ExitCode;

use truepath_core::deliverable::SelectionError;
use truepath_runner::load::LoadError;
use truepath_runner::make::run::RunError;

/// Done.
pub(crate) const DONE: u8 = 0;
/// Errors were found, or frames are missing or stale.
pub(crate) const FOUND: u8 = 1;
/// Wrong usage, or a wrong job file.
pub(crate) const WRONG: u8 = 2;
/// Something outside failed.
pub(crate) const OUTSIDE: u8 = 3;
/// Interrupted.
pub(crate) const INTERRUPTED: u8 = 130;

/// The number of an exit code of this program.
pub(crate) fn number_of(code: ExitCode) -> u8 {
    let all = [DONE, FOUND, WRONG, OUTSIDE, INTERRUPTED];
    let is_it = |number: &u8| ExitCode::from(*number) == code;
    all.into_iter().find(is_it).unwrap_or(OUTSIDE)
}

/// Why a command could not do its work.
#[derive(Debug, thiserror::Error)]
pub(crate) enum CommandError {
    #[error(transparent)]
    Load(#[from] LoadError),
    #[error(transparent)]
    Selection(#[from] SelectionError),
    #[error("{0}")]
    Usage(String),
    #[error(transparent)]
    Run(#[from] RunError),
    #[error("{what}: {error}")]
    Outside { what: String, error: io::Error },
    /// A limit of the system leaves no room.
    #[error("{0}")]
    Limit(String),
    /// No file of the chosen part of a job is wanted.
    #[error(
        "no file of {0} is wanted, so nothing can be complete: it has no output and shot with frames that are chosen; `truepath check` says why"
    )]
    NothingWanted(String),
    /// The work was divided, and this part of it got nothing.
    #[error("nothing for this part of {0}")]
    NothingForPart(String),
    /// Whoever read the output has had enough.
    #[error("the output was closed")]
    Closed,
}

impl CommandError {
    pub(crate) fn outside(what: impl Into<String>) -> impl FnOnce(io::Error) -> Self {
        let what = what.into();
        move |error| Self::Outside { what, error }
    }

    /// The error of the system that it is about, where it has one.
    pub(crate) fn of_system(&self) -> Option<&io::Error> {
        match self {
            Self::Outside { error, .. } | Self::Run(RunError::Disk { error, .. }) => Some(error),
            Self::Run(RunError::Supervisor(error) | RunError::Staging(error)) => Some(error),
            _ => None,
        }
    }
}

/// Output that fails because nobody reads it any more is no error.
impl From<io::Error> for CommandError {
    fn from(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::BrokenPipe {
            Self::Closed
        } else {
            Self::Outside {
                what: "the output cannot be written".to_owned(),
                error,
            }
        }
    }
}
