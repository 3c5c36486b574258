//! What a thread of a run does: takes a chunk, asks for it, renders what is missing of it, and tries
//! again only what is still missing.

use std::time::Duration;

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::{Invocation, plan};
use truepath_core::retry::{self, Came};

use super::board::{Attempt, Chunk, Halt, Next, Turn};
use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, Failure, RunError};
use crate::claims::Asked;
use crate::clock::Moment;
use crate::inventory::{There, look};

/// A chunk of which nothing ever came is split so often before it is given up.
const SPLITS: u32 = 6;

impl Work<'_> {
    /// Renders chunk after chunk, until there is none left.
    pub(super) fn render(&self) {
        while let Some((number, mut chunk, turn)) = self.board.take() {
            let next = match self.go_on_with(&mut chunk, turn) {
                Ok(next) => next,
                Err(error) => {
                    self.board.fail(error);
                    Next::Again
                }
            };
            self.board.hand_back(number, chunk, next);
        }
    }

    fn go_on_with(&self, chunk: &mut Chunk, turn: Turn<'_>) -> Result<Next, RunError> {
        // What is scarce is asked for before the chunk, and held for one process.
        let Some(held) = self.permits(&chunk.invocation)? else {
            return Ok(Next::NotYet);
        };
        let next = self.with_permits(chunk, turn);
        self.give_up(held)?;
        next
    }

    fn with_permits(&self, chunk: &mut Chunk, turn: Turn<'_>) -> Result<Next, RunError> {
        if chunk.claim.is_none()
            && let Some(next) = self.begin(chunk)?
        {
            return Ok(next);
        }
        let Some(attempt) = chunk.attempts.pop_front() else {
            return self.close(chunk);
        };
        if !self.scene_stands(&attempt.invocation)? {
            chunk.attempts.push_front(attempt);
            return Ok(Next::Again);
        }
        let index = attempt.invocation.deliverables[0];
        let one = &self.expansion.deliverables[index];
        if one.is_put_together() && !self.movie_is_due(index)? {
            return self.close(chunk);
        }
        let outcome = self.process(&attempt, turn)?;
        if matches!(outcome.end, End::Halted) {
            chunk.attempts.push_front(attempt);
            return Ok(Next::Again);
        }
        self.after(chunk, &attempt, &outcome)
    }

    /// Asks for a chunk, and sees what is missing of it; what comes next where it is not ours.
    fn begin(&self, chunk: &mut Chunk) -> Result<Option<Next>, RunError> {
        let name = chunk.invocation.identity(&self.expansion.deliverables);
        match self.ask(&name, false)? {
            Asked::Ours(claim) => chunk.claim = Some(claim),
            Asked::HeldBy(_) => return Ok(Some(Next::Away)),
            Asked::ClosedBy(session) => {
                self.refresh()?;
                self.settle(chunk, session)?;
                return Ok(Some(Next::Done));
            }
        }
        self.refresh()?;
        let missing = self.still_missing(&chunk.invocation)?;
        let wanted = |index: usize| {
            let of_it = missing.iter().find(|(one, _)| *one == index);
            of_it.map_or_else(FrameSet::empty, |(_, frames)| frames.clone())
        };
        for invocation in plan(self.expansion, &wanted) {
            let tries = 0;
            chunk.attempts.push_back(Attempt { invocation, tries });
        }
        Ok(None)
    }

    /// What follows from what a process came to: what it did not bring is tried again, or has failed.
    fn after(
        &self,
        chunk: &mut Chunk,
        attempt: &Attempt,
        outcome: &Outcome,
    ) -> Result<Next, RunError> {
        let one = &self.expansion.deliverables[attempt.invocation.deliverables[0]];
        let missing = outcome.all_missing();
        chunk.brought += outcome.published;
        chunk.barren = match outcome.published {
            0 => chunk.barren + 1,
            _ => 0,
        };
        let hopeless = outcome.never_began(&one.common.engine)
            || (chunk.brought == 0 && chunk.barren > one.common.limits.retries + SPLITS);
        let again = match outcome.is_final() {
            true => Vec::new(),
            false => retry::next(
                Came {
                    missing: &missing,
                    progressed: outcome.published > 0,
                    culprit: outcome.culprit(),
                    tries: attempt.tries,
                    hopeless,
                },
                &one.common.limits,
            ),
        };
        if again.is_empty() {
            self.failed(outcome.failures())?;
            if hopeless {
                // What was split off of it would fare no better.
                let rest = chunk.attempts.drain(..);
                let rest = rest.flat_map(|one| outcome.failures_of(&one.invocation));
                self.failed(rest.collect())?;
            }
        }
        let pause = again.iter().map(|one| one.pause).max().unwrap_or_default();
        if pause > Duration::ZERO {
            let remark = format!(
                "{}: {}; tried again in {}",
                truepath_core::plan::label(
                    &attempt.invocation.members(&self.expansion.deliverables)
                ),
                outcome.reason(),
                super::outcome::shown(pause)
            );
            self.tell(&Event::Remark(&remark));
        }
        for piece in again.into_iter().rev() {
            let wanted = |index: usize| {
                let of_it = outcome.missing.iter().find(|(one, ..)| *one == index);
                of_it
                    .and_then(|(_, frames, _)| frames.intersection(&piece.frames).ok())
                    .unwrap_or_default()
            };
            for invocation in plan(self.expansion, &wanted).into_iter().rev() {
                let tries = piece.tries;
                chunk.attempts.push_front(Attempt { invocation, tries });
            }
        }
        if chunk.attempts.is_empty() {
            return self.close(chunk);
        }
        Ok(match pause {
            Duration::ZERO => Next::Again,
            pause => Next::Later(Moment::now() + pause),
        })
    }

    fn close(&self, chunk: &Chunk) -> Result<Next, RunError> {
        if let Some(claim) = &chunk.claim {
            let closed = self.session.claims.close(claim);
            closed.map_err(RunError::disk(&self.state.folder))?;
        }
        Ok(Next::Done)
    }

    /// What is missing now of a chunk; what others brought since is counted.
    fn still_missing(&self, invocation: &Invocation) -> Result<Vec<(usize, FrameSet)>, RunError> {
        let mut all = Vec::new();
        for &index in invocation.deliverables.iter() {
            let one = &self.expansion.deliverables[index];
            if one.is_put_together() {
                all.push((index, invocation.frames.clone()));
                continue;
            }
            let credits = &self.credits[index];
            let wanted = invocation.frames.intersection(&self.missing[index]);
            let wanted = wanted.unwrap_or_else(|_| invocation.frames.clone());
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
                    There::AsRecorded if !is_to_go || self.is_own(&one.path(frame)) => {
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
    fn settle(&self, chunk: &Chunk, session: u32) -> Result<(), RunError> {
        if self.expansion.deliverables[chunk.invocation.deliverables[0]].is_put_together() {
            return self.settle_movie(chunk.invocation.deliverables[0]);
        }
        let mut failures = Vec::new();
        for (deliverable, frames) in self.still_missing(&chunk.invocation)? {
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

    /// Whether the scene of some frames is as it was when the run began; if not, the run stops, or
    /// goes on and says so.
    fn scene_stands(&self, invocation: &Invocation) -> Result<bool, RunError> {
        let one = &self.expansion.deliverables[invocation.deliverables[0]];
        let Some(scene) = &one.common.scene else {
            return Ok(true);
        };
        let changed = self.scenes.changed(&scene.path);
        let changed = changed.map_err(RunError::disk(std::path::Path::new(&scene.path)))?;
        let Some(changed) = changed else {
            return Ok(true);
        };
        let what = format!("{changed} has changed since the run began");
        if self.only_tells_changes() {
            self.tell(&Event::Remark(&what));
            return Ok(true);
        }
        self.board.halt(Halt {
            why: format!("{what}; a sequence must not mix two states of it"),
            finish: true,
            interrupted: false,
        });
        Ok(false)
    }

    fn only_tells_changes(&self) -> bool {
        self.loaded.job.word(truepath_core::job::Key::SceneChanges) == Some("tell")
    }
}
