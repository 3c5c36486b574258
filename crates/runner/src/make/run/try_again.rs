//! What follows from the outcome of a process: what it did not bring is tried again, or has failed.

use std::time::Duration;
use truepath_core::deliverable::DeliverableId;

use truepath_core::frames::FrameSet;
use truepath_core::probes::Verdict;
use truepath_core::retry::{self, ProcessResult, Retry};

use super::RunError;
use super::attempt::Attempt;
use super::board::ChunkOutcome;
use super::chunk_queue::Chunk;
use super::outcome::{End, Outcome, UnconfirmedPictures};
use super::worker::Worker;
use crate::clock::Moment;

impl Worker<'_> {
    /// What follows from the outcome of a process: what it did not bring is tried again, or has failed.
    pub(super) fn after(
        &self,
        chunk: &mut Chunk,
        attempt: Attempt,
        outcome: &Outcome,
    ) -> Result<ChunkOutcome, RunError> {
        let one = attempt.planned.first(&self.context.expansion.deliverables);
        let limits = &one.common.processes.limits;
        if outcome.published > 0 {
            self.prospects.rendered(&chunk.planned);
        }
        if let End::NotStarted(reason) = &outcome.end {
            self.prospects.impossible(&chunk.planned, reason);
            let tried = outcome.failures_of(&attempt.planned);
            chunk.failed_probes.push((attempt, tried));
            return Ok(ChunkOutcome::Again);
        }
        let missing = outcome.all_missing();
        if outcome.end == End::Stopped && outcome.published > 0 {
            // It was at no fault: the frames after the one that is done go on at once.
            if !missing.is_empty() {
                let rest = attempt.planned.with_frames(missing);
                chunk.attempts.push_front(Attempt::first(rest));
            }
            return self.again_or_close(chunk);
        }
        if let Some(unconfirmed) = outcome.whole_but_for_its_code() {
            return self.after_unconfirmed(chunk, attempt, outcome, &unconfirmed);
        }
        let is_open = self.prospects.verdict(&chunk.planned) == Verdict::Open;
        if is_open && !missing.is_empty() {
            let evidence = outcome.evidence();
            let frames = &attempt.planned.frames;
            self.prospects.failed(&chunk.planned, frames, &evidence);
            chunk.was_tried = true;
            let is_alone = missing.count() == 1;
            match self.prospects.verdict(&chunk.planned) {
                Verdict::Works => {}
                // Tried frame by frame, if that is not given up.
                Verdict::Open if !is_alone => {
                    chunk.attempts.push_front(Attempt {
                        tries: attempt.tries,
                        ..Attempt::first(attempt.planned.with_frames(missing))
                    });
                    return Ok(ChunkOutcome::Doubtful);
                }
                Verdict::Open | Verdict::NothingWorks(_) => {
                    let tried = FrameSet::from_frames(evidence.iter().map(|(frame, _)| *frame));
                    let rest = missing.difference(&tried).unwrap_or_default();
                    if !rest.is_empty() {
                        let rest = attempt.planned.with_frames(rest);
                        chunk.attempts.push_front(Attempt::first(rest));
                    }
                    let failures = outcome.tried_failures();
                    chunk.failed_probes.push((attempt, failures));
                    return Ok(ChunkOutcome::Doubtful);
                }
            }
        }
        let nothing_rendered = self.prospects.nothing_rendered(&chunk.planned);
        let is_deterministic = outcome.is_wrong_kind() || outcome.unknown_files.is_some();
        let tries = if is_deterministic {
            limits.retries
        } else {
            attempt.tries
        };
        let again = retry::next(
            ProcessResult {
                missing: &missing,
                progressed: outcome.published > 0,
                failed_at: outcome.failed_at,
                unproven: outcome.last_unproven,
                tries,
                nothing_rendered,
            },
            limits,
        );
        self.try_again(chunk, &attempt, outcome, &again)
    }

    /// All pictures are whole and only the exit code does not mean success: they are rendered once
    /// more, and if the same comes again, that is reported.
    fn after_unconfirmed(
        &self,
        chunk: &mut Chunk,
        attempt: Attempt,
        outcome: &Outcome,
        unconfirmed: &UnconfirmedPictures,
    ) -> Result<ChunkOutcome, RunError> {
        let missing = outcome.all_missing();
        if attempt.unconfirmed.is_none() {
            chunk.attempts.push_front(Attempt {
                tries: attempt.tries,
                unconfirmed: Some(unconfirmed.clone()),
                ..Attempt::first(attempt.planned.with_frames(missing))
            });
            return Ok(ChunkOutcome::Again);
        }
        if attempt.unconfirmed.as_ref() == Some(unconfirmed) {
            let reason = unconfirmed.advice();
            let mut failures = outcome.failures();
            for failure in &mut failures {
                failure.reason.clone_from(&reason);
            }
            if self.prospects.nothing_rendered(&chunk.planned) {
                let evidence: Vec<_> = missing
                    .iter()
                    .map(|frame| (frame, reason.clone()))
                    .collect();
                self.prospects.failed(&chunk.planned, &missing, &evidence);
            }
            if self.prospects.verdict(&chunk.planned) == Verdict::Works {
                self.journal.failed(failures)?;
            } else {
                chunk.failed_probes.push((attempt, failures));
            }
            return self.again_or_close(chunk);
        }
        let limits = {
            let one = attempt.planned.first(&self.context.expansion.deliverables);
            &one.common.processes.limits
        };
        let again = retry::next(
            ProcessResult {
                missing: &missing,
                progressed: false,
                failed_at: outcome.failed_at,
                unproven: outcome.last_unproven,
                tries: attempt.tries,
                nothing_rendered: false,
            },
            limits,
        );
        self.try_again(chunk, &attempt, outcome, &again)
    }

    /// Puts what is tried again into the chunk, or reports what has failed for good.
    fn try_again(
        &self,
        chunk: &mut Chunk,
        attempt: &Attempt,
        outcome: &Outcome,
        again: &[Retry],
    ) -> Result<ChunkOutcome, RunError> {
        if again.is_empty() {
            self.journal.failed(outcome.failures())?;
            return self.again_or_close(chunk);
        }
        let members = attempt
            .planned
            .members(&self.context.expansion.deliverables);
        for piece in again {
            let wanted: Vec<(DeliverableId, FrameSet)> = outcome
                .missing
                .iter()
                .map(|(index, frames, _)| {
                    (
                        *index,
                        frames.intersection(&piece.frames).unwrap_or_default(),
                    )
                })
                .collect();
            let is_paused = piece.pause > Duration::ZERO;
            if is_paused {
                let remark = format!(
                    "{}: {}; tried again in {}",
                    truepath_core::plan::label(&members),
                    outcome.reason(),
                    super::outcome::shown(piece.pause)
                );
                self.journal.remark(&remark);
            }
            let attempts = self.in_pieces(&wanted).map(|planned| Attempt {
                tries: piece.tries,
                not_before: is_paused.then(|| Moment::now() + piece.pause),
                ..Attempt::first(planned)
            });
            // What waits stands behind what need not wait.
            chunk.attempts.extend(attempts);
        }
        Ok(ChunkOutcome::Again)
    }

    pub(super) fn again_or_close(&self, chunk: &mut Chunk) -> Result<ChunkOutcome, RunError> {
        if chunk.attempts.is_empty() && chunk.failed_probes.is_empty() {
            self.close(chunk)
        } else {
            Ok(ChunkOutcome::Again)
        }
    }
}
