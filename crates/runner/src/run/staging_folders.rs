//! Staging folders that are used again: file systems grow slow where a folder is made and removed for
//! every frame (ext4 passes over each inode that was freed in the last minute).

use std::path::{Path, PathBuf};

use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::staging;

impl Work<'_> {
    /// An empty staging folder in a folder; whether it is still to be made.
    pub(super) fn staging_folder(&self, folder: &Path, process: u32) -> (PathBuf, bool) {
        let mut emptied = self.emptied();
        match emptied.iter().position(|one| one.parent() == Some(folder)) {
            Some(at) => (emptied.swap_remove(at), false),
            None => (self.session.staging_folder(folder, process), true),
        }
    }

    /// Whether a staging folder may be used again; not one of which something may still come.
    pub(super) fn is_fit_for_more(staging: &Path, outcome: &Outcome) -> Result<bool, RunError> {
        let all_is_well = outcome.end == End::Success && outcome.all_missing().is_empty();
        Ok(all_is_well && staging::is_empty(staging).map_err(RunError::disk(staging))?)
    }

    /// Removes those that are kept, at the end.
    pub(super) fn remove_staging_folders(&self) -> Result<(), RunError> {
        let kept = std::mem::take(&mut *self.emptied());
        for staging in kept {
            self.remove_staging_folder(&staging, "late", &[])?;
        }
        Ok(())
    }

    /// Removes a staging folder; what is left in it is set aside, but for what was given to the engine.
    pub(super) fn remove_staging_folder(
        &self,
        staging: &Path,
        name: &str,
        given: &[String],
    ) -> Result<(), RunError> {
        let aside = staging::clear(self.disk, staging, name, given);
        for to in aside.map_err(RunError::disk(staging))? {
            self.tell(&Event::Aside {
                what: "a file that was not asked for or is not whole",
                to: &to,
            });
        }
        Ok(())
    }
}
