//! What is there already, compared with the ledger and, where that does not know it, decoded.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::finding::grouped;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{ExpectedPicture, Flaw, verify};

use crate::disk::{Stamp, hash_file, stamp};
use crate::ledger::{KnownFile, Ledger};

/// What stands under a true name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum FileOnDisk {
    /// Nothing.
    Missing,
    /// What the ledger says, made with today's settings.
    Valid,
    /// The bytes that the ledger says, with another time of last change.
    Touched,
    /// A whole picture of the right kind that the ledger does not know.
    Unrecorded,
    /// What the ledger says, made with other settings.
    Stale,
    /// A whole picture of the right kind that is not the one that was published; with what differs.
    Changed(String),
    /// No such picture; with the reason.
    Broken(String),
    /// This program cannot decode it; with the reason.
    Unverifiable(String),
}

/// Frames by a reason.
#[derive(Debug, Default)]
pub(crate) struct ByReason(BTreeMap<String, Vec<Frame>>);

impl ByReason {
    pub(crate) fn add(&mut self, reason: String, frame: Frame) {
        self.0.entry(reason).or_default().push(frame);
    }

    pub(crate) fn frames(self) -> Vec<(String, FrameSet)> {
        let all = self.0.into_iter();
        all.map(|(reason, frames)| (reason, FrameSet::from_frames(frames)))
            .collect()
    }
}

/// All frames, for whatever reason.
pub(crate) fn all_frames(by_reason: &[(String, FrameSet)]) -> FrameSet {
    by_reason
        .iter()
        .fold(FrameSet::empty(), |sum, (_, frames)| {
            sum.union(frames).unwrap_or(sum)
        })
}

/// What differs between a file and the one that was published.
pub(crate) fn difference(published: Stamp, found: Stamp) -> String {
    if published.size == found.size {
        "not the bytes that were published, though as many".to_owned()
    } else {
        format!(
            "not the bytes that were published: {} bytes, {} then",
            grouped(found.size),
            grouped(published.size)
        )
    }
}

/// Looks at files; with `decode` every file is read whole, else only those that the ledger does
/// not know.
pub(crate) fn look(
    deliverable: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
) -> Vec<(Frame, FileOnDisk)> {
    let seen = look_closely(deliverable, frames, ledger, fingerprint, decode);
    seen.into_iter()
        .map(|(frame, there, _)| (frame, there))
        .collect()
}

/// The same, with what there is besides in the files that are decoded.
pub(crate) fn look_closely(
    deliverable: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
) -> Vec<(Frame, FileOnDisk, Vec<String>)> {
    let all: Vec<Frame> = frames.iter().collect();
    let wanted = ExpectedPicture::from(deliverable);
    let one = |frame: &Frame| {
        let path = deliverable.path(*frame);
        let mut notes = Vec::new();
        let there = at(&path, ledger, fingerprint, decode, &wanted, &mut notes);
        (*frame, there, notes)
    };
    // Looking at a file takes microseconds, decoding it milliseconds.
    match all.len() < if decode { 8 } else { 4096 } {
        true => all.iter().map(one).collect(),
        false => all.par_iter().map(one).collect(),
    }
}

/// Looks at the files of a sequence as `status` does: those that are as recorded by size and time are not opened, others
/// are; of files that the ledger does not know only so many.
pub(crate) fn look_briefly(
    deliverable: &Deliverable,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    most_unrecorded: usize,
) -> QuickLook {
    let frames = &deliverable.common.frames.selected;
    let wanted = ExpectedPicture::from(deliverable);
    let one = |frame: &Frame| {
        let path = deliverable.path(*frame);
        let record = ledger.published.get(&path);
        let found = stamp(Path::new(&path));
        let there = match (found, record) {
            (Ok(None), _) => Some(FileOnDisk::Missing),
            (Err(error), _) => Some(FileOnDisk::Broken(error.to_string())),
            (Ok(Some(found)), Some(record)) if record.stamp == found => {
                Some(as_recorded(record, fingerprint, &wanted))
            }
            (Ok(Some(_)), Some(_)) => Some(at(
                &path,
                ledger,
                fingerprint,
                false,
                &wanted,
                &mut Vec::new(),
            )),
            (Ok(Some(_)), None) => None,
        };
        let bytes = match &there {
            Some(FileOnDisk::Missing) => 0,
            _ => record.map_or(0, |record| record.stamp.size),
        };
        (*frame, there, bytes)
    };
    let all: Vec<Frame> = frames.iter().collect();
    let seen: Vec<(Frame, Option<FileOnDisk>, u64)> = if all.len() < 4096 {
        all.iter().map(one).collect()
    } else {
        all.par_iter().map(one).collect()
    };
    let mut brief = QuickLook::default();
    let mut unrecorded: Vec<Frame> = Vec::new();
    for (frame, there, bytes) in seen {
        brief.bytes += bytes;
        match there {
            Some(there) => brief.frames.push((frame, there)),
            None => unrecorded.push(frame),
        }
    }
    if unrecorded.len() <= most_unrecorded {
        let set = FrameSet::from_frames(unrecorded);
        let seen = look(deliverable, &set, ledger, fingerprint, false);
        brief.frames.extend(seen);
    } else {
        brief.not_looked_into = FrameSet::from_frames(unrecorded);
    }
    brief
}

