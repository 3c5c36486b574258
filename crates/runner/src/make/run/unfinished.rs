//! Frames in the middle of which a process ends: their checkpoints are kept, continued from, and reported.

use std::path::Path;

use truepath_core::command::Invocation;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::label;

use super::RunError;
use super::attempt::Attempt;
use super::engine_process::EngineProcess;
use super::outcome::Outcome;
use super::worker::Worker;
use crate::make::checkpoints::Checkpoints;
use crate::make::staging_area::StagingArea;

impl EngineProcess<'_> {
    /// Lays the checkpoints of a process's frames into its staging folder; gives the arguments that
    /// make the engine continue from them.
    pub(super) fn lay_checkpoints_in(
        &self,
        invocation: &Invocation<'_>,
    ) -> Result<Vec<String>, RunError> {
        let Some(checkpoints) = self.checkpoints() else {
            return Ok(Vec::new());
        };
        let staging = Path::new(invocation.staging);
        let laid_in = checkpoints
            .lay_in(invocation, self.attempt.tries)
            .map_err(RunError::disk(staging))?;
        if !laid_in.frames.is_empty() {
            let frames = FrameSet::from_frames(laid_in.frames.iter().copied());
            self.worker.journal.report().continued += frames.count();
            self.worker.journal.remark(&format!(
                "{}: frame {frames} is continued from its checkpoint",
                label(invocation.deliverables)
            ));
        }
        Ok(laid_in.arguments)
    }

    /// Keeps copies of what a process has to continue from; when it has `ended`, none stays in its
    /// staging folder, and none of frames that are done. Gives the frames that can be continued.
    pub(super) fn keep_checkpoints(
        &self,
        area: &StagingArea<'_>,
        ended: bool,
    ) -> Result<Vec<Frame>, RunError> {
        let Some(checkpoints) = self.checkpoints() else {
            return Ok(Vec::new());
        };
        let refused = RunError::disk(&area.folder);
        let remarks = checkpoints.keep(&area.folder, ended).map_err(refused)?;
        for remark in remarks {
            self.worker.journal.remark(&remark);
        }
        if ended {
            checkpoints
                .remove_done()
                .map_err(RunError::disk(&area.folder))?;
        }
        Ok(checkpoints.continuable(&area.frames))
    }

    /// The checkpoints of the first deliverable.
    fn checkpoints(&self) -> Option<Checkpoints<'_>> {
        let context = self.worker.context;
        let (index, deliverable) = *self.members.first();
        let fingerprint = context.provenance[index].fingerprint.as_deref();
        let known = self.worker.journal.known();
        Checkpoints::of(
            context.disk,
            &context.state,
            fingerprint,
            deliverable,
            &known.published,
        )
    }
}

impl Worker<'_> {
    /// Remembers the frames that a stopped process was working on.
    pub(super) fn report_unfinished(&self, attempt: &Attempt, outcome: &Outcome) {
        let mut frames: Vec<Frame> = outcome.continuable.clone();
        let pictures = outcome.unproven.keys().map(|(_, frame)| *frame);
        frames.extend(pictures.chain(outcome.failed_at));
        frames.sort_unstable();
        frames.dedup();
        let mut report = self.journal.report();
        for frame in frames {
            for (index, missing, _) in &outcome.missing {
                if missing.contains(frame) && attempt.planned.deliverables.contains(index) {
                    let continues = outcome.continuable.contains(&frame);
                    report.unfinished.push((*index, frame, continues));
                }
            }
        }
    }
}
