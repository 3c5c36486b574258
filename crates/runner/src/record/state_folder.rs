//! Where a job keeps what its runs need to know: one place that knows the layout of the state folder.
//!
//! ```text
//! .truepath/
//!   format                   the format of all of this, as a number
//!   project.json             the project that it belongs to, where it does not lie in its folder
//!   ledger/NUMBER.jsonl      what each run published
//!   run-JOB.json             when the latest run of a job file began, and whether it is complete
//!   sessions/NUMBER          a run at work; .dead where it was taken for dead, .beat its heartbeat,
//!                            .wants what it renders
//!   claims/                  marks on what only one run may do
//!   logs/NUMBER/             what engines printed
//!   checkpoints/FINGERPRINT/ what frames are continued from
//!   line-files.json          the files that `run` lines name and that count as inputs
//!   versions/                which settings a version belongs to
//!   prepared/, scenes/, slurm/
//! ```

use std::fmt;
use std::io;
use std::path::{Path, PathBuf};

use crate::disk::{Disk, is_empty, write_durably};
use crate::record::ledger::{FORMAT, newer_format};
use crate::record::value_key::make_value_key;
use crate::system::{is_of_group, make_private};
use truepath_media::read_text;

/// The state folder of a job.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StateFolder {
    root: PathBuf,
}

/// What all files and folders are called by that this program makes for itself.
pub(crate) const OWN: &str = ".truepath";

/// What stands before the number of a run that is making something.
const MAKING: &str = ".making-";

impl StateFolder {
    /// What it is called where the job does not set `state`.
    pub(crate) const NAME: &'static str = ".truepath";

    /// The state folder with a path.
    #[must_use]
    pub fn new(root: PathBuf) -> Self {
        Self { root }
    }

    /// Its path.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.root
    }

    /// The format of all that is in it, as a number.
    fn format(&self) -> PathBuf {
        self.root.join("format")
    }

    /// Refuses links in a state folder, and one that is a link itself: what a run writes there would change files of
    /// somebody else.
    fn check_links(&self) -> io::Result<()> {
        let refuse = |path: &Path, is_link: bool| match is_link {
            true => Err(io::Error::other(format!(
                "{} is a link, and no run writes through one; a state folder that lies elsewhere is set by `state`",
                path.display()
            ))),
            false => Ok(()),
        };
        let root = std::fs::symlink_metadata(&self.root);
        refuse(&self.root, root.is_ok_and(|facts| facts.is_symlink()))?;
        for entry in std::fs::read_dir(&self.root).into_iter().flatten() {
            let entry = entry?;
            let kind = entry.file_type();
            refuse(&entry.path(), kind.is_ok_and(|kind| kind.is_symlink()))?;
        }
        Ok(())
    }

    /// Refuses a state folder of a newer format: this program would misread it. One that says no format is of the first.
    ///
    /// # Errors
    /// When it is of a newer format, or cannot be read.
    pub(crate) fn check_format(&self) -> io::Result<()> {
        self.check_links()?;
        let text = match read_text(&self.format()) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
            text => text?,
        };
        match text.trim().parse::<u32>() {
            Ok(format) if format <= FORMAT => Ok(()),
            Ok(format) => Err(newer_format("it", format)),
            Err(_) => Err(io::Error::other(format!(
                "{} does not hold the number of a format",
                self.format().display()
            ))),
        }
    }

    /// Writes down the format, where nobody has.
    fn write_format(&self, disk: &dyn Disk) -> io::Result<()> {
        let path = self.format();
        if path.exists() {
            return self.check_format();
        }
        write_durably(disk, &path, format!("{FORMAT}\n").as_bytes())
    }

    /// Makes it where it is not there: for its user alone, but in a folder whose files belong to a group.
    ///
    /// # Errors
    /// When the disk refuses, or it is of a newer format.
    pub(crate) fn make(&self, disk: &dyn Disk) -> io::Result<()> {
        if !self.root.exists() {
            let above = self.root.parent().unwrap_or(&self.root);
            disk.create_folders(above)?;
            match disk.create_new_folder(&self.root) {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
                made => {
                    made?;
                    if !is_of_group(above) {
                        make_private(&self.root)?;
                    }
                    disk.sync_folder(above)?;
                }
            }
        }
        disk.create_folders(&self.ledgers())?;
        self.write_format(disk)?;
        make_value_key(self, disk)
    }

    /// The key of the hashes of values.
    pub(crate) fn value_key(&self) -> PathBuf {
        self.root.join("value-key")
    }

    /// The project that it belongs to.
    pub(crate) fn project_home(&self) -> PathBuf {
        self.root.join("project.json")
    }

    /// The ledgers, one file a run.
    pub(crate) fn ledgers(&self) -> PathBuf {
        self.root.join("ledger")
    }

    /// The record of the latest run of a job file: several job files may share a state folder.
    pub(crate) fn run_record(&self, job: &str) -> PathBuf {
        self.root.join(format!("run-{job}.json"))
    }

    /// The logs of all runs.
    #[must_use]
    pub fn logs(&self) -> PathBuf {
        self.root.join("logs")
    }

    /// Lists of what was removed of earlier versions, with their hashes.
    pub(crate) fn removed(&self) -> PathBuf {
        self.root.join("removed")
    }

    /// The bundles that are unpacked while their frames are gathered.
    pub(crate) fn unpacked(&self) -> PathBuf {
        self.root.join("unpacked")
    }

    /// The logs of a run.
    pub(crate) fn logs_of(&self, session: u32) -> PathBuf {
        self.logs().join(format!("{session:04}"))
    }

    /// The claims of the runs at work.
    pub(crate) fn claims(&self) -> PathBuf {
        self.root.join("claims")
    }

    /// Where the last run to leave moves the claims before it removes them.
    pub(crate) fn old_claims(&self, session: u32) -> PathBuf {
        self.root.join(format!("claims-{session:04}"))
    }

    /// The files that `run` lines name and that count as inputs.
    pub(crate) fn line_files(&self) -> PathBuf {
        self.root.join("line-files.json")
    }

    /// Which settings the versions belong to.
    pub(crate) fn versions(&self) -> PathBuf {
        self.root.join("versions")
    }

    /// The signs of life of runs.
    pub(crate) fn sessions(&self) -> PathBuf {
        self.root.join("sessions")
    }

    /// The sign of life of a run.
    pub(crate) fn session(&self, session: u32) -> PathBuf {
        self.sessions().join(format!("{session:04}"))
    }

    /// What its sign of life is called once others take the run for dead.
    pub(crate) fn dead_session(&self, session: u32) -> PathBuf {
        self.sessions().join(format!("{session:04}.dead"))
    }

    /// The heartbeat of a run.
    pub(crate) fn heartbeat(&self, session: u32) -> PathBuf {
        self.sessions().join(format!("{session:04}.beat"))
    }

    /// The number of the run that a file among the sessions belongs to, also one that is half written.
    pub(crate) fn session_of(file_name: &str) -> Option<u32> {
        let name = file_name.strip_prefix('.').unwrap_or(file_name);
        name.split('.').next()?.parse().ok()
    }

    /// The checkpoints of frames with a fingerprint.
    pub(crate) fn checkpoints(&self, fingerprint: &str) -> PathBuf {
        self.root.join("checkpoints").join(fingerprint)
    }

    /// What was prepared of scenes.
    pub(crate) fn prepared(&self) -> PathBuf {
        self.root.join("prepared")
    }

    /// The name of a folder in that of prepared scenes in which a run is making one.
    pub(crate) fn name_of_making(key: &str, session: u32) -> String {
        format!("{key}{MAKING}{session:04}")
    }

    /// Whether a run was making something in a folder of this name.
    pub(crate) fn is_making_of(file_name: &str, session: u32) -> bool {
        let number = file_name.rsplit_once(MAKING).map(|(_, number)| number);
        // A free name may have a number of its own behind that.
        let number = number.and_then(|number| number.split('.').next());
        number.is_some_and(|number| number.parse() == Ok(session))
    }

    /// What engines reported of scenes.
    pub(crate) fn scenes(&self) -> PathBuf {
        self.root.join("scenes")
    }

    /// What belongs to runs on a cluster.
    #[must_use]
    pub fn slurm(&self) -> PathBuf {
        self.root.join("slurm")
    }

    /// Whether no run is at work, and none has left what the next one clears up.
    pub(crate) fn is_clear(&self) -> io::Result<bool> {
        // Runs that leave at the same instant may leave an empty folder of claims behind.
        for folder in [self.sessions(), self.claims()] {
            let is_nothing = match is_empty(&folder) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => true,
                found => found?,
            };
            if !is_nothing {
                return Ok(false);
            }
        }
        Ok(true)
    }
}

