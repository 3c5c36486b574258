//! One process at work on a job: its state folder, lock, ledger and logs.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use crate::disk::Disk;
use crate::ledger::Writer;

/// Where a job keeps its state.
#[derive(Debug, Clone)]
pub(crate) struct State {
    folder: PathBuf,
}

impl State {
    pub(crate) fn new(folder: PathBuf) -> Self {
        Self { folder }
    }

    pub(crate) fn ledgers(&self) -> PathBuf {
        self.folder.join("ledger")
    }

    fn logs(&self) -> PathBuf {
        self.folder.join("logs")
    }
}

/// A process at work.
pub(crate) struct Session {
    /// Its number, from 1; it names the ledger, the logs and the staging folders.
    pub(crate) number: u32,
    pub(crate) ledger: Writer,
    pub(crate) logs: PathBuf,
    /// Held for as long as the process lives: the system lets go of it whatever happens.
    _lock: File,
}

/// Why no session can begin.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    /// Somebody else is at work.
    #[error("another run of this job is at work (it holds {0})")]
    Busy(String),
    /// The disk refuses.
    #[error("the state folder {path} cannot be used: {error}")]
    Disk {
        /// The folder.
        path: String,
        /// Why.
        error: io::Error,
    },
}

impl Session {
    /// Begins: takes the lock, and a number that nobody had.
    pub(crate) fn begin(disk: &dyn Disk, state: &State) -> Result<Self, SessionError> {
        let refused = |error: io::Error| SessionError::Disk {
            path: state.folder.display().to_string(),
            error,
        };
        disk.create_folders(&state.ledgers()).map_err(refused)?;
        let path = state.folder.join("lock");
        let lock = File::options()
            .create(true)
            .append(true)
            .open(&path)
            .map_err(refused)?;
        use rustix::fs::FlockOperation::NonBlockingLockExclusive;
        match rustix::fs::flock(&lock, NonBlockingLockExclusive) {
            Ok(()) => {}
            Err(rustix::io::Errno::WOULDBLOCK) => {
                return Err(SessionError::Busy(path.display().to_string()));
            }
            Err(error) => return Err(refused(error.into())),
        }
        let number = 1 + last_number(&state.ledgers()).map_err(refused)?;
        let logs = state.logs().join(format!("{number:04}"));
        disk.create_folders(&logs).map_err(refused)?;
        let ledger = Writer::create(disk, &state.ledgers().join(format!("{number:04}.jsonl")))
            .map_err(refused)?;
        Ok(Self {
            number,
            ledger,
            logs,
            _lock: lock,
        })
    }
}

fn last_number(ledgers: &Path) -> io::Result<u32> {
    let mut last = 0;
    for entry in fs::read_dir(ledgers)? {
        let path = entry?.path();
        let number = path
            .file_stem()
            .and_then(|stem| stem.to_str())
            .and_then(|stem| stem.parse().ok());
        last = last.max(number.unwrap_or(0));
    }
    Ok(last)
}
