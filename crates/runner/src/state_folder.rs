//! Where a job keeps what its runs need to know: one place that knows the layout of the state folder.
//!
//! ```text
//! .truepath/
//!   ledger/NUMBER.jsonl      what each run published
//!   run-JOB.json             when the latest run of a job file began, and whether it is complete
//!   sessions/NUMBER          a run at work; .dead where it was taken for dead, .beat its heartbeat,
//!                            .wants what it renders
//!   claims/                  marks on what only one run may do
//!   logs/NUMBER/             what engines printed
//!   checkpoints/FINGERPRINT/ what frames are continued from
//!   prepared/, set-up/, scenes/, slurm/
//! ```

use std::fmt;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::job::{Key, Value};
use truepath_core::template::{TokenValue, expand};
use truepath_core::token::Token;

use crate::Loaded;
use crate::disk::is_empty;

/// The state folder of a job.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StateFolder {
    root: PathBuf,
}

/// What stands before the number of a run that is making something.
const MAKING: &str = ".making-";

impl StateFolder {
    /// What it is called where the job does not set `state`.
    const NAME: &'static str = ".truepath";

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

    /// What a run renders.
    pub(crate) fn wants(&self, session: u32) -> PathBuf {
        self.sessions().join(format!("{session:04}.wants"))
    }

    /// The number of the run that a file among the sessions belongs to.
    pub(crate) fn session_of(file_name: &str) -> Option<u32> {
        file_name.split('.').next()?.parse().ok()
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

    /// What set-up scripts have set.
    pub(crate) fn set_up(&self) -> PathBuf {
        self.root.join("set-up")
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

impl Loaded {
    /// The state folder: `state` of the job file, or `.truepath` beside it.
    #[must_use]
    pub fn state_folder(&self) -> StateFolder {
        let setting = self.job.setting(Key::State);
        if let Some(setting) = setting
            && let Value::Template(template, _) = &setting.value.value
            && let Ok(pattern) = expand(template, &|name| self.place(name))
        {
            return StateFolder::new(self.folder.join(pattern.path(0)));
        }
        StateFolder::new(self.folder.join(StateFolder::NAME))
    }

    /// The value of a token in `state`, which takes places only.
    fn place(&self, name: &str) -> TokenValue {
        let Some((Token::Place, name)) = Token::read(name) else {
            return TokenValue::Unknown;
        };
        if name == "job" {
            return TokenValue::Path(self.surroundings.job_folder.clone());
        }
        let place = self.job.places.iter().find(|place| place.name == name);
        let folder = place.and_then(|place| place.folder(self.surroundings.system));
        folder.map_or(TokenValue::Unknown, |folder| {
            TokenValue::Path(folder.value.clone())
        })
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
            state.wants(1),
            state.checkpoints("0a1b"),
            state.prepared(),
            state.set_up(),
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
        for path in [state.session(12), state.dead_session(12), state.wants(12)] {
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
