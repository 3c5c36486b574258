//! Reads an engine's log by the patterns of its profile.

use regex::Regex;
use truepath_core::engine::{LogKind, Profile};
use truepath_core::frames::Frame;

/// What a line means.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Meaning {
    /// A frame has begun.
    Frame(Frame),
    /// A file is written whole.
    File(String),
    /// How far the frame is, from 0 to 100.
    Progress(f64),
    /// A warning.
    Warning(String),
    /// An error.
    Error(String),
}

/// The patterns of one profile, compiled.
#[derive(Debug)]
pub(crate) struct Reader {
    patterns: Vec<(LogKind, Regex)>,
}

impl Reader {
    /// Compiles the patterns.
    ///
    /// # Errors
    /// When one is no regular expression.
    pub(crate) fn new(profile: &Profile) -> Result<Self, regex::Error> {
        let patterns = profile
            .log
            .iter()
            .map(|pattern| Ok((pattern.kind, Regex::new(&pattern.find)?)))
            .collect::<Result<_, regex::Error>>()?;
        Ok(Self { patterns })
    }

    /// Whether the engine says which files are written.
    pub(crate) fn tells_files(&self) -> bool {
        self.patterns.iter().any(|(kind, _)| *kind == LogKind::File)
    }

    /// What a line means, if anything.
    pub(crate) fn read(&self, line: &str) -> Option<Meaning> {
        self.patterns.iter().find_map(|(kind, pattern)| {
            let found = pattern.captures(line)?;
            let group = |name: &str| found.name(name).map(|text| text.as_str().to_owned());
            match kind {
                LogKind::Frame => group("frame")?.parse().ok().map(Meaning::Frame),
                LogKind::File => group("file").map(Meaning::File),
                LogKind::Progress => group("percent")?.parse().ok().map(Meaning::Progress),
                LogKind::Warning => group("text").map(Meaning::Warning),
                LogKind::Error => group("text").map(Meaning::Error),
            }
        })
    }
}
