//! What jobs in the folders beside that of a job have published: a file of theirs is not this job's to take.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use crate::disk::Stamp;
use crate::record::ledger::{Files, Ledger};
use crate::record::state_folder::StateFolder;

/// So many folders beside that of the job are looked at.
const MOST: usize = 200;

/// The jobs in the folders beside that of a job. Their ledgers are read when the first file is found that the job's own
/// ledger does not record.
pub(crate) struct Neighbours {
    folder: PathBuf,
    jobs: OnceLock<Vec<(PathBuf, Files)>>,
}

impl Neighbours {
    /// Of the job in a folder.
    pub(crate) fn of(folder: &Path) -> Self {
        Self {
            folder: folder.to_owned(),
            jobs: OnceLock::new(),
        }
    }

    /// The folder of the job beside this one that has published this very file.
    pub(super) fn publisher(&self, path: &str, on_disk: Stamp) -> Option<&Path> {
        let jobs = self.jobs.get_or_init(|| self.read());
        let has_published = |files: &Files| {
            let record = files.get(path);
            record.is_some_and(|record| record.stamp == on_disk)
        };
        let mut jobs = jobs.iter().filter(|(_, files)| has_published(files));
        jobs.next().map(|(folder, _)| folder.as_path())
    }

    fn read(&self) -> Vec<(PathBuf, Files)> {
        let Some(above) = self.folder.parent() else {
            return Vec::new();
        };
        let entries = fs::read_dir(above).into_iter().flatten().flatten();
        let mut folders: Vec<PathBuf> = entries
            .filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()))
            .map(|entry| entry.path())
            .filter(|folder| *folder != self.folder)
            .take(MOST)
            .collect();
        folders.sort();
        let with_ledger = folders.into_iter().filter_map(|folder| {
            let state = StateFolder::new(folder.join(StateFolder::NAME));
            let ledgers = state.ledgers();
            // What cannot be read says nothing.
            let ledger = ledgers.is_dir().then(|| Ledger::read(&ledgers).ok());
            Some((folder, ledger.flatten()?.published))
        });
        with_ledger.collect()
    }
}
