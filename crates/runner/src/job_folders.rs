//! What a run may move or remove because state of an earlier run says so. State can be edited, copied
//! or restored: a folder is taken for a run's own only by its name, its place, and a mark that the run
//! has written inside.

use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};
use truepath_core::deliverable::Expansion;

use crate::disk::{Disk, create_folder};
use crate::presence::host;
use crate::staging::{self, ASIDE, MARK};
use crate::system::file_number;

/// What a run writes into the folders that it makes: which state folder they belong to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Mark {
    /// The path of the state folder.
    state: String,
    /// What the file system calls the state folder, whatever its path.
    inode: u64,
    /// The machine.
    host: String,
}

impl Mark {
    pub(crate) fn of(state: &Path) -> Self {
        Self {
            state: state.display().to_string(),
            inode: file_number(state),
            host: host(),
        }
    }

    /// Makes a folder that is marked as this run's own.
    pub(crate) fn make(&self, disk: &dyn Disk, folder: &Path) -> io::Result<()> {
        create_folder(disk, folder)?;
        match disk.write_new(&folder.join(MARK), &serde_json::to_vec(self)?) {
            // The answer of a file server was lost.
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Self::read(folder)
                .is_some_and(|mark| mark == *self)
                .then_some(())
                .ok_or(error),
            written => written,
        }
    }

    fn read(folder: &Path) -> Option<Self> {
        serde_json::from_slice(&fs::read(folder.join(MARK)).ok()?).ok()
    }

    /// Whether a run of the same state folder has written it, as far as can be known: a folder that
    /// was renamed keeps its number, one that was moved to another disk or restored keeps its path, and
    /// a copy keeps neither.
    fn is_alike(&self, other: &Self) -> bool {
        let is_same_folder = self.host == other.host && self.inode == other.inode;
        self.state == other.state || is_same_folder
    }
}

/// The folders of a job in which its runs work.
pub(crate) struct JobFolders<'g> {
    /// The folder of the job.
    pub(crate) job: &'g Path,
    pub(crate) mark: &'g Mark,
    pub(crate) expansion: &'g Expansion,
}

impl JobFolders<'_> {
    /// Whether a folder is a staging folder, or one in which files are held, that a run of this job made.
    pub(crate) fn is_own_folder(&self, folder: &Path) -> bool {
        let is_folder = fs::symlink_metadata(folder).is_ok_and(|facts| facts.is_dir());
        if !is_folder || !staging::has_own_name(folder) {
            return false;
        }
        let Some(parent) = folder.parent() else {
            return false;
        };
        let mark = Mark::read(folder);
        if self.is_below_job(parent) {
            // A run that died over making it has written no mark yet.
            return mark.is_some() || staging::is_empty(folder).unwrap_or(false);
        }
        self.is_folder_of_frames(parent) && mark.is_some_and(|mark| mark.is_alike(self.mark))
    }

    /// Whether something is in the place of such a folder that an engine has put there: a link or a file.
    pub(crate) fn is_instead_of_own_folder(&self, path: &Path) -> bool {
        let is_something = fs::symlink_metadata(path).is_ok_and(|facts| !facts.is_dir());
        let parent = path.parent().unwrap_or(Path::new("/"));
        is_something
            && staging::has_own_name(path)
            && (self.is_below_job(parent) || self.is_folder_of_frames(parent))
    }

    /// Whether a file lies in a folder of what was set aside, in a folder of the job.
    pub(crate) fn is_set_aside(&self, file: &Path) -> bool {
        let Some(folder) = file.parent() else {
            return false;
        };
        let Some(above) = folder.parent() else {
            return false;
        };
        folder.file_name().is_some_and(|name| name == ASIDE)
            && (self.is_below_job(above) || self.is_folder_of_frames(above))
    }

    /// Whether a path is the true name of a frame that the job wants.
    pub(crate) fn is_true_name(&self, path: &str) -> bool {
        let mut all = self.expansion.deliverables.iter();
        all.any(|one| one.pattern.read(path).is_some())
    }

    /// Whether a folder, links followed, is inside the job's folder.
    fn is_below_job(&self, folder: &Path) -> bool {
        let whole = folder.canonicalize().ok().zip(self.job.canonicalize().ok());
        whole.is_some_and(|(folder, job)| folder.starts_with(job))
    }

    fn is_folder_of_frames(&self, folder: &Path) -> bool {
        let Some(folder) = folder.to_str() else {
            return false;
        };
        let mut all = self.expansion.deliverables.iter();
        all.any(|one| {
            let mut folders = one.folders(&one.common.frames.files.value);
            folders.any(|one| one == folder)
        })
    }
}
