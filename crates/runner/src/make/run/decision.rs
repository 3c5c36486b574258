//! What is done about each wanted file, by what there is of it and what the policy says: the same for a run and for one
//! that is only foreseen.

use std::collections::HashMap;

use rayon::prelude::*;
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::frames::{Frame, FrameSet};

use super::{FileAction, Policy};
use crate::look::inventory::{Accepted, Depth, FileOnDisk, LackingFiles, Looker};
use crate::record::ledger::{Files, Replaces};

/// Looking at so many files takes less than starting threads for them; decoding them does not.
const FEW_STAMPS: usize = 4096;
const FEW_FILES: usize = 8;

/// What is done about a file.
pub(super) struct FileDecision {
    pub(super) frame: Frame,
    pub(super) found: FileOnDisk,
    pub(super) action: FileAction,
}

/// Decides about files of one run.
#[derive(Clone, Copy)]
pub(super) struct Decider<'d> {
    pub(super) policy: Policy,
    /// Whether the run that goes on has made a file, by its path.
    pub(super) own: &'d (dyn Fn(&str) -> bool + Sync),
}

impl Decider<'_> {
    /// How closely files are looked at.
    pub(super) fn depth(self) -> Depth {
        if self.policy.verify_all {
            Depth::Decode
        } else {
            Depth::Unknown
        }
    }

    /// What is done about files of a deliverable that is rendered, in the order of their frames.
    pub(super) fn rendered(
        self,
        looker: &Looker<'_>,
        frames: &FrameSet,
        files: &Files,
    ) -> Vec<FileDecision> {
        let deliverable = looker.deliverable();
        let decide = |frame: &Frame| {
            let found = looker.look(*frame, self.depth(), files).found;
            let own = || (self.own)(&deliverable.path(*frame));
            FileDecision {
                frame: *frame,
                action: self.policy.action(&found, false, own),
                found,
            }
        };
        let frames: Vec<Frame> = frames.iter().collect();
        let few = if self.policy.verify_all {
            FEW_FILES
        } else {
            FEW_STAMPS
        };
        if frames.len() < few {
            frames.iter().map(decide).collect()
        } else {
            frames.par_iter().map(decide).collect()
        }
    }

    /// What is done about a file that is made from others; `is_due` says whether one of these is made by the same run.
    pub(super) fn assembled(
        self,
        looker: &Looker<'_>,
        frame: Frame,
        files: &Files,
        is_due: bool,
        accepted: &Accepted,
    ) -> FileDecision {
        let own = (self.own)(&looker.deliverable().path(frame));
        let found = looker
            .look_accepting(frame, self.depth(), files, accepted)
            .found;
        // It was there before the files that it should be made from.
        let is_older = is_due && !own;
        let found = match found {
            FileOnDisk::Valid | FileOnDisk::Touched if is_older => FileOnDisk::Stale,
            found => found,
        };
        let action = match self.policy.action(&found, true, || own) {
            // What no run has made is nobody's to remove.
            FileAction::Adopt if is_older => FileAction::Replace(Replaces::Keep),
            action => action,
        };
        FileDecision {
            frame,
            found,
            action,
        }
    }
}

/// The frames of deliverables that a run makes, by the patterns of their paths.
#[derive(Default)]
pub(super) struct DueFrames(HashMap<String, FrameSet>);

impl DueFrames {
    pub(super) fn add(&mut self, deliverable: &Deliverable, frames: FrameSet) {
        if !frames.is_empty() {
            self.0.insert(deliverable.pattern.sketch(), frames);
        }
    }

    /// Whether a file is made from one of them.
    pub(super) fn are_sources_of(&self, deliverable: &Deliverable, frame: Frame) -> bool {
        !self.0.is_empty()
            && deliverable.sources(frame).iter().any(|(source, frames)| {
                let due = self.0.get(&source.pattern.sketch());
                due.is_some_and(|due| due.count_shared(frames) > 0)
            })
    }

    /// What is lacking of the sources of a file once this run has made these.
    pub(super) fn taken_from(
        &self,
        deliverable: &Deliverable,
        frame: Frame,
        mut lacking: LackingFiles,
    ) -> LackingFiles {
        for (source, _) in deliverable.sources(frame) {
            let Some(due) = self.0.get(&source.pattern.sketch()) else {
                continue;
            };
            let label = source.label();
            for (_, _, frames) in lacking.iter_mut().filter(|(of, _, _)| *of == label) {
                *frames = FrameSet::from_frames(frames.iter().filter(|one| !due.contains(*one)));
            }
        }
        lacking.retain(|(_, _, frames)| !frames.is_empty());
        lacking
    }
}

/// Deliverables in the order in which they can be judged: what others are made from comes before them.
pub(super) fn sources_first(deliverables: &[Deliverable]) -> Vec<DeliverableId> {
    let mut order: Vec<DeliverableId> = DeliverableId::all(deliverables.len()).collect();
    order.sort_by_key(|index| {
        let one = &deliverables[*index];
        (one.is_assembled(), one.movie().is_some())
    });
    order
}
