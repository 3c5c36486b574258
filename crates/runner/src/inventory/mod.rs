//! What is there already, compared with the ledger and, where that does not know it, decoded.

mod look;

use std::collections::BTreeMap;
use std::io;
use std::path::Path;

use truepath_core::deliverable::Deliverable;
use truepath_core::finding::grouped;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{ExpectedPicture, Flaw, verify};

pub(crate) use look::{Depth, FileLook, Looker, QuickLook, look, look_briefly};

use crate::disk::Stamp;

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

impl FileOnDisk {
    /// Whether it is a whole picture of the right kind.
    pub(crate) fn is_whole(&self) -> bool {
        matches!(
            self,
            Self::Valid | Self::Touched | Self::Unrecorded | Self::Changed(_) | Self::Stale
        )
    }
}

/// Why a file cannot be decoded here that counts as whole all the same, where the job allows that.
pub(crate) fn unverifiable(deliverable: &Deliverable, file: &Path) -> Option<String> {
    if !deliverable.common.allows_unverifiable || deliverable.is_assembled_movie() {
        return None;
    }
    match verify(file, &ExpectedPicture::from(deliverable)) {
        Err(Flaw::Unverifiable(reason)) => Some(reason),
        _ => None,
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

#[cfg(test)]
mod tests;
