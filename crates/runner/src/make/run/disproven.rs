//! Engines that write a picture again after they have called it finished, or have gone on to the next one. What they
//! report, and their order, proves nothing for the rest of the run.

use truepath_core::frames::Frame;

use super::RunError;
use super::engine_process::EngineProcess;
use crate::make::staging_area::StagingArea;
use crate::record::ledger::Replaces;

impl EngineProcess<'_> {
    /// Whether the engine's log and order still prove that a picture is finished.
    pub(super) fn is_believed(&self) -> bool {
        let report = self.worker.journal.report();
        !report.disproven.contains_key(&self.profile.name)
    }

    /// Takes back what was published too soon; gives which frames of which outputs, by place.
    pub(super) fn take_back(
        &mut self,
        area: &mut StagingArea<'_>,
    ) -> Result<Vec<(usize, Frame)>, RunError> {
        let written_again = area.written_again();
        let written_again = written_again.map_err(RunError::disk(&area.folder))?;
        let mut report = self.worker.journal.report();
        for (_, output, frame) in &written_again {
            let output = &mut area.outputs[*output];
            output.done.remove(frame);
            output.replaces.insert(*frame, Replaces::Remove);
            report.rendered = report.rendered.saturating_sub(1);
            let engine = self.profile.name.clone();
            let path = output.deliverable.path(*frame);
            report.disproven.entry(engine).or_insert(path);
        }
        let taken = written_again.into_iter();
        Ok(taken.map(|(_, output, frame)| (output, frame)).collect())
    }

    /// Sets aside what was taken back and has got no final picture in its place.
    pub(super) fn set_taken_back_aside(
        &self,
        area: &StagingArea<'_>,
        taken_back: &[(usize, Frame)],
    ) -> Result<(), RunError> {
        for (output, frame) in taken_back {
            let output = &area.outputs[*output];
            if !output.done.contains(frame) {
                let why = "the engine wrote it again after it had called it finished";
                let path = output.deliverable.path(*frame);
                self.worker.files().make_room(&path, why)?;
            }
        }
        Ok(())
    }
}
