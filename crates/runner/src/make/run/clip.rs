//! Clips that may not be split. One process renders the whole clip; when frames of it are lost, the whole clip is rendered
//! again.

use truepath_core::deliverable::DeliverableId;
use truepath_core::finding::count;
use truepath_core::frames::FrameSet;
use truepath_core::plan::label;
use truepath_core::split::{Split, is_more_than_noise};

use super::RunError;
use super::attempt::{Attempt, all_frames};
use super::board::ChunkOutcome;
use super::chunk_queue::Chunk;
use super::outcome::{End, Outcome, shown};
use super::place::rms_and_share;
use super::worker::Worker;
use crate::clock::Moment;
use crate::make::staging_area::RenderedBesides;

impl Worker<'_> {
    /// Puts the process of a clip into its chunk, and says what it costs.
    pub(super) fn begin_clip(&self, chunk: &mut Chunk, missing: Vec<(DeliverableId, FrameSet)>) {
        if all_frames(&missing).is_empty() {
            return;
        }
        let all = &self.context.expansion.deliverables;
        let attempt = Attempt::of_clip(&chunk.planned.deliverables, missing, all);
        let besides = attempt.planned.besides.count();
        if besides > 0 {
            self.journal.remark(&format!(
                "{}: its clip may not be split, so {} rendered besides and thrown away",
                label(&chunk.planned.members(all)),
                count(besides, "frame is", "frames are")
            ));
        }
        chunk.attempts.push_back(attempt);
    }

    /// What follows from the outcome of the process of a clip: the clip again, or what is missing has failed.
    pub(super) fn after_clip(
        &self,
        chunk: &mut Chunk,
        attempt: Attempt,
        outcome: &Outcome,
    ) -> Result<ChunkOutcome, RunError> {
        if outcome.published > 0 {
            self.prospects.rendered(&chunk.planned);
        }
        if let End::NotStarted(reason) = &outcome.end {
            self.prospects.impossible(&chunk.planned, reason);
            let tried = outcome.failures_of(&attempt.planned);
            chunk.failed_probes.push((attempt, tried));
            return Ok(ChunkOutcome::Again);
        }
        let missing: Vec<(DeliverableId, FrameSet)> = outcome
            .missing
            .iter()
            .map(|(index, frames, _)| (*index, frames.clone()))
            .collect();
        let frames = all_frames(&missing);
        if frames.is_empty() {
            return self.again_or_close(chunk);
        }
        let all = &self.context.expansion.deliverables;
        let limits = &attempt.planned.first(all).common.processes.limits;
        let unconfirmed = outcome.whole_but_for_its_code();
        let is_confirmed = unconfirmed.is_some() && attempt.unconfirmed == unconfirmed;
        let is_deterministic = outcome.is_wrong_kind() || outcome.unknown_files.is_some();
        let is_last = !(outcome.published > 0 || attempt.tries < limits.retries)
            || (is_deterministic && outcome.published == 0);
        if is_last || is_confirmed {
            let mut failures = outcome.failures();
            let first = frames.first().unwrap_or(0);
            for failure in &mut failures {
                if let Some(unconfirmed) = unconfirmed.as_ref().filter(|_| is_confirmed) {
                    failure.reason = unconfirmed.advice();
                } else if failure.frame > first {
                    failure.reason = format!(
                        "its clip may not be split, and the process always ends at frame {first}: {}",
                        outcome.reason()
                    );
                }
            }
            self.journal.failed(failures)?;
            return self.again_or_close(chunk);
        }
        let is_paused = outcome.published == 0 && unconfirmed.is_none();
        let pause = limits.retry_pause;
        let when = if is_paused {
            format!("; the clip is rendered again in {}", shown(pause))
        } else {
            "; the clip is rendered again".to_owned()
        };
        let name = label(&attempt.planned.members(all));
        self.journal
            .remark(&format!("{name}: {}{when}", outcome.reason()));
        chunk.attempts.push_back(Attempt {
            tries: if outcome.published > 0 {
                0
            } else {
                attempt.tries + 1
            },
            not_before: is_paused.then(|| Moment::now() + pause),
            unconfirmed,
            ..Attempt::of_clip(&attempt.planned.deliverables, missing, all)
        });
        Ok(ChunkOutcome::Again)
    }

    /// Compares a picture that was rendered besides with the one that has its true name: a clip that does not repeat
    /// itself mixes two of them.
    pub(super) fn compare_with_published(&self, besides: &RenderedBesides) {
        let one = &self.context.expansion.deliverables[besides.deliverable];
        if one.common.frames.selected.contains(besides.frame)
            && let Ok((rms, _)) = rms_and_share(&besides.staged, one.path(besides.frame).as_ref())
        {
            let noise = match &one.common.processes.split {
                Split::Found(found) => found.noise,
                Split::Said(_) | Split::Unknown => 0.0,
            };
            if is_more_than_noise(rms, noise) {
                let label = one.label();
                self.journal.warnings().add(
                    &format!(
                        "{label}: frame {} came out as another picture than the one that is there and stays",
                        besides.frame
                    ),
                    one.path(besides.frame).as_ref(),
                    0,
                );
            }
        }
    }
}
