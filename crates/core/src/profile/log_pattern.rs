//! What the log lines of an engine mean.

/// What a log line means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LogKind {
    /// A frame has begun; group `frame`, or `index` for its place among the frames of the process, from 1.
    Frame,
    /// A file is final; group `file`.
    File,
    /// A file holds an intermediate state of its picture, which proves nothing; group `file`.
    Saved,
    /// How far the frame is; group `percent`, from 0 to 100, `samples`, with `of` for those that are wanted, or
    /// `left`, a time.
    Progress,
    /// How many samples the frame has got that is finished next; groups `samples`, and `of` for those that were wanted.
    Samples,
    /// A warning; group `text`.
    Warning,
    /// An error; group `text`.
    Error,
}

impl LogKind {
    /// All of them.
    pub const ALL: [Self; 7] = [
        Self::Frame,
        Self::File,
        Self::Saved,
        Self::Progress,
        Self::Samples,
        Self::Warning,
        Self::Error,
    ];

    /// The groups of a pattern of this kind, of which it has one at least.
    #[must_use]
    pub fn groups(self) -> &'static [&'static str] {
        match self {
            Self::Frame => &["frame", "index"],
            Self::File | Self::Saved => &["file"],
            Self::Progress => &["percent", "samples", "left"],
            Self::Samples => &["samples"],
            Self::Warning | Self::Error => &["text"],
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
            Self::Samples => "samples",
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
