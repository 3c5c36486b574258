//! What the log lines of an engine mean.

/// What a log line means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LogKind {
    /// A frame has begun; group `frame`.
    Frame,
    /// A file is final; group `file`.
    File,
    /// A file holds an intermediate state of its picture, which proves nothing; group `file`.
    Saved,
    /// How far the frame is; group `percent`, from 0 to 100.
    Progress,
    /// A warning; group `text`.
    Warning,
    /// An error; group `text`.
    Error,
}

impl LogKind {
    /// All of them.
    pub const ALL: [Self; 6] = [
        Self::Frame,
        Self::File,
        Self::Saved,
        Self::Progress,
        Self::Warning,
        Self::Error,
    ];

    /// The group that a pattern of this kind has.
    #[must_use]
    pub fn group(self) -> &'static str {
        match self {
            Self::Frame => "frame",
            Self::File | Self::Saved => "file",
            Self::Progress => "percent",
            Self::Warning | Self::Error => "text",
        }
    }

    /// The word in profiles.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Frame => "frame",
            Self::File => "file",
            Self::Saved => "saved",
            Self::Progress => "progress",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

/// A kind of log line and how to know it.
#[derive(Debug, Clone)]
pub struct LogPattern {
    /// What it means.
    pub kind: LogKind,
    /// A regular expression with named groups.
    pub find: String,
}
