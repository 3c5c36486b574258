//! Why a run could not be done.

use std::io;
use std::path::Path;

use truepath_core::command::learn::LearnError;

use crate::make::session::SessionError;
use crate::make::staging_area::CollectError;

/// Why a run could not be done.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// No session could begin.
    #[error(transparent)]
    Session(#[from] SessionError),
    /// A scene cannot be read.
    #[error("the scene {path} cannot be read: {error}")]
    Scene {
        /// The scene.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// The disk refuses.
    #[error("{path}: {error}")]
    Disk {
        /// Where.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// A link leads out of a place.
    #[error("the folder {folder} leads out of its place {root} by a link")]
    Outside {
        /// The folder.
        folder: String,
        /// The place.
        root: String,
    },
    /// Files are in the way, and the job says that a run must not begin then.
    #[error(
        "{count} of the wanted files are there already, such as {first}; the job says existing = \"refuse\""
    )]
    Refused {
        /// How many.
        count: u64,
        /// The first of them.
        first: String,
    },
    /// Another run makes the files of this version with other settings, and the job says that a run goes on to the next
    /// one.
    #[error("another run makes this version with other settings, such as {first}")]
    Claimed {
        /// The first of the files.
        first: String,
    },
    /// The supervisor cannot be started.
    #[error("the supervisor cannot be started: {0}")]
    Supervisor(io::Error),
    /// Others have taken this run for dead.
    #[error(
        "another run has taken this one for dead, since it gave no sign of life for longer than dead-after, and goes on in its place"
    )]
    Fenced,
    /// A staging folder cannot be read.
    #[error("a staging folder cannot be read: {0}")]
    Staging(io::Error),
    /// It is not clear which frame a file of an engine is.
    #[error(transparent)]
    Files(LearnError),
    /// A profile has a mistake that shows only when it is used.
    #[error("{engine}: {error}")]
    Profile {
        /// The engine.
        engine: String,
        /// The mistake.
        error: truepath_core::command::ArgumentError,
    },
    /// A pattern of a profile is no regular expression.
    #[error("the profile {engine} has a pattern that cannot be read: {error}")]
    Pattern {
        /// The engine.
        engine: String,
        /// Why.
        error: regex::Error,
    },
}

impl From<CollectError> for RunError {
    fn from(error: CollectError) -> Self {
        match error {
            CollectError::Fenced => Self::Fenced,
            CollectError::Disk(error) => Self::Staging(error),
            CollectError::Learn(error) => Self::Files(error),
        }
    }
}

impl RunError {
    /// Whether no run can go on after it: others have taken this one for dead, its state cannot be written, or the disk is
    /// full. Every other error costs the frames of its process only.
    pub(super) fn ends_the_run(&self, state: &Path) -> bool {
        let is_full = |error: &io::Error| {
            matches!(
                error.kind(),
                io::ErrorKind::StorageFull
                    | io::ErrorKind::QuotaExceeded
                    | io::ErrorKind::ReadOnlyFilesystem
            )
        };
        match self {
            Self::Disk { path, error } => is_full(error) || Path::new(path).starts_with(state),
            Self::Staging(error) => is_full(error),
            Self::Session(_)
            | Self::Refused { .. }
            | Self::Claimed { .. }
            | Self::Supervisor(_)
            | Self::Fenced => true,
            Self::Scene { .. }
            | Self::Outside { .. }
            | Self::Files(_)
            | Self::Profile { .. }
            | Self::Pattern { .. } => false,
        }
    }

    pub(super) fn disk(path: &Path) -> impl FnOnce(io::Error) -> Self + use<> {
        let path = path.display().to_string();
        move |error| Self::Disk { path, error }
    }
}
