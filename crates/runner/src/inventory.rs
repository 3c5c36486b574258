//! What is there already, held against the ledger and, where that does not know it, decoded.

use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{Wanted, verify};

use crate::disk::{hash_file, stamp};
use crate::ledger::{Known, Ledger};

/// What stands under a true name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum There {
    /// Nothing.
    Missing,
    /// What the ledger says, by size and time; its bytes were not read.
    AsRecorded,
    /// A whole picture of the right kind that the ledger does not know.
    Unrecorded,
    /// A whole picture that other settings made.
    OtherSettings,
    /// No such picture; with the reason.
    Broken(String),
}

/// Looks at files; with `decode` every file is read whole, else only those that the ledger does
/// not know.
pub(crate) fn look(
    deliverable: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
) -> Vec<(Frame, There)> {
    let all: Vec<Frame> = frames.iter().collect();
    let wanted = Wanted::from(deliverable);
    let one = |frame: &Frame| {
        let path = deliverable.path(*frame);
        (*frame, at(&path, ledger, fingerprint, decode, &wanted))
    };
    // Looking at a file takes microseconds, decoding it milliseconds.
    match all.len() < if decode { 8 } else { 4096 } {
        true => all.iter().map(one).collect(),
        false => all.par_iter().map(one).collect(),
    }
}

fn at(
    path: &str,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
    wanted: &Wanted,
) -> There {
    let file = Path::new(path);
    let found = match stamp(file) {
        Ok(None) => return There::Missing,
        Ok(Some(found)) => found,
        Err(error) => return There::Broken(error.to_string()),
    };
    let record = ledger
        .published
        .get(path)
        .filter(|record| record.stamp == found);
    if (decode || record.is_none())
        && let Err(flaw) = verify(file, wanted)
    {
        return There::Broken(flaw.to_string());
    }
    if decode && let Some(flaw) = record.and_then(|record| changed(file, record)) {
        return There::Broken(flaw);
    }
    match record {
        None => There::Unrecorded,
        Some(record) => match (record.fingerprint(), fingerprint) {
            (Some(made), Some(wanted)) if made != wanted => There::OtherSettings,
            _ => There::AsRecorded,
        },
    }
}

/// What is wrong with a file whose bytes are not those that were published: not every one that flips on
/// a disk shows when a picture is decoded.
pub(crate) fn changed(file: &Path, record: &Known) -> Option<String> {
    match hash_file(file) {
        Err(error) => Some(error.to_string()),
        Ok(hash) if hash == record.hash.to_string() => None,
        Ok(_) => Some("its bytes are not those that were published".to_owned()),
    }
}

/// Whether a folder, links followed, is still inside its place.
pub(crate) fn stays_inside(folder: &Path, root: &Path) -> io::Result<bool> {
    Ok(folder.canonicalize()?.starts_with(root.canonicalize()?))
}
