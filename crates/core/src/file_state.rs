//! The state of a wanted file: one word for it in every command, message and JSON.

use std::fmt;

/// What a file is beside what the job wants. How it came (rendered, adopted, accepted) is recorded beside its state.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum FileState {
    /// No file has its name.
    Missing,
    /// A process is making it.
    Running,
    /// Whole, of the right kind, and made with the settings of today.
    Valid,
    /// Whole, and made with other settings or from other files than those of today.
    Stale,
    /// Whole, and not the bytes that were published.
    Changed,
    /// Not whole, or not what the job wants.
    Broken,
    /// This program cannot tell whether it is whole.
    Unverifiable,
    /// All tries to make it failed.
    Failed,
    /// No part of the job wants it.
    Foreign,
}

impl FileState {
    /// All states.
    pub const ALL: [Self; 9] = [
        Self::Missing,
        Self::Running,
        Self::Valid,
        Self::Stale,
        Self::Changed,
        Self::Broken,
        Self::Unverifiable,
        Self::Failed,
        Self::Foreign,
    ];

    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Missing => "missing",
            Self::Running => "running",
            Self::Valid => "valid",
            Self::Stale => "stale",
            Self::Changed => "changed",
            Self::Broken => "broken",
            Self::Unverifiable => "unverifiable",
            Self::Failed => "failed",
            Self::Foreign => "foreign",
        }
    }
}

impl fmt::Display for FileState {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(self.word())
    }
}
