//! What runs leave that nobody needs any more, and how it is removed: logs of runs that are over, and what
//! was set aside beside the frames.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Expansion;

use crate::Loaded;
use crate::disk::Disk;
use crate::ledger::Ledger;
use crate::staging::ASIDE;

/// What is left of one kind.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Leftovers {
    /// The folders.
    pub folders: Vec<PathBuf>,
    /// Files in them.
    pub files: u64,
    /// Bytes of those.
    pub bytes: u64,
}

impl Leftovers {
    fn of(folders: impl IntoIterator<Item = PathBuf>) -> io::Result<Self> {
        let mut left = Self::default();
        for folder in folders {
            let mut files = left.files;
            count(&folder, &mut files, &mut left.bytes)?;
            if files > left.files {
                left.files = files;
                left.folders.push(folder);
            }
        }
        Ok(left)
    }

    /// Removes it.
    ///
    /// # Errors
    /// When the disk refuses; what is removed by then stays removed.
    pub fn remove(&self, disk: &dyn Disk) -> io::Result<()> {
        self.folders
            .iter()
            .try_for_each(|folder| disk.remove_tree(folder))
    }
}

/// Counts files below a folder; links are not followed.
fn count(folder: &Path, files: &mut u64, bytes: &mut u64) -> io::Result<()> {
    let entries = match fs::read_dir(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        entries => entries?,
    };
    for entry in entries {
        let entry = entry?;
        let facts = entry.path().symlink_metadata()?;
        if facts.is_dir() {
            count(&entry.path(), files, bytes)?;
        } else {
            *files += 1;
            *bytes += facts.len();
        }
    }
    Ok(())
}

/// The logs of runs that have ended, and of which nothing is left to be recovered.
///
/// # Errors
/// When the state cannot be read.
pub fn logs(loaded: &Loaded) -> io::Result<Leftovers> {
    let state = loaded.state_folder();
    let ledger = Ledger::read(&state.ledgers())?;
    let over = ledger.sessions.iter().filter(|(_, record)| record.ended);
    Leftovers::of(over.map(|(number, _)| state.logs_of(*number)))
}

/// What runs have set aside beside the frames of a job.
///
/// # Errors
/// When a folder cannot be read.
pub fn set_aside(all: &Expansion) -> io::Result<Leftovers> {
    let folders: BTreeSet<PathBuf> = all
        .deliverables
        .iter()
        .flat_map(|one| one.folders(&one.common.frames.files.value))
        .map(|folder| Path::new(&folder).join(ASIDE))
        // Never by way of a link.
        .filter(|folder| fs::symlink_metadata(folder).is_ok_and(|facts| facts.is_dir()))
        .collect();
    Leftovers::of(folders)
}
