//! Published files, by folder and name: the cost of looking for deliverables grows with what is there
//! and not with what is wanted.

use std::collections::HashMap;
use std::sync::Arc;

use foldhash::fast::RandomState;

use super::KnownFile;

/// What was recorded last of every published file.
#[derive(Debug, Clone, Default)]
pub struct Files {
    folders: HashMap<Arc<str>, NamesInFolder, RandomState>,
}

type NamesInFolder = HashMap<Box<str>, KnownFile, RandomState>;

impl Files {
    /// What is recorded of a file.
    #[must_use]
    pub fn get(&self, path: &str) -> Option<&KnownFile> {
        let (folder, name) = split(path);
        self.folders.get(folder)?.get(name)
    }

    /// What is recorded of some files alone.
    pub(crate) fn only(&self, paths: impl Iterator<Item = String>) -> Self {
        let mut files = Self::default();
        for path in paths {
            if let Some(known) = self.get(&path) {
                let (folder, name) = split(&path);
                files.insert(&folder.into(), name.into(), known.clone());
            }
        }
        files
    }

    pub(super) fn insert(&mut self, folder: &Arc<str>, name: Box<str>, known: KnownFile) {
        let names = self.folders.entry(Arc::clone(folder)).or_default();
        names.insert(name, known);
    }

    pub(super) fn remove(&mut self, path: &str) {
        let (folder, name) = split(path);
        if let Some(names) = self.folders.get_mut(folder) {
            names.remove(name);
        }
    }
}

/// The folder of a path, and its name in it.
pub(super) fn split(path: &str) -> (&str, &str) {
    path.rsplit_once('/').unwrap_or(("", path))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::ledger::published::RecordReader;
    use crate::record::ledger::{FileOrigin, Record};

    #[test]
    fn the_last_word_on_a_path_counts() {
        let mut files = Files::default();
        let mut reader = RecordReader::default();
        for (size, path) in [
            (1, "/a/b.png"),
            (2, "/a/c.png"),
            (3, "/a/b.png"),
            (4, "/b.png"),
        ] {
            let entry = reader.of_record(
                FileOrigin::Rendered,
                &Record {
                    path: path.to_owned(),
                    size,
                    modified: 0,
                    hash: String::new(),
                    fingerprint: None,
                    engine: String::new(),
                    machine: String::new(),
                    time: String::new(),
                    run: None,
                    unverifiable: None,
                    picture: None,
                    samples: None,
                    error: None,
                    proven_by: None,
                    kind: None,
                },
            );
            files.insert(&entry.folder, entry.name, entry.known);
        }
        let size = |files: &Files, path: &str| files.get(path).map(|known| known.stamp.size);
        assert_eq!(size(&files, "/a/b.png"), Some(3));
        assert_eq!(size(&files, "/b.png"), Some(4));
        assert_eq!(size(&files, "/a/d.png"), None);
        files.remove("/a/b.png");
        files.remove("/nowhere/b.png");
        assert_eq!(size(&files, "/a/b.png"), None);
        assert_eq!(size(&files, "/a/c.png"), Some(2));
    }
}
