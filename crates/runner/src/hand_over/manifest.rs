//! Hashes of many files, each read once for all hash functions.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicU8, Ordering};

use rayon::prelude::*;
use truepath_core::deliverable::Expansion;
use truepath_core::hash_list::HashLine;
use truepath_media::{HashKind, hash_file};

use crate::Loaded;
use crate::disk::recorded;
use crate::follow::audit::AuditProgress;
use crate::follow::why::FileVerdict;
use crate::lock::lock;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{Depth, Inventory};
use crate::look::scan::{path_of, scan};
use crate::record::ledger::Ledger;
use crate::{disk, system};

/// A file and its hashes.
#[derive(Debug)]
pub struct HashedFile {
    /// The file.
    pub path: PathBuf,
    /// Its bytes, and its hashes in hexadecimal digits, in the order that was asked for.
    pub content: io::Result<(u64, Vec<String>)>,
}

/// Hashes files, side by side; those that were not reached when somebody asked to stop are left out.
///
/// # Errors
/// When no threads can be had.
pub fn hash_files(
    files: &[PathBuf],
    kinds: &[HashKind],
    interrupt: &AtomicU8,
    observer: &(dyn Fn(AuditProgress) + Sync),
) -> io::Result<Vec<HashedFile>> {
    let progress = Mutex::new(AuditProgress {
        of: files.len() as u64,
        ..AuditProgress::default()
    });
    let hashed = |path: &PathBuf| {
        if interrupt.load(Ordering::Relaxed) > 0 {
            return None;
        }
        let content = hash_file(path, kinds).and_then(|hashes| {
            let stamp = disk::stamp(path)?.ok_or(io::ErrorKind::NotFound)?;
            Ok((stamp.size, hashes))
        });
        let mut progress = lock(&progress);
        progress.files += 1;
        progress.bytes += content.as_ref().map_or(0, |(bytes, _)| *bytes);
        observer(*progress);
        drop(progress);
        Some(HashedFile {
            path: path.clone(),
            content,
        })
    };
    Ok(files
        .par_iter()
        .with_max_len(4)
        .filter_map(hashed)
        .collect())
}

/// The files of a job that are there, in the order of the job.
#[must_use]
pub fn files_of_job(expansion: &Expansion) -> Vec<PathBuf> {
    let deliverables = expansion.deliverables.iter();
    let paths = deliverables.flat_map(|one| one.files().iter());
    let paths = paths.map(|file| PathBuf::from(file.path()));
    paths
        .filter(|path| fs::symlink_metadata(path).is_ok_and(|facts| facts.is_file()))
        .collect()
}

/// The states of all files that a job wants, in its order, those that are not there among them. What the ledger does not
/// record is decoded; a hash that was made just now is compared with the recorded one, where it is of the same kind, and a
/// file of which it is another is decoded as well.
///
/// # Errors
/// When the ledgers of the job cannot be read.
pub fn states_of_job(
    loaded: &Loaded,
    expansion: &Expansion,
    kinds: &[HashKind],
    hashed: &[HashedFile],
) -> io::Result<Vec<(PathBuf, FileVerdict)>> {
    let by_path: HashMap<&Path, &HashedFile> =
        hashed.iter().map(|one| (one.path.as_path(), one)).collect();
    let ledger = Ledger::read(&loaded.state_folder().ledgers())?;
    let inventory = Inventory::new(loaded, expansion, &mut Fingerprints::new(loaded));
    let files = &ledger.published;
    let mut states = Vec::new();
    for looker in inventory.all() {
        for file in looker.deliverable().files().iter() {
            let path = file.path();
            let record = files.get(&path);
            let path = PathBuf::from(path);
            let content = by_path.get(path.as_path()).map(|file| &file.content);
            let is_another = match (record, content) {
                (Some(record), Some(Ok((_, hashes)))) => {
                    let mut made = kinds.iter().zip(hashes);
                    made.any(|(kind, digits)| {
                        *kind == record.hash.kind()
                            && recorded(*kind, digits) != record.hash.to_string()
                    })
                }
                _ => false,
            };
            let depth = if is_another {
                Depth::Decode
            } else {
                Depth::Unknown
            };
            let found = looker.look(file.frame, depth, files).found;
            states.push((path, FileVerdict::of(&found)));
        }
    }
    Ok(states)
}

/// The files below some folders.
#[derive(Debug, Default)]
pub struct ListedFiles {
    /// Those that are listed, in the order of their names.
    pub files: Vec<PathBuf>,
    /// What could not be read.
    pub unreadable: Vec<(PathBuf, io::Error)>,
    /// Folders of what runs set aside, which are left out.
    pub set_aside: Vec<PathBuf>,
}

/// The files below some folders, hidden ones left out, and those in `set-aside` unless it is named.
#[must_use]
pub fn files_of_folders(folders: &[PathBuf]) -> ListedFiles {
    let mut listed = ListedFiles::default();
    let set_aside = scan(folders, &mut |folder| {
        for sequence in &folder.sequences {
            let frames = sequence.frames();
            let names = if sequence.is_sequence() {
                frames
                    .iter()
                    .filter_map(|frame| sequence.file_name(frame))
                    .collect()
            } else {
                sequence.file_name(0).into_iter().collect::<Vec<_>>()
            };
            let files = names.iter().map(|name| path_of(&folder.path, name));
            listed.files.extend(files);
        }
        listed.unreadable.extend(folder.unreadable);
        true
    });
    ListedFiles {
        set_aside,
        ..listed
    }
}

/// A line of a list for a file below a folder; none where it is not below it.
#[must_use]
pub fn hash_line(folder: &Path, file: &Path, hash: &str) -> Option<HashLine> {
    let relative = file.strip_prefix(folder).ok()?;
    Some(HashLine {
        hash: hash.to_owned(),
        path: system::bytes_of_name(relative.as_os_str()).to_vec(),
    })
}

/// The file that a line of a list in a folder is about.
#[must_use]
pub fn file_of_line(folder: &Path, line: &HashLine) -> PathBuf {
    path_of(folder, &line.path)
}
