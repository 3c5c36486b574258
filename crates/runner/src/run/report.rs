//! The result of a run.

use std::path::PathBuf;
use std::time::Duration;

use truepath_core::finding::Finding;
use truepath_core::frames::{Frame, FrameSet};

use super::{StopReason, Warning};

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

/// Frames of a deliverable that were not tried.
#[derive(Debug, Clone)]
pub struct AbandonedFrames {
    /// Index of the deliverable.
    pub deliverable: usize,
    /// The frames.
    pub frames: FrameSet,
    /// Why those that were tried failed.
    pub reason: String,
}

/// The result of a run, in files.
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
    /// Kept although they are not the files that were published: deliverable, what differs, frames.
    pub changed: Vec<(usize, String, FrameSet)>,
    /// There, and nobody knows whether they are whole: deliverable, reason and frames.
    pub unverifiable: Vec<(usize, String, FrameSet)>,
    /// Frames that were to be taken as they are and cannot be: deliverable, frame and reason.
    pub not_accepted: Vec<(usize, Frame, String)>,
    /// Not made.
    pub failures: Vec<Failure>,
    /// Not tried, because everything that was tried of their deliverable failed alike.
    pub given_up: Vec<AbandonedFrames>,
    /// Frames that the run was stopped in: index of the deliverable, frame, and whether the next run
    /// continues it from a checkpoint.
    pub unfinished: Vec<(usize, Frame, bool)>,
    /// Frames that were continued from checkpoints.
    pub continued: u64,
    /// Warnings in the logs, by kind, new ones first.
    pub warnings: Vec<Warning>,
    /// What the rules say about what the pictures show that it brought.
    pub suspicious: Vec<Finding>,
    /// Why it stopped before all was done.
    pub halt: Option<StopReason>,
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
    /// Frames of a deliverable that are not tried, since nothing of it works.
    pub(super) fn give_up(&mut self, deliverable: usize, reason: &str, frames: &FrameSet) {
        let known = self
            .given_up
            .iter_mut()
            .find(|one| one.deliverable == deliverable);
        match known {
            Some(known) => {
                let all = known.frames.union(frames);
                known.frames = all.unwrap_or_else(|_| frames.clone());
            }
            None => self.given_up.push(AbandonedFrames {
                deliverable,
                frames: frames.clone(),
                reason: reason.to_owned(),
            }),
        }
    }

    /// A frame was brought that this program cannot decode.
    pub(super) fn brought_unverifiable(&mut self, deliverable: usize, reason: &str, frame: Frame) {
        let frames = FrameSet::range(frame, frame);
        let is_it = |one: &&mut (usize, String, FrameSet)| one.0 == deliverable && one.1 == reason;
        match self.unverifiable.iter_mut().find(is_it) {
            Some((_, _, known)) => *known = known.union(&frames).unwrap_or(frames),
            None => self
                .unverifiable
                .push((deliverable, reason.to_owned(), frames)),
        }
    }

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
        self.there() == self.wanted
            && self.stale.is_empty()
            && self.changed.is_empty()
            && self.unverifiable.is_empty()
    }
}
