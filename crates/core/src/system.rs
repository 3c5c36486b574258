//! Operating systems, as far as paths differ.

use crate::template::{PathPattern, Piece};

/// A system that paths are made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum System {
    /// Linux, and what is like it.
    Linux,
    /// Windows.
    Windows,
    /// macOS.
    Macos,
}

impl System {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Linux, Self::Windows, Self::Macos];

    /// The word in job files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Linux => "linux",
            Self::Windows => "windows",
            Self::Macos => "macos",
        }
    }

    /// The system of this word.
    #[must_use]
    pub fn from_name(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|system| system.word() == word)
    }

    /// A path of this system as it is held inside: with `/` between components.
    #[must_use]
    pub fn inside(self, path: &str) -> String {
        match self {
            Self::Windows => path.replace('\\', "/"),
            Self::Linux | Self::Macos => path.to_owned(),
        }
    }

    /// A path that is held inside, as this system writes it.
    #[must_use]
    pub fn written(self, path: &str) -> String {
        match self {
            Self::Windows => path.replace('/', "\\"),
            Self::Linux | Self::Macos => path.to_owned(),
        }
    }

    /// A pattern as this system writes it.
    #[must_use]
    pub fn pattern(self, pattern: &PathPattern) -> PathPattern {
        PathPattern::new(pattern.pieces().iter().map(|piece| match piece {
            Piece::Text(text) => Piece::Text(self.written(text).into()),
            Piece::Frame(field) => Piece::Frame(*field),
        }))
    }
}
