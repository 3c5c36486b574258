//! What is missing of a chunk, and what another run has brought of it.

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::PlannedProcess;

use super::board::Chunk;
use super::work::Work;
use super::{Event, Failure, RunError};
use crate::inventory::{There, look};

impl Work<'_> {
    /// What is missing now of a chunk; what others brought since is counted.
    pub(super) fn still_missing(
        &self,
        planned: &PlannedProcess,
    ) -> Result<Vec<(usize, FrameSet)>, RunError> {
        let mut all = Vec::new();
        for &index in planned.deliverables.iter() {
            let one = &self.expansion.deliverables[index];
            if one.is_put_together() {
                all.push((index, planned.frames.clone()));
                continue;
            }
            let credits = &self.credits[index];
            let wanted = planned.frames.intersection(&self.missing[index]);
            let wanted = wanted.unwrap_or_else(|_| planned.frames.clone());
            let seen = look(
                one,
                &wanted,
                &self.known(),
                credits.fingerprint.as_deref(),
                false,
            );
            let mut missing: Vec<Frame> = Vec::new();
            for (frame, there) in seen {
                let is_to_go = self.replaced[index].contains_key(&frame);
                match there {
                    There::Missing => missing.push(frame),
                    // A run that goes on replacing finds what it has replaced.
                    There::Valid | There::Touched | There::Unverifiable(_)
                        if !is_to_go || self.is_own(&one.path(frame)) =>
                    {
                        self.prospects.rendered(planned);
                        self.brought_elsewhere(index, frame);
                    }
                    _ => missing.push(frame),
                }
            }
            all.push((index, FrameSet::from_frames(missing)));
        }
        Ok(all)
    }

    pub(super) fn brought_elsewhere(&self, deliverable: usize, frame: Frame) {
        self.report().elsewhere += 1;
        let path = self.expansion.deliverables[deliverable].path(frame);
        self.tell(&Event::Published {
            deliverable,
            frame,
            path: &path,
            elsewhere: true,
        });
    }

    /// What became of a chunk that another run has done with.
    pub(super) fn settle(&self, chunk: &Chunk, session: u32) -> Result<(), RunError> {
        if self.expansion.deliverables[chunk.planned.deliverables[0]].is_put_together() {
            return self.settle_movie(chunk.planned.deliverables[0]);
        }
        let mut failures = Vec::new();
        for (deliverable, frames) in self.still_missing(&chunk.planned)? {
            let path = self.expansion.deliverables[deliverable].pattern.sketch();
            let known = self.known();
            let told = known.sessions.get(&session);
            for frame in frames.iter() {
                let why = told.and_then(|told| {
                    told.failed.iter().rev().find(|failed| {
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
            self.tell(&Event::Failed(&failure));
            self.report().failures.push(failure);
        }
        Ok(())
    }
}
