//! Holds what a process has brought until it is known what becomes of it, and lets go of it.

use std::collections::BTreeMap;
use std::sync::Arc;

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::{Frame, FrameSet};

use super::RunError;
use super::attempt::Attempt;
use super::board::ProcessSlot;
use super::engine_process::EngineProcess;
use super::held::{Fate, HeldProcess};
use super::see_through::{AtWork, Rendered};
use super::worker::Worker;

impl<'w> Worker<'w> {
    /// Starts a process, sees it through to its end, and holds what it has brought.
    pub(super) fn hold(
        self,
        attempt: &Attempt,
        slot: ProcessSlot<'_>,
    ) -> Result<HeldProcess, RunError> {
        let mut process = EngineProcess::begin(self, attempt, &slot)?;
        let at_work = AtWork::new(self.journal, process.number, slot);
        let rendered = process.render()?;
        drop(at_work);
        let mut ready = Vec::new();
        let mut staging = None;
        if let Some(Rendered {
            staging: folder,
            mut area,
            given,
        }) = rendered
        {
            let evidence = process.evidence_at_the_end(&[]);
            ready = process.unless_unknown(area.ready_files(evidence, false))?;
            let is_ready = |output: usize, frame: Frame| {
                let mut all = ready.iter();
                all.any(|(of, file)| *of == output && file.frame == frame)
            };
            let outputs = area.outputs.iter().enumerate();
            process.outcome.missing = outputs
                .map(|(at, output)| {
                    let mut lacking: Vec<Frame> = area.frames.iter().collect();
                    lacking.retain(|frame| !is_ready(at, *frame));
                    let lacking = FrameSet::from_frames(lacking);
                    (output.index, lacking, output.flaws.clone())
                })
                .collect();
            staging = Some((folder, given));
        }
        Ok(HeldProcess {
            attempt: attempt.clone(),
            number: process.number,
            members: process.members.iter().map(|(index, _)| *index).collect(),
            name: process.name,
            log: process.log,
            outcome: process.outcome,
            turn: process.turn,
            threads: process.threads,
            staging,
            ready,
        })
    }

    /// Does with the pictures of such a process what is to be done, and removes its staging folder.
    /// Gives the frames that it has brought of each deliverable.
    pub(super) fn release(
        self,
        held: HeldProcess,
        fate: Fate,
    ) -> Result<Vec<(DeliverableId, FrameSet)>, RunError> {
        let mut published = Vec::new();
        let Some((staging, given)) = held.staging else {
            return Ok(published);
        };
        let all = &self.context.expansion.deliverables;
        let deliverables = &held.attempt.planned.deliverables;
        let mut process = EngineProcess {
            worker: self,
            attempt: &held.attempt,
            number: held.number,
            profile: Arc::clone(&all[*deliverables.first()].common.engine),
            members: deliverables.map(|index| (*index, &all[*index])),
            name: held.name,
            log: held.log,
            outcome: held.outcome,
            turn: held.turn,
            threads: held.threads,
        };
        let mut area = process.area(&staging);
        match fate {
            Fate::Publish => {
                let harvest = area.publish(&|files| self.journal.publish(files), held.ready)?;
                process.outcome.published += process.collected(harvest)?;
                process.see_what_is_missing(&area);
                published.extend(area.outputs.iter().map(|output| {
                    let done = FrameSet::from_frames(output.done.iter().copied());
                    (
                        output.index,
                        done.difference(&output.besides).unwrap_or(done),
                    )
                }));
            }
            Fate::SetAside => {
                for (output, file) in held.ready {
                    let index = held.members[output];
                    let hash = file.record.hash;
                    process.outcome.unproven.insert((index, file.frame), hash);
                }
                let frames = &held.attempt.planned.frames;
                let missing = held.members.iter();
                process.outcome.missing = missing
                    .map(|index| (*index, frames.clone(), BTreeMap::new()))
                    .collect();
            }
            Fate::ThrowAway => {
                for (_, file) in &held.ready {
                    process.throw_away(&file.staged)?;
                }
            }
        }
        process.clear_up(&Rendered {
            staging,
            area,
            given,
        })?;
        Ok(published)
    }
}