/// What a brief look finds.
#[derive(Debug, Default)]
pub(crate) struct QuickLook {
    pub(crate) frames: Vec<(Frame, FileOnDisk)>,
    /// Files that the ledger does not know and that were not opened.
    pub(crate) not_looked_into: FrameSet,
    /// Bytes of the recorded files that are there.
    pub(crate) bytes: u64,
}

/// Looks at one file; what there is besides in one that is decoded goes to the notes.
fn at(
    path: &str,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
    wanted: &ExpectedPicture,
    notes: &mut Vec<String>,
) -> FileOnDisk {
    let file = Path::new(path);
    let found = match stamp(file) {
        Ok(None) => return FileOnDisk::Missing,
        Ok(Some(found)) => found,
        Err(error) => return FileOnDisk::Broken(error.to_string()),
    };
    let record = ledger.published.get(path);
    let is_as_recorded = record.is_some_and(|record| record.stamp == found);
    let is_stale = record.is_some_and(|record| is_stale(record, fingerprint));
    if let (Some(record), true, false) = (record, is_as_recorded, decode) {
        return as_recorded(record, fingerprint, wanted);
    }
    let unverifiable = match verify(file, wanted) {
        Err(Flaw::Unverifiable(reason)) => Some(reason).filter(|_| !wanted.allows_unverifiable),
        // What other settings made may well be another kind of picture.
        Err(flaw) if is_stale && flaw.is_wrong_kind() => None,
        Err(flaw) => return FileOnDisk::Broken(flaw.to_string()),
        Ok(facts) => {
            *notes = facts.notes;
            None
        }
    };
    let Some(record) = record else {
        return unverifiable.map_or(FileOnDisk::Unrecorded, FileOnDisk::Unverifiable);
    };
    match (hash_file(file), unverifiable) {
        (Err(error), _) => FileOnDisk::Broken(error.to_string()),
        (Ok(hash), _) if hash != record.hash.to_string() => {
            FileOnDisk::Changed(difference(record.stamp, found))
        }
        (Ok(_), _) if is_stale => FileOnDisk::Stale,
        (Ok(_), Some(reason)) => FileOnDisk::Unverifiable(reason),
        (Ok(_), None) if is_as_recorded => FileOnDisk::Valid,
        (Ok(_), None) => FileOnDisk::Touched,
    }
}

/// Why a file cannot be decoded here that counts as whole all the same, where the job allows that.
pub(crate) fn unverifiable(deliverable: &Deliverable, file: &Path) -> Option<String> {
    if !deliverable.common.allows_unverifiable || deliverable.is_assembled() {
        return None;
    }
    match verify(file, &ExpectedPicture::from(deliverable)) {
        Err(Flaw::Unverifiable(reason)) => Some(reason),
        _ => None,
    }
}

fn is_stale(record: &KnownFile, fingerprint: Option<&str>) -> bool {
    let made = record.fingerprint();
    made.is_some() && fingerprint.is_some() && made != fingerprint
}

/// What a file is that is as recorded by size and time, and is not opened.
fn as_recorded(
    record: &KnownFile,
    fingerprint: Option<&str>,
    wanted: &ExpectedPicture,
) -> FileOnDisk {
    match &record.origin.unverifiable {
        _ if is_stale(record, fingerprint) => FileOnDisk::Stale,
        Some(reason) if !wanted.allows_unverifiable => FileOnDisk::Unverifiable(reason.to_string()),
        _ => FileOnDisk::Valid,
    }
}

/// Why a file that is taken as it is cannot be, if it cannot: it must be the right kind of picture all
/// the same.
pub(crate) fn refused(deliverable: &Deliverable, path: &str) -> Option<String> {
    match verify(Path::new(path), &ExpectedPicture::from(deliverable)) {
        Ok(_) | Err(Flaw::Unverifiable(_)) => None,
        Err(flaw) => Some(flaw.to_string()),
    }
}

/// Whether a folder, links followed, is still inside its place.
pub(crate) fn stays_inside(folder: &Path, root: &Path) -> io::Result<bool> {
    Ok(folder.canonicalize()?.starts_with(root.canonicalize()?))
}
