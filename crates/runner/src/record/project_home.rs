//! Which project a state folder belongs to, where it does not lie in the folder of the job: a copy of a project would
//! share it with the original, and each would take the files of the other for its own.
//!
//! The state folder records the folder of the job, and a file marks that folder. By the mark it is known again under
//! whatever path it is named; where the recorded folder is gone, the project was moved; where the state folder itself was
//! copied along, it is that of the copy.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::disk::{Disk, write_durably, write_new};
use crate::record::state_folder::{OWN, StateFolder};
use crate::system::{file_number, modified_at};
use truepath_media::{MOST_TEXT, read_regular};

/// The project that a state folder belongs to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct ProjectHome {
    /// The folder of the job.
    folder: PathBuf,
    /// The state folder itself.
    state: PathBuf,
}

/// Makes sure that a state folder is that of the project in a folder; gives the folder of the project that it belongs to
/// where this one is a copy of that.
pub(crate) fn original_of_copy(
    disk: &dyn Disk,
    state: &StateFolder,
    folder: &Path,
) -> io::Result<Option<PathBuf>> {
    let home = ProjectHome {
        folder: fs::canonicalize(folder)?,
        state: fs::canonicalize(state.path())?,
    };
    if home.state.starts_with(&home.folder) {
        return Ok(None);
    }
    let recorded: Option<ProjectHome> = match read_regular(&state.project_home(), MOST_TEXT) {
        Ok(bytes) => serde_json::from_slice(&bytes).ok(),
        Err(error) if error.kind() == io::ErrorKind::NotFound => None,
        Err(error) => return Err(error),
    };
    let recorded = recorded.filter(|recorded| recorded.state == home.state);
    if let Some(recorded) = &recorded
        && recorded.folder != home.folder
        && recorded.folder.is_dir()
        && !is_one_file(&mark_of(&recorded.folder), &mark_of(&home.folder))
    {
        return Ok(Some(recorded.folder.clone()));
    }
    if recorded.as_ref() != Some(&home) {
        let text = "By this file True Path knows the project again whose state lies elsewhere.\n";
        match write_new(disk, &mark_of(&home.folder), text.as_bytes()) {
            Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(error),
            _ => {}
        }
        write_durably(disk, &state.project_home(), &serde_json::to_vec(&home)?)?;
    }
    Ok(None)
}

/// The file that marks the folder of a project.
fn mark_of(folder: &Path) -> PathBuf {
    folder.join(format!("{OWN}-project"))
}

/// Whether two paths lead to one file: by its number and time, since a server that is mounted twice has two devices.
fn is_one_file(one: &Path, other: &Path) -> bool {
    let time = |path: &Path| fs::metadata(path).ok().map(|facts| modified_at(&facts));
    time(one).is_some() && time(one) == time(other) && file_number(one) == file_number(other)
}
