//! What a thread of a run does: takes a chunk, claims it, and renders what is missing of it.

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::FrameSet;
use truepath_core::job::Key;
use truepath_core::plan::{PlannedProcess, ProcessNaming, label, plan_as};
use truepath_core::probes::Verdict;

use super::attempt::Attempt;
use super::board::{ChunkOutcome, ProcessSlot, StopReason, TakenChunk};
use super::chunk_queue::{Chunk, Purpose};
use super::engine_process::EngineProcess;
use super::outcome::End;
use super::worker::Worker;
use super::{Failure, RunError};
use crate::clock::Moment;
use crate::record::claims::ClaimResult;

impl Worker<'_> {
    /// Renders chunk after chunk, until there is none left.
    pub(super) fn render(&self) {
        let waits_for = |files: u64| self.say_what_is_waited_for(files);
        while let Some(taken) = self.board.take(self.pace, self.prospects, &waits_for) {
            let TakenChunk {
                number,
                mut chunk,
                slot,
            } = taken;
            let next = match self.go_on_with(&mut chunk, slot) {
                Ok(next) => next,
                Err(error) => self.after_error(&mut chunk, error),
            };
            self.board.hand_back(number, chunk, next, self.prospects);
        }
    }

    /// What follows from an error. Few end the run; every other one costs the frames of its process at most: these are
    /// tried one by one, and the one that it befalls again has failed. The next run recovers the staging folder.
    fn after_error(&self, chunk: &mut Chunk, error: RunError) -> ChunkOutcome {
        if error.ends_the_run(self.context.state.path()) {
            self.board.fail(error);
            return ChunkOutcome::Again;
        }
        match self.go_on_after(chunk, &error) {
            Ok(next) => next,
            Err(error) => {
                self.board.fail(error);
                ChunkOutcome::Again
            }
        }
    }

    fn go_on_after(&self, chunk: &mut Chunk, error: &RunError) -> Result<ChunkOutcome, RunError> {
        let at_work = chunk.at_work.take();
        self.journal.report().leaves_behind = true;
        if !chunk.is_one_by_one {
            self.journal
                .remark(&format!("{}: {error}", chunk_label(self, chunk)));
        }
        if chunk.is_place() {
            // What it holds stays in its staging folder, and the next run recovers that.
            self.forget_place(chunk);
            return Ok(ChunkOutcome::Done);
        }
        let Some(at_work) = at_work else {
            // Nothing was started: whatever is left of the chunk cannot be begun.
            let planned = chunk.planned.clone();
            self.fail_after(&planned, error)?;
            chunk.attempts.clear();
            return self.close(chunk);
        };
        if chunk.is_one_by_one || chunk.is_clip() {
            self.fail_after(&at_work, error)?;
            return self.again_or_close(chunk);
        }
        chunk.is_one_by_one = true;
        let missing = self.still_missing(&at_work)?;
        for frame in at_work.frames.iter() {
            let is_missing = missing.iter().any(|(_, frames)| frames.contains(frame));
            if is_missing {
                let alone = at_work.with_frames(FrameSet::range(frame, frame));
                chunk.attempts.push_back(Attempt::first(alone));
            }
        }
        self.again_or_close(chunk)
    }

    /// Reports what is missing of a process as failed.
    fn fail_after(&self, planned: &PlannedProcess, error: &RunError) -> Result<(), RunError> {
        self.prospects.out_of_reach(planned);
        let missing = self.still_missing(planned)?;
        let failures = missing.iter().flat_map(|(deliverable, frames)| {
            frames.iter().map(|frame| Failure {
                deliverable: *deliverable,
                frame,
                reason: error.to_string(),
                log: None,
            })
        });
        self.journal.failed(failures.collect())
    }

    /// Says that nothing is left to begin here, and who has the rest.
    fn say_what_is_waited_for(&self, files: u64) {
        let others = self.context.session.others_at_work(&self.journal.known());
        let by = if others.is_empty() {
            "another run".to_owned()
        } else {
            others.join(" and ")
        };
        let files = truepath_core::finding::count(files, "file", "files");
        let why = format!("{files} that {by} renders");
        if let Err(error) = self.journal.waits_for(&why) {
            self.board.fail(error);
        }
        self.journal
            .remark(&format!("waiting for {why}, to take over should it die"));
    }

    fn go_on_with(
        &self,
        chunk: &mut Chunk,
        slot: ProcessSlot<'_>,
    ) -> Result<ChunkOutcome, RunError> {
        if let Verdict::NothingWorks(reason) = self.prospects.verdict(&chunk.planned) {
            return self.give_up_chunk(chunk, &reason);
        }
        if matches!(chunk.purpose, Purpose::FindSplit) {
            return self.find_split(chunk);
        }
        // What is scarce is asked for before the chunk, and held for one process.
        let Some(held) = self.permits(&chunk.planned)? else {
            self.journal
                .waits_for("one of the processes that `max-processes` allows")?;
            return Ok(ChunkOutcome::NotYet);
        };
        let next = self.with_permits(chunk, slot);
        self.give_up(held)?;
        next
    }

    fn with_permits(
        &self,
        chunk: &mut Chunk,
        slot: ProcessSlot<'_>,
    ) -> Result<ChunkOutcome, RunError> {
        if chunk.is_place() {
            return self.go_on_with_place(chunk, slot);
        }
        if !chunk.is_begun()
            && let Some(next) = self.begin(chunk)?
        {
            return Ok(next);
        }
        // A clip that may not be split is rendered whole or not at all.
        if !chunk.is_clip() {
            if self.prospects.verdict(&chunk.planned) != Verdict::Open {
                self.go_on_with_probes(chunk)?;
            } else if chunk.was_tried && !self.probe_first(chunk) {
                // Others have what is to be tried.
                return Ok(ChunkOutcome::NotYet);
            }
        }
        let now = Moment::now();
        let is_due = |one: &Attempt| one.not_before.is_none_or(|when| when <= now);
        let Some(at) = chunk.attempts.iter().position(is_due) else {
            let first = chunk.attempts.iter().filter_map(|one| one.not_before).min();
            return match first {
                Some(first) => {
                    self.journal.waits_for("the pause before the next try")?;
                    Ok(ChunkOutcome::Later(first))
                }
                None => self.close(chunk),
            };
        };
        let Some(attempt) = chunk.attempts.remove(at) else {
            return self.close(chunk);
        };
        if !self.scene_stands(&attempt.planned)? {
            chunk.attempts.push_front(attempt);
            return Ok(ChunkOutcome::Again);
        }
        let index = *attempt.planned.deliverables.first();
        let one = &self.context.expansion.deliverables[index];
        let frame = attempt.planned.frames.first().unwrap_or(0);
        if one.is_assembled() && !self.is_due(index, frame, &attempt.planned)? {
            return Ok(ChunkOutcome::Again);
        }
        chunk.at_work = Some(attempt.planned.clone());
        let outcome = EngineProcess::run(*self, &attempt, slot)?;
        chunk.at_work = None;
        if outcome.end == End::Halted {
            self.report_unfinished(&attempt, &outcome);
            chunk.attempts.push_front(attempt);
            return Ok(ChunkOutcome::Again);
        }
        if chunk.is_clip() {
            return self.after_clip(chunk, attempt, &outcome);
        }
        self.after(chunk, attempt, &outcome)
    }

    /// Claims a chunk, and sees what is missing of it; what comes next where it is not ours.
    fn begin(&self, chunk: &mut Chunk) -> Result<Option<ChunkOutcome>, RunError> {
        let not_ours = self.claim_blocks(chunk)?;
        if !chunk.is_begun()
            && let Some(not_ours) = not_ours
        {
            self.prospects.out_of_reach(&chunk.planned);
            return match not_ours {
                Some(session) => {
                    self.journal.refresh()?;
                    self.settle(chunk, session)?;
                    Ok(Some(ChunkOutcome::Done))
                }
                None => Ok(Some(ChunkOutcome::Away)),
            };
        }
        self.journal.refresh()?;
        let missing = self.still_missing(&chunk.planned)?;
        if chunk.is_clip() {
            self.begin_clip(chunk, missing);
        } else {
            let planned = self.in_pieces(&missing);
            chunk.attempts.extend(planned.map(Attempt::first));
        }
        if chunk.attempts.is_empty() {
            // Others brought all of it.
            self.prospects.rendered(&chunk.planned);
        }
        Ok(None)
    }

    /// The processes of some frames of deliverables whose clips may be split.
    pub(super) fn in_pieces(
        &self,
        missing: &[(DeliverableId, FrameSet)],
    ) -> impl Iterator<Item = PlannedProcess> + use<> {
        let wanted = |index: DeliverableId| {
            let of_it = missing.iter().find(|(one, _)| *one == index);
            of_it.map_or_else(FrameSet::empty, |(_, frames)| frames.clone())
        };
        plan_as(self.context.expansion, &wanted, &|_| true).into_iter()
    }

    /// Claims the blocks of a chunk, in order, up to the first that is not ours; what follows is handed on. Where
    /// the very first is not ours, it is all that is left of the chunk: the session that has closed it, or none of one
    /// that another run holds.
    fn claim_blocks(&self, chunk: &mut Chunk) -> Result<Option<Option<u32>>, RunError> {
        let all = &self.context.expansion.deliverables;
        let naming = ProcessNaming::of(&chunk.planned.deliverables, all);
        let mut not_ours = None;
        for block in chunk.blocks.each() {
            match self.ask(&naming.identity(&block), false)? {
                ClaimResult::Ours(claim) => chunk.claims.push(claim),
                ClaimResult::HeldBy(_) => not_ours = Some(None),
                ClaimResult::ClosedBy(session) => not_ours = Some(Some(session)),
            }
            if not_ours.is_some() {
                break;
            }
        }
        if not_ours.is_some() {
            let ours = (chunk.claims.len() as u64).max(1);
            if let Some(rest) = chunk.split_off(ours) {
                self.board.hand_on(rest);
            }
        }
        Ok(not_ours)
    }

    pub(super) fn close(&self, chunk: &Chunk) -> Result<ChunkOutcome, RunError> {
        for claim in &chunk.claims {
            let closed = self.context.session.claims.close(claim);
            closed.map_err(RunError::disk(self.context.state.path()))?;
        }
        Ok(ChunkOutcome::Done)
    }

    /// Whether the scene of some frames is as it was when the run began; if not, the run stops, or
    /// goes on and says so.
    pub(super) fn scene_stands(&self, planned: &PlannedProcess) -> Result<bool, RunError> {
        let one = planned.first(&self.context.expansion.deliverables);
        let Some(scene) = &one.common.scene else {
            return Ok(true);
        };
        let changed = self.context.scenes.changed(&scene.path);
        let changed = changed.map_err(RunError::disk(std::path::Path::new(&scene.path)))?;
        let Some(changed) = changed else {
            return Ok(true);
        };
        let what = format!("{changed} has changed since the run began");
        if self.only_reports_changes() {
            self.journal.remark(&what);
            return Ok(true);
        }
        self.board.halt(StopReason {
            why: format!("{what}; a sequence must not mix two states of it"),
            finish: true,
            interrupted: false,
        });
        Ok(false)
    }

    fn only_reports_changes(&self) -> bool {
        self.context
            .loaded
            .job
            .get::<String>(Key::SceneChanges)
            .as_deref()
            == Some("report")
    }
}

/// What a chunk makes, in words.
fn chunk_label(worker: &Worker<'_>, chunk: &Chunk) -> String {
    label(
        &chunk
            .planned
            .members(&worker.context.expansion.deliverables),
    )
}