impl fmt::Display for StateFolder {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.root.display().fmt(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn everything_has_a_place_of_its_own() {
        let state = StateFolder::new("/show/.truepath".into());
        let all = [
            state.ledgers(),
            state.run_record("truepath.toml"),
            state.run_record("review.toml"),
            state.logs(),
            state.logs_of(1),
            state.claims(),
            state.old_claims(1),
            state.sessions(),
            state.session(1),
            state.session(2),
            state.dead_session(1),
            state.heartbeat(1),
            state.checkpoints("0a1b"),
            state.prepared(),
            state.scenes(),
            state.slurm(),
        ];
        let different: BTreeSet<&PathBuf> = all.iter().collect();
        assert_eq!(different.len(), all.len());
        assert!(all.iter().all(|path| path.starts_with(state.path())));
    }

    #[test]
    fn the_files_of_a_run_are_known_by_its_number() {
        let state = StateFolder::new("/show/.truepath".into());
        for path in [
            state.session(12),
            state.dead_session(12),
            state.heartbeat(12),
        ] {
            let name = path.file_name().unwrap().to_str().unwrap();
            assert_eq!(StateFolder::session_of(name), Some(12), "{name}");
        }
        assert_eq!(StateFolder::session_of("notes"), None);
        let name = StateFolder::name_of_making("povray-0a1b", 12);
        for name in [name.clone(), format!("{name}.2")] {
            assert!(StateFolder::is_making_of(&name, 12), "{name}");
            assert!(!StateFolder::is_making_of(&name, 1), "{name}");
        }
        assert!(!StateFolder::is_making_of("povray-0012", 12));
    }

    #[test]
    fn it_is_clear_only_without_runs_and_claims() {
        let folder = tempfile::tempdir().unwrap();
        let state = StateFolder::new(folder.path().join("state"));
        assert!(state.is_clear().unwrap());
        std::fs::create_dir_all(state.sessions()).unwrap();
        assert!(state.is_clear().unwrap());
        std::fs::write(state.session(1), "").unwrap();
        assert!(!state.is_clear().unwrap());
        std::fs::remove_file(state.session(1)).unwrap();
        std::fs::create_dir(state.claims()).unwrap();
        assert!(state.is_clear().unwrap());
        std::fs::write(state.claims().join("1"), "").unwrap();
        assert!(!state.is_clear().unwrap());
    }
}
