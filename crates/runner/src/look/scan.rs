//! The sequences in any tree of folders, without a job: one folder after the other, so that memory is bounded by the
//! largest.

use std::fs::{self, DirEntry};
use std::io;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use truepath_core::sequences::{Folder, Sequence};

use crate::record::aside::ASIDE;
use crate::system;

/// What is in one folder.
#[derive(Debug)]
pub struct ScannedFolder {
    /// The folder.
    pub path: PathBuf,
    /// Its sequences and other files, in the order of their names.
    pub sequences: Vec<Sequence>,
    /// Links to folders, which are not followed: they may lead in a circle.
    pub links: Vec<PathBuf>,
    /// What could not be read in it, and why.
    pub unreadable: Vec<(PathBuf, io::Error)>,
}

/// From so many files on it is worth to ask for their sizes and times side by side.
const MANY: usize = 2000;

/// Scans folders and all below them; hidden files and folders are left out. `found` is given each that has files,
/// and says whether to go on. Folders in which runs set files aside are left out unless they are named; which, is the
/// result.
pub fn scan(roots: &[PathBuf], found: &mut dyn FnMut(ScannedFolder) -> bool) -> Vec<PathBuf> {
    let mut left_out = Vec::new();
    let mut open: Vec<PathBuf> = roots.iter().rev().cloned().collect();
    while let Some(path) = open.pop() {
        let (folder, mut below) = scan_folder(path);
        let has_something = !folder.sequences.is_empty()
            || !folder.links.is_empty()
            || !folder.unreadable.is_empty();
        let is_inside = folder
            .path
            .components()
            .any(|part| part.as_os_str() == ASIDE);
        if has_something && !found(folder) {
            return left_out;
        }
        below.sort_unstable_by(|one, other| other.cmp(one));
        for folder in below {
            if !is_inside && folder.file_name().is_some_and(|name| name == ASIDE) {
                left_out.push(folder);
            } else {
                open.push(folder);
            }
        }
    }
    left_out
}

/// What was found of an entry of a folder.
enum Entry {
    File {
        name: Vec<u8>,
        bytes: u64,
        changed: i64,
    },
    Folder(PathBuf),
    Link(PathBuf),
    Unreadable(PathBuf, io::Error),
    /// A pipe, a device or the like.
    Other,
}

/// One folder, and the folders in it.
fn scan_folder(path: PathBuf) -> (ScannedFolder, Vec<PathBuf>) {
    let mut scanned = ScannedFolder {
        path,
        sequences: Vec::new(),
        links: Vec::new(),
        unreadable: Vec::new(),
    };
    let mut below = Vec::new();
    let mut folder = Folder::default();
    let mut entries = match fs::read_dir(&scanned.path) {
        Ok(entries) => entries,
        Err(error) => {
            scanned.unreadable.push((scanned.path.clone(), error));
            return (scanned, below);
        }
    };
    loop {
        // A block at a time: a folder may have millions of files.
        let mut block: Vec<DirEntry> = Vec::new();
        for entry in entries.by_ref().take(MANY * 8) {
            match entry {
                Ok(entry) => block.push(entry),
                Err(error) => scanned.unreadable.push((scanned.path.clone(), error)),
            }
        }
        if block.is_empty() {
            break;
        }
        block.retain(|entry| !system::bytes_of_name(&entry.file_name()).starts_with(b"."));
        let seen: Vec<Entry> = if block.len() < MANY {
            block.iter().map(entry).collect()
        } else {
            block.par_iter().with_min_len(256).map(entry).collect()
        };
        for one in seen {
            match one {
                Entry::File {
                    name,
                    bytes,
                    changed,
                } => folder.add(&name, bytes, changed),
                Entry::Folder(path) => below.push(path),
                Entry::Link(path) => scanned.links.push(path),
                Entry::Unreadable(path, error) => scanned.unreadable.push((path, error)),
                Entry::Other => {}
            }
        }
    }
    scanned.links.sort_unstable();
    scanned.sequences = folder.sequences();
    (scanned, below)
}

