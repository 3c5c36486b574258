//! The frames that are tried one by one while it is open whether anything of a deliverable can be
//! rendered, and the end of a chunk of which nothing can.

use truepath_core::frames::FrameSet;
use truepath_core::plan::PlannedProcess;

use super::attempt::Attempt;
use super::board::ChunkOutcome;
use super::chunk_queue::{Chunk, Purpose};
use super::held::Fate;
use super::worker::Worker;
use super::{Event, Failure, RunError};
use crate::clock::Moment;

impl Worker<'_> {
    /// Puts a frame that is to be tried alone in front; whether the chunk has one.
    pub(super) fn probe_first(&self, chunk: &mut Chunk) -> bool {
        let retries = |planned: &PlannedProcess| {
            let index = *planned.deliverables.first();
            self.context.expansion.deliverables[index]
                .common
                .processes
                .limits
                .retries
        };
        for at in 0..chunk.attempts.len() {
            let attempt = &chunk.attempts[at];
            let frames = &attempt.planned.frames;
            let Some(frame) = self.prospects.probe_of_taken(frames, &chunk.planned) else {
                continue;
            };
            let alone = FrameSet::range(frame, frame);
            let rest = frames.difference(&alone).unwrap_or_default();
            let probe = Attempt {
                tries: retries(&attempt.planned),
                ..Attempt::first(attempt.planned.with_frames(alone))
            };
            let rest = Attempt {
                planned: attempt.planned.with_frames(rest),
                ..attempt.clone()
            };
            chunk.attempts.remove(at);
            if !rest.planned.frames.is_empty() {
                chunk.attempts.insert(at, rest);
            }
            chunk.attempts.push_front(probe);
            return true;
        }
        false
    }

    /// Frames that failed while it was open whether anything works are tried again now, or failed.
    pub(super) fn go_on_with_probes(&self, chunk: &mut Chunk) -> Result<(), RunError> {
        for (attempt, failures) in std::mem::take(&mut chunk.failed_probes) {
            let index = *attempt.planned.deliverables.first();
            let limits = &self.context.expansion.deliverables[index]
                .common
                .processes
                .limits;
            if limits.retries == 0 {
                self.journal.failed(failures)?;
            } else {
                chunk.attempts.push_back(Attempt {
                    tries: 1,
                    not_before: Some(Moment::now() + limits.retry_pause),
                    ..attempt
                });
            }
        }
        Ok(())
    }

    /// Nothing of a deliverable can be rendered: what was tried of a chunk has failed, and the rest is
    /// not tried.
    pub(super) fn give_up_chunk(
        &self,
        chunk: &mut Chunk,
        reason: &str,
    ) -> Result<ChunkOutcome, RunError> {
        if chunk.is_place() {
            self.let_go_of_place(chunk, Fate::SetAside)?;
            return Ok(ChunkOutcome::Done);
        }
        let failures = std::mem::take(&mut chunk.failed_probes);
        let mut failures: Vec<Failure> = failures
            .into_iter()
            .flat_map(|(_, failures)| failures)
            .collect();
        failures.extend(self.prospects.splits.take_failures(&chunk.planned));
        let is_laid_out = !matches!(chunk.purpose, Purpose::FindSplit);
        let frames = if chunk.is_begun() && is_laid_out {
            FrameSet::union_of(chunk.attempts.iter().map(|one| &one.planned.frames))
        } else {
            chunk.planned.frames.clone()
        };
        // A frame that was the first of several in a process that brought nothing was tried too.
        let tried = self.prospects.tried(&chunk.planned);
        for frame in tried.intersection(&frames).unwrap_or_default().iter() {
            for &deliverable in chunk.planned.deliverables.iter() {
                let is_it = |one: &Failure| one.frame == frame && one.deliverable == deliverable;
                if !failures.iter().any(is_it) {
                    failures.push(Failure {
                        deliverable,
                        frame,
                        reason: reason.to_owned(),
                        log: None,
                    });
                }
            }
        }
        let failed = FrameSet::from_frames(failures.iter().map(|failure| failure.frame));
        self.journal.failed_silently(failures)?;
        let not_tried = frames.difference(&failed).unwrap_or_default();
        chunk.attempts.clear();
        for &deliverable in chunk.planned.deliverables.iter() {
            let missing = not_tried.intersection(&self.backlog.missing[deliverable]);
            self.journal
                .report()
                .give_up(deliverable, reason, &missing.unwrap_or_default());
        }
        if let Some(tried) = self.prospects.tried_once(&chunk.planned) {
            let members = chunk.planned.members(&self.context.expansion.deliverables);
            let label = truepath_core::plan::label(&members);
            self.journal.event(&Event::GivenUp {
                deliverables: &chunk.planned.deliverables,
                label: &label,
                tried: &tried,
                reason,
            });
        }
        self.close(chunk)
    }
}
