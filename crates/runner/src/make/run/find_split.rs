//! How a run finds out whether a clip may be split over several processes.
//!
//! The chunk of the clip is claimed, so that one run of all finds it out. It puts chunks of places on the board: each
//! renders four frames in a row and one of them alone, and compares them. What they bring is held until it is known
//! what becomes of the clip; then it gets its true names or is set aside, and the chunk of the clip lays out the
//! others.

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::FrameSet;
use truepath_core::plan::ProcessNaming;
use truepath_core::probes::Verdict;
use truepath_core::split::{FoundSplit, JudgedPlace, Judgement, Silence, places};

use super::RunError;
use super::attempt::Attempt;
use super::board::{ChunkOutcome, ProcessSlot};
use super::chunk_queue::{Chunk, Purpose};
use super::held::Fate;
use super::layout::chunks_of_clip;
use super::place::{PlaceAtWork, compare, judged};
use super::split_tests::Step;
use super::worker::Worker;
use crate::record::claims::ClaimResult;
use crate::record::ledger::Line;

impl Worker<'_> {
    /// Goes on with a clip of which nobody says whether it may be split.
    pub(super) fn find_split(&self, chunk: &mut Chunk) -> Result<ChunkOutcome, RunError> {
        let all = &self.context.expansion.deliverables;
        let index = *chunk.planned.deliverables.first();
        let splits = &self.prospects.splits;
        if !chunk.is_begun() {
            if let Some(next) = self.claim_clip(chunk)? {
                return Ok(next);
            }
            self.journal.refresh()?;
            if let Some(found) = self.found_before(index) {
                splits.found(&chunk.planned, found);
            } else {
                splits.begin(&chunk.planned, places(&all[index].clip()));
            }
        }
        match splits.step(&chunk.planned) {
            Step::Try(places) => {
                for place in places.into_iter().rev() {
                    let planned = chunk.planned.with_frames(place.row.clone());
                    let missing = place.row.clone();
                    let purpose = Purpose::Place(Box::new(PlaceAtWork::new(place)));
                    self.board.hand_on(Chunk::new(planned, purpose, missing));
                }
                Ok(ChunkOutcome::Doubtful)
            }
            Step::Found(found) => {
                let found = FoundSplit {
                    engine: self.context.provenance[index].engine.clone(),
                    ..found
                };
                self.note_found(index, &found)?;
                splits.found(&chunk.planned, found);
                Ok(ChunkOutcome::Doubtful)
            }
            Step::LayOut(found) => self.lay_out(chunk, &found),
        }
    }

    /// Claims what only one run does: to find it out. What comes next where another one does it.
    fn claim_clip(&self, chunk: &mut Chunk) -> Result<Option<ChunkOutcome>, RunError> {
        let all = &self.context.expansion.deliverables;
        let naming = ProcessNaming::of(&chunk.planned.deliverables, all);
        let clip = all[*chunk.planned.deliverables.first()].clip();
        let name = format!("split-{}", naming.identity(&clip));
        match self.ask(&name, true)? {
            ClaimResult::Ours(claim) => {
                chunk.claims.push(claim);
                Ok(None)
            }
            ClaimResult::HeldBy(_) | ClaimResult::ClosedBy(_) => Ok(Some(ChunkOutcome::Away)),
        }
    }

    /// What this or another run has found before by the same engine.
    fn found_before(&self, index: DeliverableId) -> Option<FoundSplit> {
        let key = self.context.split_keys[index].as_ref()?;
        let known = self.journal.known();
        let found = known.splits.get(key)?;
        (found.engine == self.context.provenance[index].engine).then(|| found.clone())
    }

    /// Says and writes down what was found.
    fn note_found(&self, index: DeliverableId, found: &FoundSplit) -> Result<(), RunError> {
        let one = &self.context.expansion.deliverables[index];
        let mut what = found.words();
        if !found.free {
            what.push_str(
                "; give its line the clip as well, by {clip.first} and {clip.last}, or set split = \"never\"",
            );
        }
        if one.common.frames.is_sample && !found.free {
            what.push_str("; the frames of this sample show size and look, not motion");
        }
        self.journal.remark(&format!("{}: {what}", one.label()));
        self.journal.report().splits.push((index, found.clone()));
        if let Some(key) = self.context.split_keys[index].clone() {
            let found = found.clone();
            let mut known = self.journal.known();
            known.splits.insert(key.clone(), found.clone());
            drop(known);
            self.journal.note(Line::Split { key, found })?;
        }
        Ok(())
    }

    /// Puts the chunks of a clip on the board, now that it is known how it is split.
    fn lay_out(&self, chunk: &Chunk, found: &FoundSplit) -> Result<ChunkOutcome, RunError> {
        let clip = &chunk.planned;
        let missing = |index: DeliverableId| {
            let missing = self.backlog.missing[index].clone();
            let splits = &self.prospects.splits;
            splits.without_published(clip, index, missing)
        };
        let chunks = chunks_of_clip(self.context.expansion, clip, found.free, &missing);
        for chunk in chunks.into_iter().rev() {
            self.board.hand_on(chunk);
        }
        self.close(chunk)
    }

    /// Goes on with a place of a clip: renders what comes next, judges it, or lets go of what it holds.
    pub(super) fn go_on_with_place(
        &self,
        chunk: &mut Chunk,
        slot: ProcessSlot<'_>,
    ) -> Result<ChunkOutcome, RunError> {
        let found = self.prospects.splits.known(&chunk.planned);
        let planned = chunk.planned.clone();
        let Purpose::Place(at_work) = &mut chunk.purpose else {
            return Ok(ChunkOutcome::Done);
        };
        if let Some(found) = found.filter(|_| at_work.is_judged()) {
            let fate = if found.free {
                Fate::Publish
            } else {
                Fate::SetAside
            };
            self.let_go_of_place(chunk, fate)?;
            return Ok(ChunkOutcome::Done);
        }
        if !self.scene_stands(&planned)? {
            return Ok(ChunkOutcome::Again);
        }
        if at_work.row.is_none() {
            let wanted = planned.deliverables.iter().map(|index| {
                let wanted = planned.frames.intersection(&self.backlog.missing[*index]);
                (*index, wanted.unwrap_or_default())
            });
            let attempt = Attempt {
                wanted: wanted.collect(),
                held: true,
                ..Attempt::first(planned.clone())
            };
            let row = self.hold(&attempt, slot)?;
            if row.is_halted() {
                self.release(row, Fate::SetAside)?;
                return Ok(ChunkOutcome::Again);
            }
            let silence = row.silence(&at_work.place.row);
            if let Some(evidence) = row.evidence() {
                self.prospects.failed(&planned, &planned.frames, &evidence);
                let splits = &self.prospects.splits;
                splits.failed(&planned, row.outcome.tried_failures());
            } else {
                self.prospects.rendered(&planned);
            }
            at_work.row = Some(row);
            if let Some(silence) = silence {
                self.judged(chunk, judged(Judgement::Nothing, silence));
                return Ok(self.after_judgement(chunk));
            }
            return Ok(ChunkOutcome::Again);
        }
        let alone = FrameSet::range(at_work.place.alone, at_work.place.alone);
        let attempt = Attempt {
            held: true,
            ..Attempt::first(planned.with_frames(alone.clone()))
        };
        let alone_process = self.hold(&attempt, slot)?;
        if alone_process.is_halted() {
            self.release(alone_process, Fate::ThrowAway)?;
            return Ok(ChunkOutcome::Again);
        }
        let silence = alone_process.silence(&alone);
        at_work.alone.push(alone_process);
        let judgement = match silence {
            Some(silence) => judged(Judgement::Nothing, silence),
            None => compare(at_work),
        };
        if judgement.judgement == Judgement::OnceMore {
            return Ok(ChunkOutcome::Again);
        }
        for process in std::mem::take(&mut at_work.alone) {
            self.release(process, Fate::ThrowAway)?;
        }
        self.judged(chunk, judgement);
        Ok(self.after_judgement(chunk))
    }

    /// A place that is judged waits, unless nothing works at all.
    fn after_judgement(&self, chunk: &Chunk) -> ChunkOutcome {
        match self.prospects.verdict(&chunk.planned) {
            Verdict::NothingWorks(_) => ChunkOutcome::Again,
            Verdict::Works | Verdict::Open => ChunkOutcome::Doubtful,
        }
    }

    fn judged(&self, chunk: &mut Chunk, judged: JudgedPlace) {
        let Purpose::Place(at_work) = &mut chunk.purpose else {
            return;
        };
        let judged = JudgedPlace {
            frame: at_work.place.alone,
            ..judged
        };
        if at_work.judged.replace(judged).is_none() {
            self.prospects.splits.judged(&chunk.planned, judged);
        }
    }

    /// Lets go of all that a place holds, whatever became of it.
    pub(super) fn let_go_of_place(&self, chunk: &mut Chunk, fate: Fate) -> Result<(), RunError> {
        let Purpose::Place(at_work) = &mut chunk.purpose else {
            return Ok(());
        };
        let row = at_work.row.take();
        for process in std::mem::take(&mut at_work.alone) {
            self.release(process, Fate::ThrowAway)?;
        }
        let published = match row {
            Some(row) => self.release(row, fate)?,
            None => Vec::new(),
        };
        self.judged(chunk, judged(Judgement::Nothing, Silence::Failed));
        self.prospects.splits.released(&chunk.planned, published);
        Ok(())
    }

    /// Forgets a place that an error has befallen.
    pub(super) fn forget_place(&self, chunk: &mut Chunk) {
        self.judged(chunk, judged(Judgement::Nothing, Silence::Failed));
        let splits = &self.prospects.splits;
        splits.released(&chunk.planned, Vec::new());
    }

    /// Lets go of the places of a run that stops: what they hold is set aside.
    pub(super) fn let_go_of_places(&self) -> Result<(), RunError> {
        for mut chunk in self.board.take_places() {
            self.let_go_of_place(&mut chunk, Fate::SetAside)?;
        }
        Ok(())
    }
}
