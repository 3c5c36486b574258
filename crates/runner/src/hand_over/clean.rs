//! What runs leave in the state folder that nobody needs any more, and how it is removed: logs of runs that are over,
//! checkpoints, and what is kept to save time.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use crate::Loaded;
use crate::disk::Disk;
use crate::look::proxy_cache;
use crate::record::ledger::Ledger;

/// What is left of one kind.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Leftovers {
    /// Files, and folders that go as a whole.
    pub entries: Vec<PathBuf>,
    /// The folders that they lie in, or that they are.
    pub folders: Vec<PathBuf>,
    /// Files in them.
    pub files: u64,
    /// Bytes of those.
    pub bytes: u64,
    /// Files that are younger than asked for, and stay.
    pub younger: u64,
}

/// Which kind of leftovers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeftoverKind {
    /// Logs of runs that are over.
    Logs,
    /// What frames can be continued from that are not finished.
    Checkpoints,
    /// What engines answered and what was prepared of scenes; it is made again when it is needed.
    Caches,
    /// Small pictures that were made to be shown, of all jobs of the user.
    Proxies,
}

impl LeftoverKind {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Logs, Self::Checkpoints, Self::Caches, Self::Proxies];

    /// What is left of it, as far as it is older than that.
    ///
    /// # Errors
    /// When the state or a folder cannot be read.
    pub fn find(self, loaded: &Loaded, older_than: Option<Duration>) -> io::Result<Leftovers> {
        let state = loaded.state_folder();
        let entries: Vec<PathBuf> = match self {
            Self::Logs => {
                let ledger = Ledger::read(&state.ledgers())?;
                let over = ledger.sessions.iter().filter(|(_, record)| record.ended);
                over.map(|(number, _)| state.logs_of(*number)).collect()
            }
            Self::Proxies => match proxy_cache::folder() {
                Some(folder) => entries_of_all(entries_of(folder)?)?,
                None => Vec::new(),
            },
            // A run that is at work may be about to use them.
            Self::Checkpoints | Self::Caches if !state.is_clear()? => Vec::new(),
            Self::Checkpoints => entries_of(&state.checkpoints(""))?,
            Self::Caches => entries_of_all([state.prepared(), state.scenes(), state.unpacked()])?,
        };
        Leftovers::of(entries, older_than)
    }
}

/// What lies in a folder, in the order of its names; nothing where it is not there.
fn entries_of(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let entries = match fs::read_dir(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        entries => entries?,
    };
    let mut paths: Vec<PathBuf> = entries
        .map(|entry| Ok(entry?.path()))
        .collect::<io::Result<_>>()?;
    paths.sort();
    Ok(paths)
}

/// What lies in several folders.
fn entries_of_all(folders: impl IntoIterator<Item = PathBuf>) -> io::Result<Vec<PathBuf>> {
    let entries = folders.into_iter().map(|folder| entries_of(&folder));
    Ok(entries.collect::<io::Result<Vec<_>>>()?.concat())
}

impl Leftovers {
    fn of(entries: Vec<PathBuf>, older_than: Option<Duration>) -> io::Result<Self> {
        let mut left = Self::default();
        let now = SystemTime::now();
        for entry in entries {
            let mut found = Counted::default();
            found.add(&entry)?;
            if found.files == 0 {
                continue;
            }
            // A time ahead of this clock is young.
            let age = found
                .newest
                .and_then(|newest| now.duration_since(newest).ok());
            if older_than.is_some_and(|least| age.is_none_or(|age| age < least)) {
                left.younger += found.files;
                continue;
            }
            left.files += found.files;
            left.bytes += found.bytes;
            let folder = if entry.symlink_metadata()?.is_dir() {
                entry.clone()
            } else {
                entry.parent().unwrap_or(Path::new("/")).to_owned()
            };
            if left.folders.last() != Some(&folder) {
                left.folders.push(folder);
            }
            left.entries.push(entry);
        }
        Ok(left)
    }

    /// Removes it.
    ///
    /// # Errors
    /// When the disk refuses; what is removed by then stays removed.
    pub fn remove(&self, disk: &dyn Disk) -> io::Result<()> {
        for entry in &self.entries {
            match entry.symlink_metadata() {
                Ok(facts) if facts.is_dir() => disk.remove_tree(entry)?,
                Ok(_) => disk.remove_file(entry)?,
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => return Err(error),
            }
        }
        // Folders that are empty by then are of no use either.
        for folder in &self.folders {
            let _ = disk.remove_folder(folder);
        }
        Ok(())
    }
}

/// Files below a path, their bytes, and when the last of them changed; links are not followed.
#[derive(Default)]
struct Counted {
    files: u64,
    bytes: u64,
    newest: Option<SystemTime>,
}

impl Counted {
    fn add(&mut self, path: &Path) -> io::Result<()> {
        let facts = match path.symlink_metadata() {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
            facts => facts?,
        };
        if facts.is_dir() {
            return entries_of(path)?.iter().try_for_each(|one| self.add(one));
        }
        self.files += 1;
        self.bytes += facts.len();
        self.newest = self.newest.max(facts.modified().ok());
        Ok(())
    }
}

/// How much the ledgers of a job take, which stay: files and bytes.
///
/// # Errors
/// When they cannot be read.
pub fn ledgers(loaded: &Loaded) -> io::Result<(u64, u64)> {
    let mut found = Counted::default();
    found.add(&loaded.state_folder().ledgers())?;
    Ok((found.files, found.bytes))
}
