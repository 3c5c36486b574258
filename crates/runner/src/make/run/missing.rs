//! What is missing of a chunk, and what another run has brought of it.

use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::PlannedProcess;

use super::chunk_queue::Chunk;
use super::worker::Worker;
use super::{Event, Failure, RunError};
use crate::look::inventory::{Depth, FileOnDisk};
use crate::record::ledger::Files;

impl Worker<'_> {
    /// What is missing now of a chunk; what others brought since is counted.
    pub(super) fn still_missing(
        &self,
        planned: &PlannedProcess,
    ) -> Result<Vec<(DeliverableId, FrameSet)>, RunError> {
        let mut all = Vec::new();
        for &index in planned.deliverables.iter() {
            let one = &self.context.expansion.deliverables[index];
            if one.is_assembled() {
                all.push((index, planned.frames.clone()));
                continue;
            }
            let looker = self.context.inventory.of(index);
            let wanted = planned.frames.intersection(&self.backlog.missing[index]);
            let wanted = wanted.unwrap_or_else(|_| planned.frames.clone());
            let splits = &self.prospects.splits;
            let wanted = splits.without_published(planned, index, wanted);
            let known = self.known_files(one, &wanted);
            let mut missing: Vec<Frame> = Vec::new();
            for frame in wanted.iter() {
                let found = looker.look(frame, Depth::Unknown, &known).found;
                let is_to_go = self.backlog.replaced[index].contains_key(&frame);
                // A run that goes on replacing finds what it has replaced.
                let is_new = || !is_to_go || self.files().is_own(&one.path(frame));
                match found {
                    FileOnDisk::Valid | FileOnDisk::Touched if is_new() => {
                        self.prospects.rendered(planned);
                        self.brought_elsewhere(index, frame);
                    }
                    FileOnDisk::Unverifiable(reason) if is_new() => {
                        self.prospects.rendered(planned);
                        self.brought_elsewhere(index, frame);
                        let mut report = self.journal.report();
                        report.brought_unverifiable(index, &reason, frame);
                    }
                    _ => missing.push(frame),
                }
            }
            all.push((index, FrameSet::from_frames(missing)));
        }
        Ok(all)
    }

    /// What the ledgers record of some files of a deliverable, copied: nobody waits while these are looked at.
    fn known_files(&self, deliverable: &Deliverable, frames: &FrameSet) -> Files {
        let paths = frames.iter().map(|frame| deliverable.path(frame));
        self.journal.known().published.only(paths)
    }

    pub(super) fn brought_elsewhere(&self, deliverable: DeliverableId, frame: Frame) {
        self.journal.report().elsewhere += 1;
        let path = self.context.expansion.deliverables[deliverable].path(frame);
        self.journal.event(&Event::Published {
            deliverable,
            frame,
            path: &path,
            elsewhere: true,
        });
    }

    /// What became of a chunk that another run has done with.
    pub(super) fn settle(&self, chunk: &Chunk, session: u32) -> Result<(), RunError> {
        if chunk
            .planned
            .first(&self.context.expansion.deliverables)
            .is_assembled()
        {
            return self.settle_assembled(&chunk.planned);
        }
        let mut failures = Vec::new();
        for (deliverable, frames) in self.still_missing(&chunk.planned)? {
            let path = self.context.expansion.deliverables[deliverable]
                .pattern
                .sketch();
            let known = self.journal.known();
            let record = known.sessions.get(&session);
            for frame in frames.iter() {
                let why = record.and_then(|record| {
                    record.failed.iter().rev().find(|failed| {
                        failed.path == path
                            && failed
                                .frames
                                .parse::<FrameSet>()
                                .is_ok_and(|set| set.contains(frame))
                    })
                });
                failures.push(Failure {
                    deliverable,
                    frame,
                    reason: why.map_or_else(
                        || "another run began it and did not bring it".to_owned(),
                        |failed| failed.reason.clone(),
                    ),
                    log: why.and_then(|failed| failed.log.as_ref()).map(Into::into),
                });
            }
        }
        for failure in failures {
            self.journal.event(&Event::Failed(&failure));
            self.journal.report().failures.push(failure);
        }
        Ok(())
    }
}
