//! Checkpoints: what an engine goes on from when it was stopped in the middle of a frame.

use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, Checkpoint, Profile, fill};
use truepath_core::template::{PathPattern, TokenValue, expand};

use super::RunError;
use super::work::Work;
use crate::staging;

impl Work<'_> {
    /// Where the checkpoints of a deliverable are kept; those of other settings are of no use.
    fn checkpoint_folder(&self, index: usize) -> Option<PathBuf> {
        let fingerprint = self.credits[index].fingerprint.as_ref()?;
        Some(self.state.join("checkpoints").join(fingerprint))
    }

    /// Lays what there is of a process's frames into its staging folder; gives the arguments that
    /// tell the engine to go on from it.
    pub(super) fn checkpoints_laid_in(
        &self,
        call: &Call<'_>,
        members: &[(usize, &Deliverable)],
    ) -> Result<Vec<String>, RunError> {
        let Some(checkpoint) = &call.profile.checkpoint else {
            return Ok(Vec::new());
        };
        let (Some(pattern), Some(folder)) = (
            names(checkpoint, call),
            self.checkpoint_folder(members[0].0),
        ) else {
            return Ok(Vec::new());
        };
        let mut laid = false;
        for name in staging::files(&folder).unwrap_or_default() {
            let frame = pattern.read(&name).flatten();
            if frame.is_none_or(|frame| call.frames.contains(frame)) {
                let (from, to) = (folder.join(&name), Path::new(call.staging).join(&name));
                // The copy stays until the frame is done: this process may die too.
                std::fs::copy(&from, &to).map_err(RunError::disk(&to))?;
                laid = true;
            }
        }
        let mut arguments = Vec::new();
        for template in checkpoint.put.iter().filter(|_| laid) {
            arguments.extend(fill(template, &|name| call.token(name)).unwrap_or_default());
        }
        Ok(arguments)
    }

    /// Keeps what a process left behind to go on from; nothing where all its frames are done.
    pub(super) fn keep_checkpoints(
        &self,
        profile: &Profile,
        members: &[(usize, &Deliverable)],
        staged: &Path,
    ) -> Result<(), RunError> {
        let Some(checkpoint) = &profile.checkpoint else {
            return Ok(());
        };
        let Some(folder) = self.checkpoint_folder(members[0].0) else {
            return Ok(());
        };
        let frames = &members[0].1.common.clip;
        let deliverables = [members[0].1];
        let call = Call {
            profile,
            deliverables: &deliverables,
            frames,
            staging: "",
            prepared: None,
        };
        let Some(pattern) = names(checkpoint, &call) else {
            return Ok(());
        };
        for name in staging::files(staged).map_err(RunError::disk(staged))? {
            if pattern.read(&name).is_some() {
                std::fs::create_dir_all(&folder).map_err(RunError::disk(&folder))?;
                let to = folder.join(&name);
                let half = folder.join(format!(".{name}.half"));
                std::fs::copy(staged.join(&name), &half).map_err(RunError::disk(&half))?;
                std::fs::rename(&half, &to).map_err(RunError::disk(&to))?;
                std::fs::remove_file(staged.join(&name)).map_err(RunError::disk(staged))?;
            }
        }
        // Those of frames that are done are of no use any more.
        let done = |name: &str| {
            let frame = pattern.read(name).flatten();
            frame.is_some_and(|frame| Path::new(&members[0].1.path(frame)).is_file())
        };
        for name in staging::files(&folder).unwrap_or_default() {
            if done(&name) {
                let path = folder.join(&name);
                std::fs::remove_file(&path).map_err(RunError::disk(&path))?;
            }
        }
        Ok(())
    }
}

/// The names of the checkpoints of a call.
fn names(checkpoint: &Checkpoint, call: &Call<'_>) -> Option<PathPattern> {
    let value = |name: &str| match name {
        "frame" => TokenValue::Frame,
        _ => call.token(name),
    };
    expand(&checkpoint.files, &value).ok()
}
