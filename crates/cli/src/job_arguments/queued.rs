//! Jobs of a queue in place of a single one.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use truepath_core::deliverable::Selection;
use truepath_core::queue::QueueEntry;
use truepath_core::source::{Place, SourceId};
use truepath_runner::hand_over::queue::{is_queue_file, job_of, load_queue};

use super::{JobArguments, NamedJob, SelectionArguments};
use crate::error::{CommandError, DONE, number_of};
use crate::show::TITLE;

impl NamedJob {
    /// The queue file, where one is given instead of a job file.
    pub(crate) fn queue(&self) -> Option<PathBuf> {
        let named = self.named.as_ref().or(self.job.job.as_ref());
        named.filter(|path| is_queue_file(path)).cloned()
    }

    /// Does something for the job that is meant, or for each job of a queue that is named in its place; gives the worst
    /// exit code.
    pub(crate) fn for_each(
        self,
        mut act: impl FnMut(JobArguments) -> Result<ExitCode, CommandError>,
    ) -> Result<ExitCode, CommandError> {
        let Some(path) = self.queue() else {
            return act(self.job());
        };
        let queue = load_queue(&path)?;
        let mut worst = DONE;
        for entry in queue.entries.iter().filter(|entry| entry.is_on) {
            crate::show::remark(&format!("{TITLE}{}{TITLE:#}", entry.label()));
            let code = match act(self.job.of_entry(&path, entry)) {
                Ok(code) => code,
                Err(CommandError::Closed) => return Err(CommandError::Closed),
                // The others have their say all the same.
                Err(error) => ExitCode::from(error.report()),
            };
            worst = worst.max(number_of(code));
        }
        Ok(ExitCode::from(worst))
    }
}

impl JobArguments {
    /// The same for the job of a queue; what the call chooses and sets counts besides.
    pub(crate) fn of_entry(&self, queue: &Path, entry: &QueueEntry) -> Self {
        let Selection {
            shots,
            cameras,
            variants,
            views,
            passes,
            outputs,
            frames,
        } = entry.selection.clone();
        let either = |called: &[String], queued: Vec<String>| {
            if called.is_empty() {
                queued
            } else {
                called.to_vec()
            }
        };
        let called = &self.selection;
        let sets = entry.sets.iter().chain(&self.set).cloned();
        Self {
            job: Some(job_of(queue, entry)),
            selection: SelectionArguments {
                shot: either(&called.shot, shots),
                camera: either(&called.camera, cameras),
                variant: either(&called.variant, variants),
                view: either(&called.view, views),
                pass: either(&called.pass, passes),
                output: either(&called.output, outputs),
                frames: called.frames.clone().or(frames),
            },
            preset: self.preset.clone().or_else(|| entry.preset.clone()),
            set: sets.collect(),
            ..self.clone()
        }
    }

    /// What these options say as an entry of a queue, but for the job.
    pub(crate) fn entry(&self) -> QueueEntry {
        let trial = || self.trial.then(|| "trial".to_owned());
        QueueEntry {
            job: String::new(),
            place: Place {
                source: SourceId(0),
                span: 0..0,
            },
            selection: self.selection.clone().into(),
            sets: self.set.clone(),
            preset: self.preset.clone().or_else(trial),
            note: None,
            is_on: true,
        }
    }
}
