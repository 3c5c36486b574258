//! What a run came to.

use std::path::PathBuf;
use std::time::Duration;

use truepath_core::frames::{Frame, FrameSet};

use super::{Halt, Warning};

/// A frame that could not be made.
#[derive(Debug, Clone)]
pub struct Failure {
    /// Index of the deliverable.
    pub deliverable: usize,
    /// The frame.
    pub frame: Frame,
    /// Why.
    pub reason: String,
    /// The log of the process that should have made it, when one was started.
    pub log: Option<PathBuf>,
}

/// What a run came to, in files.
#[derive(Debug, Default)]
pub struct Report {
    /// Wanted.
    pub wanted: u64,
    /// There before, and valid.
    pub kept: u64,
    /// Of those: not in the ledger before; decoded and taken.
    pub adopted: u64,
    /// Of those: of other settings, and taken as they are.
    pub accepted: u64,
    /// Finished by an earlier run that was killed.
    pub recovered: u64,
    /// Rendered, verified and published.
    pub rendered: u64,
    /// Brought meanwhile by other runs of the same job.
    pub elsewhere: u64,
    /// Kept although other settings made them: deliverable and frames.
    pub stale: Vec<(usize, FrameSet)>,
    /// Not made.
    pub failures: Vec<Failure>,
    /// Warnings in the logs, by kind, new ones first.
    pub warnings: Vec<Warning>,
    /// Why it stopped before all was done.
    pub halt: Option<Halt>,
    /// Files of the ledger whose bytes were not read again.
    pub unread: u64,
    /// The largest file that was brought, in bytes.
    pub largest: u64,
    /// How long it took.
    pub took: Duration,
    /// Where the logs are.
    pub logs: PathBuf,
}

impl Report {
    /// Files that are there, by whomever.
    #[must_use]
    pub fn there(&self) -> u64 {
        self.kept + self.rendered + self.elsewhere
    }

    /// Files that are wanted, and neither there nor failed.
    #[must_use]
    pub fn not_tried(&self) -> u64 {
        self.wanted
            .saturating_sub(self.there() + self.failures.len() as u64)
    }

    /// Whether all that is wanted is there, made by today's settings.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        self.there() == self.wanted && self.stale.is_empty()
    }
}
