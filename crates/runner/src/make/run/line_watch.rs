//! Which files of `run` lines are inputs: those that a line names are recorded before its first process, and what that
//! process changes, such as a log, counts from then on with the content that it had.

use std::path::Path;
use std::sync::Mutex;

use truepath_core::deliverable::Deliverable;

use super::RunError;
use super::context::RunContext;
use super::journal::Journal;
use crate::lock::lock;
use crate::record::line_files::{LineFiles, NamedFiles, OutsideProgram};

/// The lines of which no process has ended yet.
#[derive(Default)]
pub(super) struct LineWatch(Mutex<Vec<NamedFiles>>);

impl LineWatch {
    /// Records what the lines of a job name, where that was not done before.
    pub(super) fn begin(context: &RunContext<'_>, journal: &Journal<'_>) -> Result<Self, RunError> {
        let known = LineFiles::read(&context.state);
        let mut new: Vec<NamedFiles> = Vec::new();
        for one in &context.expansion.deliverables {
            let Some(named) = known.named(one, &context.loaded.folder) else {
                continue;
            };
            if new.iter().any(|known| known.line == named.line) {
                continue;
            }
            let program = context.program(&one.common.engine.program);
            let program =
                program.and_then(|path| OutsideProgram::of(&path, &context.loaded.folder));
            let recorded = LineFiles::record(&context.state, context.disk, &named, program);
            let (is_new, changed) = recorded.map_err(RunError::disk(context.state.path()))?;
            if let Some(program) = changed {
                journal.remark(&format!(
                    "the program {} is another one than before, by its path, size or time; what it made is not rendered again for that",
                    program.display()
                ));
            }
            if is_new {
                new.push(named);
            }
        }
        Ok(Self(Mutex::new(new)))
    }

    /// A process of a deliverable has ended with success.
    pub(super) fn process_ended(
        &self,
        context: &RunContext<'_>,
        journal: &Journal<'_>,
        deliverable: &Deliverable,
    ) -> Result<(), RunError> {
        let named = {
            let mut new = lock(&self.0);
            if new.is_empty() {
                return Ok(());
            }
            let folder: &Path = &context.loaded.folder;
            let Some(of) = LineFiles::default().named(deliverable, folder) else {
                return Ok(());
            };
            let place = new.iter().position(|one| one.line == of.line);
            place.map(|place| new.swap_remove(place))
        };
        let Some(named) = named else {
            return Ok(());
        };
        let folder = &context.loaded.folder;
        let changed = LineFiles::freeze_changed(&context.state, context.disk, &named, folder);
        for name in changed.map_err(RunError::disk(context.state.path()))? {
            journal.remark(&format!(
                "{name} was changed by a process of this job, so it is no input: later changes make no frame stale"
            ));
        }
        Ok(())
    }
}
