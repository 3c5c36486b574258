//! The result of a run.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

use truepath_core::deliverable::DeliverableId;
use truepath_core::file_state::FileState;
use truepath_core::finding::Finding;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::split::FoundSplit;

use super::{StopReason, Warning};

/// A frame that could not be made.
#[derive(Debug, Clone)]
pub struct Failure {
    /// Index of the deliverable.
    pub deliverable: DeliverableId,
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
    pub deliverable: DeliverableId,
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
    /// There before, and valid; also files that were adopted or accepted.
    pub kept: u64,
    /// Of those: not in the ledger before; decoded and taken.
    pub adopted: u64,
    /// Of those: of other settings, and taken as they are.
    pub accepted: u64,
    /// Finished by an earlier run that was killed.
    pub recovered: u64,
    /// Made, verified and published.
    pub rendered: u64,
    /// Files of this or another run that this program cannot decode: they are there, and not valid.
    pub brought_unverifiable: u64,
    /// Files of this run that were written to after they were published.
    pub changed_since: u64,
    /// Pictures that were rendered and thrown away: to find out whether a clip may be split, and because one may not.
    pub thrown_away: u64,
    /// What was found about clips of which nobody said whether they may be split.
    pub splits: Vec<(DeliverableId, FoundSplit)>,
    /// Brought meanwhile by other runs of the same job.
    pub elsewhere: u64,
    /// Whether it leaves something behind, after an error that did not end it: the next run recovers that.
    pub leaves_behind: bool,
    /// Kept although other settings made them: deliverable and frames.
    pub stale: Vec<(DeliverableId, FrameSet)>,
    /// Kept although they are not the files that were published: deliverable, what differs, frames.
    pub changed: Vec<(DeliverableId, String, FrameSet)>,
    /// There, and nobody knows whether they are whole: deliverable, reason and frames.
    pub unverifiable: Vec<(DeliverableId, String, FrameSet)>,
    /// Frames that were to be taken as they are and cannot be: deliverable, frame and reason.
    pub not_accepted: Vec<(DeliverableId, Frame, String)>,
    /// Not made.
    pub failures: Vec<Failure>,
    /// Not tried, because everything that was tried of their deliverable failed alike.
    pub given_up: Vec<AbandonedFrames>,
    /// Frames that the run was stopped in: index of the deliverable, frame, and whether the next run
    /// continues it from a checkpoint.
    pub unfinished: Vec<(DeliverableId, Frame, bool)>,
    /// Frames that were continued from checkpoints.
    pub continued: u64,
    /// Warnings in the logs, by kind, new ones first.
    pub warnings: Vec<Warning>,
    /// Engines that wrote a picture again after they had called it finished, and the first such file.
    pub disproven: BTreeMap<String, String>,
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
    pub(super) fn give_up(&mut self, deliverable: DeliverableId, reason: &str, frames: &FrameSet) {
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
    pub(super) fn brought_unverifiable(
        &mut self,
        deliverable: DeliverableId,
        reason: &str,
        frame: Frame,
    ) {
        self.brought_unverifiable += 1;
        let frames = FrameSet::range(frame, frame);
        let is_it =
            |one: &&mut (DeliverableId, String, FrameSet)| one.0 == deliverable && one.1 == reason;
        match self.unverifiable.iter_mut().find(is_it) {
            Some((_, _, known)) => *known = known.union(&frames).unwrap_or(frames),
            None => self
                .unverifiable
                .push((deliverable, reason.to_owned(), frames)),
        }
    }

    /// Whether not one file of this or another run is there because of this run.
    pub(super) fn brought_nothing(&self) -> bool {
        self.rendered + self.recovered + self.kept + self.elsewhere == 0
    }

    /// Files that are valid.
    #[must_use]
    pub fn valid(&self) -> u64 {
        let there = self.kept + self.rendered + self.elsewhere;
        there.saturating_sub(self.brought_unverifiable + self.changed_since)
    }

    /// Files that are there and not valid, by the word for their state.
    #[must_use]
    pub fn not_valid(&self) -> [(FileState, u64); 3] {
        let sum = |frames: &mut dyn Iterator<Item = &FrameSet>| frames.map(FrameSet::count).sum();
        [
            (
                FileState::Stale,
                sum(&mut self.stale.iter().map(|(_, frames)| frames)),
            ),
            (
                FileState::Changed,
                sum(&mut self.changed.iter().map(|(.., frames)| frames)),
            ),
            (
                FileState::Unverifiable,
                sum(&mut self.unverifiable.iter().map(|(.., frames)| frames)),
            ),
        ]
    }

    /// Files that are wanted, and neither there nor failed.
    #[must_use]
    pub fn not_tried(&self) -> u64 {
        let not_valid: u64 = self.not_valid().iter().map(|(_, files)| files).sum();
        self.wanted
            .saturating_sub(self.valid() + not_valid + self.failures.len() as u64)
    }

    /// Whether all that is wanted is valid. Nothing wanted is never complete.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        self.wanted > 0 && self.valid() == self.wanted
    }
}
