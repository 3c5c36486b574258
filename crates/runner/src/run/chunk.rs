//! What a thread of a run does: takes a chunk, claims it, renders what is missing of it, and tries
//! again only what is still missing.

use std::time::Duration;

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::{Invocation, plan};
use truepath_core::probes::Verdict;
use truepath_core::retry::{self, Again, Tried};

use super::board::{Attempt, Chunk, Halt, Next, Turn};
use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, Failure, RunError};
use crate::claims::Asked;
use crate::clock::Moment;
use crate::inventory::{There, look};

impl Work<'_> {
    /// Renders chunk after chunk, until there is none left.
    pub(super) fn render(&self) {
        let waits_for = |pieces: usize| self.say_what_is_waited_for(pieces);
        while let Some((number, mut chunk, turn)) = self.board.take(&self.prospects, &waits_for) {
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

    /// Says that nothing is left to begin here, and who has the rest.
    fn say_what_is_waited_for(&self, pieces: usize) {
        let others = self.session.others_at_work(&self.known());
        let by = match others.is_empty() {
            true => "another run".to_owned(),
            false => others.join(" and "),
        };
        let pieces = truepath_core::finding::count(pieces as u64, "piece", "pieces");
        self.tell(&Event::Remark(&format!(
            "nothing is left to begin here: waiting for {pieces} that {by} renders, to take over should it die"
        )));
    }

    fn go_on_with(&self, chunk: &mut Chunk, turn: Turn<'_>) -> Result<Next, RunError> {
        if let Verdict::NothingWorks(reason) = self.prospects.verdict(&chunk.invocation) {
            return self.give_up_chunk(chunk, &reason);
        }
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
        if self.prospects.verdict(&chunk.invocation) == Verdict::Open {
            if !self.probe_first(chunk) {
                self.prospects.out_of_reach(&chunk.invocation);
                return Ok(Next::Doubtful);
            }
        } else {
            self.go_on_with_probes(chunk)?;
        }
        let now = Moment::now();
        let is_due = |one: &Attempt| one.not_before.is_none_or(|when| when <= now);
        let Some(at) = chunk.attempts.iter().position(is_due) else {
            let first = chunk.attempts.iter().filter_map(|one| one.not_before).min();
            return match first {
                Some(first) => Ok(Next::Later(first)),
                None => self.close(chunk),
            };
        };
        let Some(attempt) = chunk.attempts.remove(at) else {
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
        if outcome.end == End::Halted {
            self.report_unfinished(&attempt, &outcome);
            chunk.attempts.push_front(attempt);
            return Ok(Next::Again);
        }
        self.after(chunk, attempt, &outcome)
    }

    /// Claims a chunk, and sees what is missing of it; what comes next where it is not ours.
    fn begin(&self, chunk: &mut Chunk) -> Result<Option<Next>, RunError> {
        let name = chunk.invocation.identity(&self.expansion.deliverables);
        match self.ask(&name, false)? {
            Asked::Ours(claim) => chunk.claim = Some(claim),
            Asked::HeldBy(_) => {
                self.prospects.out_of_reach(&chunk.invocation);
                return Ok(Some(Next::Away));
            }
            Asked::ClosedBy(session) => {
                self.prospects.out_of_reach(&chunk.invocation);
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
        let invocations = plan(self.expansion, &wanted);
        chunk
            .attempts
            .extend(invocations.into_iter().map(Attempt::first));
        if chunk.attempts.is_empty() {
            // Others brought all of it.
            self.prospects.rendered(&chunk.invocation);
        }
        Ok(None)
    }

    /// Puts a frame that is to be tried alone in front; whether the chunk has one.
    fn probe_first(&self, chunk: &mut Chunk) -> bool {
        let retries = |invocation: &Invocation| {
            let index = invocation.deliverables[0];
            self.expansion.deliverables[index].common.limits.retries
        };
        for at in 0..chunk.attempts.len() {
            let attempt = &chunk.attempts[at];
            let frames = &attempt.invocation.frames;
            let Some(frame) = self.prospects.probe(frames, &chunk.invocation) else {
                continue;
            };
            let alone = FrameSet::range(frame, frame);
            let rest = frames.difference(&alone).unwrap_or_default();
            let with = |frames: FrameSet| Invocation {
                deliverables: attempt.invocation.deliverables.clone(),
                frames,
            };
            let probe = Attempt {
                tries: retries(&attempt.invocation),
                not_before: None,
                unconfirmed: None,
                invocation: with(alone),
            };
            let rest = Attempt {
                invocation: with(rest),
                ..attempt.clone()
            };
            chunk.attempts.remove(at);
            if !rest.invocation.frames.is_empty() {
                chunk.attempts.insert(at, rest);
            }
            chunk.attempts.push_front(probe);
            return true;
        }
        false
    }

    /// Frames that failed while it was open whether anything works are tried again now, or failed.
    fn go_on_with_probes(&self, chunk: &mut Chunk) -> Result<(), RunError> {
        for (attempt, failures) in std::mem::take(&mut chunk.failed_probes) {
            let index = attempt.invocation.deliverables[0];
            let limits = &self.expansion.deliverables[index].common.limits;
            if limits.retries == 0 {
                self.failed(failures)?;
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
    fn give_up_chunk(&self, chunk: &mut Chunk, reason: &str) -> Result<Next, RunError> {
        let failures = std::mem::take(&mut chunk.failed_probes);
        let mut failures: Vec<Failure> = failures
            .into_iter()
            .flat_map(|(_, failures)| failures)
            .collect();
        let frames = if chunk.claim.is_some() {
            let left = chunk.attempts.iter().map(|one| &one.invocation.frames);
            left.fold(FrameSet::empty(), |all, one| all.union(one).unwrap_or(all))
        } else {
            chunk.invocation.frames.clone()
        };
        // A frame that was the first of several in a process that brought nothing was tried too.
        let tried = self.prospects.tried(&chunk.invocation);
        for frame in tried.intersection(&frames).unwrap_or_default().iter() {
            for &deliverable in chunk.invocation.deliverables.iter() {
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
        self.failed_silently(failures)?;
        let not_tried = frames.difference(&failed).unwrap_or_default();
        chunk.attempts.clear();
        for &deliverable in chunk.invocation.deliverables.iter() {
            let missing = not_tried.intersection(&self.missing[deliverable]);
            self.report()
                .give_up(deliverable, reason, &missing.unwrap_or_default());
        }
        if let Some(tried) = self.prospects.tried_once(&chunk.invocation) {
            let members = chunk.invocation.members(&self.expansion.deliverables);
            let label = truepath_core::plan::label(&members);
            self.tell(&Event::GivenUp {
                deliverables: &chunk.invocation.deliverables,
                label: &label,
                tried: &tried,
                reason,
            });
        }
        self.close(chunk)
    }

    /// What follows from the outcome of a process: what it did not bring is tried again, or has failed.
    fn after(
        &self,
        chunk: &mut Chunk,
        attempt: Attempt,
        outcome: &Outcome,
    ) -> Result<Next, RunError> {
        let one = &self.expansion.deliverables[attempt.invocation.deliverables[0]];
        let limits = &one.common.limits;
        if outcome.published > 0 {
            self.prospects.rendered(&chunk.invocation);
        }
        if let End::NotStarted(reason) = &outcome.end {
            self.prospects.impossible(&chunk.invocation, reason);
            let tried = outcome.failures_of(&attempt.invocation);
            chunk.failed_probes.push((attempt, tried));
            return Ok(Next::Again);
        }
        let missing = outcome.all_missing();
        if let Some(unconfirmed) = outcome.whole_but_for_its_code() {
            return self.after_unconfirmed(chunk, attempt, outcome, &unconfirmed);
        }
        let nothing_rendered = self.prospects.nothing_rendered(&chunk.invocation);
        let is_deterministic = outcome.is_wrong_kind() || outcome.unknown_files.is_some();
        let tries = if is_deterministic {
            limits.retries
        } else {
            attempt.tries
        };
        if nothing_rendered && tries >= limits.retries && !missing.is_empty() {
            self.prospects
                .failed(&chunk.invocation, &outcome.evidence());
            let is_alone = missing.count() == 1;
            match self.prospects.verdict(&chunk.invocation) {
                Verdict::Works => {}
                // Tried frame by frame, if that is not given up.
                Verdict::Open if !is_alone => {
                    chunk.attempts.push_front(Attempt {
                        invocation: Invocation {
                            frames: missing,
                            ..attempt.invocation
                        },
                        tries,
                        not_before: None,
                        unconfirmed: None,
                    });
                    return Ok(Next::Again);
                }
                Verdict::Open | Verdict::NothingWorks(_) => {
                    chunk.failed_probes.push((attempt, outcome.failures()));
                    return Ok(Next::Again);
                }
            }
        }
        let again = retry::next(
            Tried {
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

    /// All pictures are whole and only the exit code does not tell success: they are rendered once
    /// more, and if the same comes again, that is reported.
    fn after_unconfirmed(
        &self,
        chunk: &mut Chunk,
        attempt: Attempt,
        outcome: &Outcome,
        unconfirmed: &super::outcome::Unconfirmed,
    ) -> Result<Next, RunError> {
        let missing = outcome.all_missing();
        let invocation = Invocation {
            frames: missing.clone(),
            ..attempt.invocation.clone()
        };
        if attempt.unconfirmed.is_none() {
            chunk.attempts.push_front(Attempt {
                invocation,
                tries: attempt.tries,
                not_before: None,
                unconfirmed: Some(unconfirmed.clone()),
            });
            return Ok(Next::Again);
        }
        if attempt.unconfirmed.as_ref() == Some(unconfirmed) {
            let reason = unconfirmed.advice();
            let mut failures = outcome.failures();
            for failure in &mut failures {
                failure.reason.clone_from(&reason);
            }
            if self.prospects.nothing_rendered(&chunk.invocation) {
                let evidence: Vec<_> = missing
                    .iter()
                    .map(|frame| (frame, reason.clone()))
                    .collect();
                self.prospects.failed(&chunk.invocation, &evidence);
            }
            if self.prospects.verdict(&chunk.invocation) == Verdict::Works {
                self.failed(failures)?;
            } else {
                chunk.failed_probes.push((attempt, failures));
            }
            return self.again_or_close(chunk);
        }
        let limits = {
            let one = &self.expansion.deliverables[attempt.invocation.deliverables[0]];
            &one.common.limits
        };
        let again = retry::next(
            Tried {
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
        again: &[Again],
    ) -> Result<Next, RunError> {
        if again.is_empty() {
            self.failed(outcome.failures())?;
            return self.again_or_close(chunk);
        }
        let members = attempt.invocation.members(&self.expansion.deliverables);
        for piece in again {
            let wanted = |index: usize| {
                let of_it = outcome.missing.iter().find(|(one, ..)| *one == index);
                of_it
                    .and_then(|(_, frames, _)| frames.intersection(&piece.frames).ok())
                    .unwrap_or_default()
            };
            let is_paused = piece.pause > Duration::ZERO;
            if is_paused {
                let remark = format!(
                    "{}: {}; tried again in {}",
                    truepath_core::plan::label(&members),
                    outcome.reason(),
                    super::outcome::shown(piece.pause)
                );
                self.tell(&Event::Remark(&remark));
            }
            let attempts = plan(self.expansion, &wanted)
                .into_iter()
                .map(|invocation| Attempt {
                    invocation,
                    tries: piece.tries,
                    not_before: is_paused.then(|| Moment::now() + piece.pause),
                    unconfirmed: None,
                });
            // What waits stands behind what need not wait.
            chunk.attempts.extend(attempts);
        }
        Ok(Next::Again)
    }

    fn again_or_close(&self, chunk: &mut Chunk) -> Result<Next, RunError> {
        if chunk.attempts.is_empty() && chunk.failed_probes.is_empty() {
            self.close(chunk)
        } else {
            Ok(Next::Again)
        }
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
                    There::Valid | There::Touched if !is_to_go || self.is_own(&one.path(frame)) => {
                        self.prospects.rendered(invocation);
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
