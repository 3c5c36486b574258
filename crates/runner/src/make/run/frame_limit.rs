//! Ends an engine at the limit of a frame where the engine cannot stop itself: once it has saved a picture that is good
//! enough.

use std::path::{Path, PathBuf};

use truepath_core::deliverable::Picture;
use truepath_media::{ExpectedPicture, verify};

use super::RunError;
use super::engine_process::EngineProcess;
use super::times::Times;
use crate::disk::{copy_new, rename_over};
use crate::make::staging::SAVED;
use crate::make::staging_area::{StagingArea, name_of};

/// Where the saved state of a picture is kept until the engine has ended.
fn state_of(folder: &Path, name: &str) -> PathBuf {
    folder.join(format!("{SAVED}{name}"))
}

impl EngineProcess<'_> {
    /// The engine says that a file holds an intermediate state: where the frame is at its limit, that is enough of it.
    pub(super) fn saved(&mut self, named: &str, times: &Times, area: &mut StagingArea<'_>) {
        let name = name_of(named);
        let Some(one) = area.deliverable_of(&name) else {
            return;
        };
        if !self.is_at_limit(&one.picture, times) || self.outcome.saved.contains(&name) {
            return;
        }
        // What it writes from now on may be cut off in the middle: a copy is kept, if it is whole. Else the next state may be.
        let disk = self.worker.context.disk;
        let state = state_of(&area.folder, &name);
        let copied = copy_new(disk, &area.folder.join(&name), &state);
        if copied.is_err() || verify(&state, &ExpectedPicture::from(one)).is_err() {
            let _ = disk.remove_file(&state);
            return;
        }
        if let Some(samples) = self.outcome.samples {
            area.got(samples);
        }
        self.outcome.saved.push(name);
    }

    /// Sees that each saved picture is whole, after the engine has ended: where it was cut off in the middle of the next
    /// state, the one that was saved before takes its place.
    pub(super) fn restore_saved(
        &self,
        area: &StagingArea<'_>,
        saved: &[String],
    ) -> Result<(), RunError> {
        let disk = self.worker.context.disk;
        for name in saved {
            let Some(one) = area.deliverable_of(name) else {
                continue;
            };
            let (file, state) = (area.folder.join(name), state_of(&area.folder, name));
            if !state.exists() {
                continue;
            }
            let done = if verify(&file, &ExpectedPicture::from(one)).is_ok() {
                disk.remove_file(&state)
            } else {
                rename_over(disk, &state, &file)
            };
            done.map_err(RunError::disk(&state))?;
        }
        Ok(())
    }

    /// Whether a frame is at a limit that the engine is not given.
    fn is_at_limit(&self, picture: &Picture, times: &Times) -> bool {
        let samples = picture.stop_samples.as_ref();
        let samples = samples.filter(|_| !self.profile.mentions("stop-samples"));
        let time = picture.stop_time.as_ref();
        let time = time.filter(|_| !self.profile.mentions("stop-seconds"));
        samples.is_some_and(|limit| times.samples >= limit.value.unsigned_abs())
            || time.is_some_and(|limit| times.frame.elapsed() >= limit.value)
    }

    /// Whether every file of a frame that is at its limit was saved.
    pub(super) fn has_saved_all(&self, area: &StagingArea<'_>) -> bool {
        let saved = self.outcome.saved.iter().filter(|name| area.expects(name));
        saved.count() >= area.outputs.len()
    }
}