fn entry(entry: &DirEntry) -> Entry {
    // Links are not followed.
    match entry.metadata() {
        // It is gone: somebody cleans up or renames.
        Err(error) if error.kind() == io::ErrorKind::NotFound => Entry::Other,
        Err(error) => Entry::Unreadable(entry.path(), error),
        Ok(facts) if facts.is_dir() => Entry::Folder(entry.path()),
        Ok(facts) if facts.is_symlink() => {
            let path = entry.path();
            match fs::metadata(&path) {
                Ok(target) if target.is_dir() => Entry::Link(path),
                _ => file(entry, &facts),
            }
        }
        Ok(facts) if facts.is_file() => file(entry, &facts),
        Ok(_) => Entry::Other,
    }
}

fn file(entry: &DirEntry, facts: &fs::Metadata) -> Entry {
    Entry::File {
        name: system::bytes_of_name(&entry.file_name()).to_vec(),
        bytes: facts.len(),
        changed: i64::try_from(system::modified_at(facts) / 1_000_000_000).unwrap_or(0),
    }
}

/// The path of a file whose name is given in bytes.
#[must_use]
pub fn path_of(folder: &Path, name: &[u8]) -> PathBuf {
    folder.join(system::name_of_bytes(name))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn scanned(root: &Path) -> Vec<ScannedFolder> {
        let mut all = Vec::new();
        scan(&[root.to_owned()], &mut |folder| {
            all.push(folder);
            true
        });
        all
    }

    #[test]
    fn a_tree_is_scanned_folder_by_folder() {
        let root = tempfile::tempdir().unwrap();
        for folder in ["a", "b/c", ".hidden"] {
            fs::create_dir_all(root.path().join(folder)).unwrap();
            for frame in 1..=3 {
                let path = root.path().join(folder).join(format!("f.{frame:04}.png"));
                fs::write(path, "1234").unwrap();
            }
        }
        fs::write(root.path().join("b/notes.txt"), "").unwrap();
        // In a circle, and to nowhere.
        system::symlink("..", &root.path().join("b/up")).unwrap();
        system::symlink("nowhere", &root.path().join("b/gone.png")).unwrap();
        let all = scanned(root.path());
        let shown: Vec<String> = all
            .iter()
            .map(|folder| {
                let names = folder.sequences.iter().map(Sequence::name);
                let names: Vec<String> = names.collect();
                let path = folder.path.strip_prefix(root.path()).unwrap();
                format!("{}: {}", path.display(), names.join(" "))
            })
            .collect();
        assert_eq!(
            shown,
            [
                "a: f.{frame:04}.png",
                "b: gone.png notes.txt",
                "b/c: f.{frame:04}.png"
            ]
        );
        assert_eq!(all[0].sequences[0].bytes(), 12);
        assert_eq!(all[1].links, [root.path().join("b/up")]);
    }

    #[test]
    fn names_that_are_no_text_and_folders_that_are_not_there_are_reported() {
        let root = tempfile::tempdir().unwrap();
        let name = system::name_of_bytes(b"f\xff.0001.png");
        fs::write(root.path().join(name), "").unwrap();
        let all = scanned(root.path());
        let only = &all[0].sequences[0];
        assert_eq!(only.name(), "f\\xff.0001.png");
        assert!(path_of(root.path(), &only.file_name(1).unwrap()).exists());
        let gone = scanned(&root.path().join("gone"));
        assert_eq!(gone[0].unreadable[0].1.kind(), io::ErrorKind::NotFound);
    }

    #[test]
    fn large_folders_are_read_in_blocks() {
        let root = tempfile::tempdir().unwrap();
        for frame in 0..MANY * 2 {
            fs::write(root.path().join(format!("f.{frame:06}.png")), "1").unwrap();
        }
        let all = scanned(root.path());
        assert_eq!(all[0].sequences.len(), 1);
        assert_eq!(all[0].sequences[0].count(), MANY as u64 * 2);
        assert_eq!(all[0].sequences[0].bytes(), MANY as u64 * 2);
    }
}
