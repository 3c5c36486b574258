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
use crate::audit::AuditProgress;
use crate::disk::recorded;
use crate::fingerprint::Fingerprints;
use crate::inventory::{Depth, FileOnDisk, Looker};
use crate::ledger::Ledger;
use crate::lock::lock;
use crate::scan::{path_of, scan};
use crate::why::FileState;
use crate::{disk, movies, system};

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

/// The files of a job that are there, in the order of the job; and how many are not.
#[must_use]
pub fn files_of_job(expansion: &Expansion) -> (Vec<PathBuf>, u64) {
    let (mut files, mut missing) = (Vec::new(), 0);
    for one in &expansion.deliverables {
        let movie = one
            .is_assembled_movie()
            .then(|| one.common.frames.selected.first())
            .flatten();
        let frames = one.common.frames.selected.iter();
        for frame in frames.filter(|frame| movie.is_none_or(|only| only == *frame)) {
            let path = PathBuf::from(one.path(frame));
            match fs::symlink_metadata(&path) {
                Ok(facts) if facts.is_file() => files.push(path),
                _ => missing += 1,
            }
        }
    }
    (files, missing)
}

/// The states of all files that a job wants, in its order, those that are not there among them. What the ledger does not
/// know is decoded, and a hash that was made just now is compared with the recorded one, where it is of the same kind.
///
/// # Errors
/// When the ledgers of the job or a folder cannot be read.
pub fn states_of_job(
    loaded: &Loaded,
    expansion: &Expansion,
    kinds: &[HashKind],
    hashed: &[HashedFile],
) -> io::Result<Vec<(PathBuf, FileState)>> {
    let by_path: HashMap<&Path, &HashedFile> =
        hashed.iter().map(|one| (one.path.as_path(), one)).collect();
    let ledger = Ledger::read(&loaded.state_folder().ledgers())?;
    let mut fingerprints = Fingerprints::new(loaded);
    let mut states = Vec::new();
    for one in &expansion.deliverables {
        if one.is_assembled_movie() {
            let there = movies::look(one, &ledger.published, false, &loaded.folder)?.state();
            let frame = one.common.frames.shot.first().unwrap_or(0);
            states.push((PathBuf::from(one.path(frame)), FileState::of(there)));
            continue;
        }
        let today = fingerprints.of(one).ok();
        let looker = Looker::new(one, &ledger.published, today.as_deref());
        for frame in one.common.frames.selected.iter() {
            let path = one.path(frame);
            let mut there = looker.look(frame, Depth::Unknown).there;
            let record = ledger.published.get(&path);
            let path = PathBuf::from(path);
            let content = by_path.get(path.as_path()).map(|file| &file.content);
            if let (Some(record), Some(Ok((_, hashes)))) = (record, content) {
                let mut made = kinds.iter().zip(hashes);
                let is_changed = made.any(|(kind, digits)| {
                    *kind == record.hash.kind()
                        && recorded(*kind, digits) != record.hash.to_string()
                });
                if is_changed {
                    there = FileOnDisk::Changed(
                        "its bytes are not those that were published".to_owned(),
                    );
                }
            }
            states.push((path, FileState::of(there)));
        }
    }
    Ok(states)
}

/// The files below some folders, hidden ones left out, in the order of their names; and what could not be read.
#[must_use]
pub fn files_of_folders(folders: &[PathBuf]) -> (Vec<PathBuf>, Vec<(PathBuf, io::Error)>) {
    let (mut files, mut unreadable) = (Vec::new(), Vec::new());
    scan(folders, &mut |folder| {
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
            files.extend(names.iter().map(|name| path_of(&folder.path, name)));
        }
        unreadable.extend(folder.unreadable);
        true
    });
    (files, unreadable)
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
