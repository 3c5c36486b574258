//! What the engines of a run share: their supervisor, staging folders that are used again, and what was
//! prepared of scenes.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};
use truepath_core::deliverable::DeliverableId;

use truepath_core::frames::{Frame, FrameSet};

use super::assembling::Assembling;
use super::context::RunContext;
use super::journal::Journal;
use super::line_watch::LineWatch;
use super::{Event, RunError};
use crate::lock::lock;
use crate::make::publish::Provenance;
use crate::make::staging;
use crate::make::supervisor::Supervisor;

/// What the engines of a run share.
pub(super) struct Workshop {
    pub(super) supervisor: Supervisor,
    /// The files that `run` lines name.
    pub(super) lines: LineWatch,
    /// What is known of files that are about to be assembled, by deliverable and frame.
    assembling: Mutex<HashMap<(DeliverableId, Frame), Arc<Assembling>>>,
    /// Staging folders that the next processes may have: file systems grow slow where a folder is made
    /// and removed for every frame (ext4 passes over each inode that was freed in the last minute).
    emptied: Mutex<Vec<PathBuf>>,
    /// What was prepared and is not to be kept.
    not_to_keep: Mutex<Vec<PathBuf>>,
    /// Only one thread prepares a scene.
    preparing: Mutex<()>,
}

impl Workshop {
    pub(super) fn new(supervisor: Supervisor, lines: LineWatch) -> Self {
        Self {
            supervisor,
            lines,
            assembling: Mutex::default(),
            emptied: Mutex::default(),
            not_to_keep: Mutex::default(),
            preparing: Mutex::default(),
        }
    }

    /// What is recorded with the files of a deliverable that a process of some frames makes.
    pub(super) fn provenance(
        &self,
        context: &RunContext<'_>,
        index: DeliverableId,
        frames: &FrameSet,
    ) -> Provenance {
        let mut provenance = context.provenance[index].clone();
        let frame = frames.first().unwrap_or(0);
        if let Some(assembling) = self.assembling(index, frame) {
            provenance.fingerprint.clone_from(&assembling.fingerprint);
            return provenance;
        }
        provenance.of_frame(&context.expansion.deliverables[index], frame)
    }

    /// What is known of a file that is about to be assembled; none of one that is rendered.
    pub(super) fn assembling(&self, index: DeliverableId, frame: Frame) -> Option<Arc<Assembling>> {
        lock(&self.assembling).get(&(index, frame)).cloned()
    }

    /// Remembers what is known of a file that is about to be assembled.
    pub(super) fn know_assembled(
        &self,
        index: DeliverableId,
        frame: Frame,
        assembling: Assembling,
    ) {
        lock(&self.assembling).insert((index, frame), Arc::new(assembling));
    }

    /// An empty staging folder in a folder; whether it is still to be made.
    pub(super) fn staging_folder(
        &self,
        context: &RunContext<'_>,
        folder: &Path,
        process: u32,
    ) -> (PathBuf, bool) {
        let mut emptied = lock(&self.emptied);
        match emptied.iter().position(|one| one.parent() == Some(folder)) {
            Some(at) => (emptied.swap_remove(at), false),
            None => (context.session.staging_folder(folder, process), true),
        }
    }

    /// Keeps an empty staging folder for the next process.
    pub(super) fn keep_staging_folder(&self, staging: PathBuf) {
        lock(&self.emptied).push(staging);
    }

    /// Removes those that are kept, at the end.
    pub(super) fn remove_staging_folders(
        &self,
        context: &RunContext<'_>,
        journal: &Journal<'_>,
    ) -> Result<(), RunError> {
        let kept = std::mem::take(&mut *lock(&self.emptied));
        for staging in kept {
            match remove_staging_folder(context, journal, &staging, "late", &[]) {
                Err(error) if !error.ends_the_run(context.state.path()) => {
                    journal.leave_behind(&format!("{} stays: {error}", staging.display()));
                }
                removed => removed?,
            }
        }
        Ok(())
    }

    /// Held by the thread that prepares a scene; others wait.
    pub(super) fn prepare_alone(&self) -> MutexGuard<'_, ()> {
        lock(&self.preparing)
    }

    /// What was prepared in a folder goes at the end.
    pub(super) fn do_not_keep(&self, folder: &Path) {
        let mut folders = lock(&self.not_to_keep);
        if !folders.iter().any(|one| one == folder) {
            folders.push(folder.to_owned());
        }
    }

    /// Removes what was prepared and is not to be kept.
    pub(super) fn remove_prepared(&self, context: &RunContext<'_>) {
        for folder in lock(&self.not_to_keep).iter() {
            // What cannot be removed is in the state folder and does no harm there.
            let _ = context.disk.remove_tree(folder);
        }
    }
}

/// Removes a staging folder; what is left in it is set aside, but for what was given to the engine.
pub(super) fn remove_staging_folder(
    context: &RunContext<'_>,
    journal: &Journal<'_>,
    staging: &Path,
    name: &str,
    given: &[String],
) -> Result<(), RunError> {
    let aside = staging::clear(context.disk, staging, name, given);
    for to in aside.map_err(RunError::disk(staging))? {
        journal.event(&Event::Aside {
            what: "a file that was not asked for or is not whole",
            to: &to,
        });
    }
    Ok(())
}
