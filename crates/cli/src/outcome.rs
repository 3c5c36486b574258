//! How a command ends: the one place where errors are reported, and exit codes given.

use std::io;
use std::process::ExitCode;

use truepath_core::deliverable::SelectionError;
use truepath_runner::load::LoadError;
use truepath_runner::run::RunError;

use crate::show::{alert, finding};

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
    /// Whoever read the output has had enough.
    #[error("the output was closed")]
    Closed,
}

impl CommandError {
    pub(crate) fn outside(what: impl Into<String>) -> impl FnOnce(io::Error) -> Self {
        let what = what.into();
        move |error| Self::Outside { what, error }
    }

    /// Reports it on standard error and gives the exit code.
    pub(crate) fn report(&self) -> u8 {
        let code = match self {
            Self::Closed => return DONE,
            Self::Load(LoadError::Mistakes { sources, findings }) => {
                finding::print_all(&mut anstream::stderr(), sources, findings, false);
                return WRONG;
            }
            Self::Load(LoadError::State { .. }) => OUTSIDE,
            Self::Load(_) | Self::Selection(_) | Self::Usage(_) => WRONG,
            Self::Run(_) | Self::Outside { .. } => OUTSIDE,
        };
        let red = crate::show::ERROR;
        alert(&format!("{red}error{red:#}: {self}"));
        code
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
