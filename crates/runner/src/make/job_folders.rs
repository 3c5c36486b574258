//! What a run may move or remove because state of an earlier run says so. State can be edited, copied
//! or restored: a folder is taken for a run's own only by its name, its place, and a mark that the run
//! has written inside.

use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};
use truepath_core::deliverable::Expansion;

use crate::disk::{Disk, create_folder};
use crate::make::staging::{self, MARK};
use crate::record::aside::ASIDE;
use crate::record::presence::host;
use crate::system::file_number;
use truepath_media::{MOST_TEXT, read_regular};

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
        serde_json::from_slice(&read_regular(&folder.join(MARK), MOST_TEXT).ok()?).ok()
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;
    use crate::disk::faulty::{Fault, FaultyDisk};
    use crate::sample::Project;

    const NAME: &str = "renders/.truepath-0a1b2c3d-0001-0001";

    fn folders<'g>(project: &'g Project, mark: &'g Mark) -> JobFolders<'g> {
        JobFolders {
            job: &project.loaded.folder,
            mark,
            expansion: &project.expansion,
        }
    }

    #[test]
    fn a_folder_is_a_runs_own_by_name_place_and_mark() {
        let project = Project::new();
        let mark = Mark::of(project.state().path());
        let folders = folders(&project, &mark);
        assert!(
            !folders.is_own_folder(&project.path(NAME)),
            "it is not there"
        );
        mark.make(&RealDisk, &project.path(NAME)).unwrap();
        assert!(folders.is_own_folder(&project.path(NAME)));

        // One that a run died over making has no mark yet; one with files and no mark is somebody's.
        let bare = project.path("renders/.truepath-0a1b2c3d-0001-0002");
        fs::create_dir(&bare).unwrap();
        assert!(folders.is_own_folder(&bare));
        fs::write(bare.join("dawn.0001.png"), "mine").unwrap();
        assert!(!folders.is_own_folder(&bare));

        // Another name, another place, a link, a file.
        mark.make(&RealDisk, &project.path("renders/mine")).unwrap();
        assert!(!folders.is_own_folder(&project.path("renders/mine")));
        let elsewhere = tempfile::tempdir().unwrap();
        let strange = elsewhere.path().join(".truepath-0a1b2c3d-0001-0001");
        mark.make(&RealDisk, &strange).unwrap();
        assert!(!folders.is_own_folder(&strange));
        let link = project.path("renders/.truepath-0a1b2c3d-0001-0003");
        crate::system::symlink(&strange.display().to_string(), &link).unwrap();
        assert!(!folders.is_own_folder(&link));
        assert!(folders.is_instead_of_own_folder(&link));
        assert!(!folders.is_instead_of_own_folder(&project.path(NAME)));
    }

    #[test]
    fn a_mark_is_written_once_and_never_over_another() {
        let project = Project::new();
        let mark = Mark::of(project.state().path());
        // The folder and the mark were made, and their answers got lost.
        let lost = FaultyDisk::new(|operation, _| match operation {
            "create_new_folder" | "write_new" => Some(Fault::Twice),
            _ => None,
        });
        mark.make(&lost, &project.path(NAME)).unwrap();
        let other = Mark::of(&project.path("renders"));
        assert!(other.make(&RealDisk, &project.path(NAME)).is_err());
        assert_eq!(Mark::read(&project.path(NAME)), Some(mark));
    }

    #[test]
    fn a_state_folder_that_moved_is_known_and_a_copy_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let (here, there) = (folder.path().join("here"), folder.path().join("there"));
        fs::create_dir(&here).unwrap();
        let mark = Mark::of(&here);
        fs::create_dir(&there).unwrap();
        assert!(!mark.is_alike(&Mark::of(&there)), "a copy");
        fs::remove_dir(&there).unwrap();
        fs::rename(&here, &there).unwrap();
        assert!(mark.is_alike(&Mark::of(&there)), "renamed");
    }

    #[test]
    fn only_names_that_the_job_gives_are_true_names() {
        let project = Project::new();
        let mark = Mark::of(project.state().path());
        let folders = folders(&project, &mark);
        let path = project.deliverable(0).path(2);
        assert!(folders.is_true_name(&path));
        assert!(!folders.is_true_name(&path.replace(".png", ".exr")));
        assert!(!folders.is_true_name("/show/dawn.0001.png"));
        let aside = project.path("renders/set-aside/dawn.0001.png");
        assert!(folders.is_set_aside(&aside));
        assert!(!folders.is_set_aside(&project.path("renders/dawn.0001.png")));
        assert!(!folders.is_set_aside(Path::new("/show/set-aside/dawn.0001.png")));
    }
}
