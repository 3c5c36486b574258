//! What there is of a deliverable, as `status` looks: files that are as recorded by size and time are not opened, others
//! are; of files that the ledger does not record only so many.

use std::path::Path;

use rayon::prelude::*;
use truepath_core::file_state::FileState;
use truepath_core::frames::{Frame, FrameSet};

use super::depth::Depth;
use super::found::{ByReason, FileOnDisk};
use super::look::Looker;
use crate::disk::stamp;
use crate::record::ledger::Ledger;

/// Of files that the ledger does not record so many are opened at most, of each deliverable.
const MOST_UNRECORDED: usize = 256;
/// Looking at so many files takes less than starting threads for them.
const FEW: usize = 4096;

/// What there is of a deliverable: its frames by their states.
#[derive(Debug, Default)]
pub(crate) struct FilesFound {
    pub(crate) valid: FrameSet,
    pub(crate) stale: FrameSet,
    pub(crate) changed: Vec<(String, FrameSet)>,
    pub(crate) broken: Vec<(String, FrameSet)>,
    pub(crate) unverifiable: Vec<(String, FrameSet)>,
    /// Files that the ledger does not record, and that were not opened.
    pub(crate) not_looked_into: FrameSet,
    /// Bytes of the recorded files that are there.
    pub(crate) bytes: u64,
}

/// What a first look shows of a file.
enum FirstLook {
    Seen(FileOnDisk),
    /// It takes reading so many files to know.
    NotOpened(usize),
}

/// Looks at the chosen files of a deliverable.
pub(crate) fn look_briefly(looker: &Looker<'_>, ledger: &Ledger) -> FilesFound {
    look_briefly_at_most(looker, ledger, MOST_UNRECORDED)
}

/// The same; so many files at most are opened that the ledger does not record.
pub(super) fn look_briefly_at_most(
    looker: &Looker<'_>,
    ledger: &Ledger,
    most: usize,
) -> FilesFound {
    let files = &ledger.published;
    let deliverable = looker.deliverable();
    let first_look = |frame: &Frame| {
        let path = deliverable.path(*frame);
        let record = files.get(&path);
        let size = record.map_or(0, |record| record.stamp.size);
        let on_disk = stamp(Path::new(&path));
        let (is_there, is_recorded) = match &on_disk {
            Ok(on_disk) => (on_disk.is_some(), record.is_some()),
            // What cannot be looked at needs no opening.
            Err(_) => (true, true),
        };
        let to_read = match (is_there, is_recorded) {
            (false, _) => 0,
            (true, false) => 1,
            (true, true) => looker.unrecorded_sources(*frame, files),
        };
        let first = if to_read > 0 {
            FirstLook::NotOpened(to_read)
        } else {
            FirstLook::Seen(looker.look(*frame, Depth::Unknown, files).found)
        };
        (*frame, first, if is_there { size } else { 0 })
    };
    let frames: Vec<Frame> = deliverable.common.frames.selected.iter().collect();
    let first_looks: Vec<(Frame, FirstLook, u64)> = if frames.len() < FEW {
        frames.iter().map(first_look).collect()
    } else {
        frames.par_iter().map(first_look).collect()
    };
    let mut found = FoundBuilder::default();
    let mut not_opened: Vec<Frame> = Vec::new();
    let mut to_read = 0;
    for (frame, look, bytes) in first_looks {
        found.bytes += bytes;
        match look {
            FirstLook::Seen(seen) => found.add(frame, seen),
            FirstLook::NotOpened(files) => {
                to_read += files;
                not_opened.push(frame);
            }
        }
    }
    if to_read <= most {
        let look = |frame: &Frame| (*frame, looker.look(*frame, Depth::Unknown, files).found);
        let looks: Vec<(Frame, FileOnDisk)> = not_opened.par_iter().map(look).collect();
        for (frame, seen) in looks {
            found.add(frame, seen);
        }
        not_opened.clear();
    }
    found.done(FrameSet::from_frames(not_opened))
}

#[derive(Default)]
struct FoundBuilder {
    valid: Vec<Frame>,
    stale: Vec<Frame>,
    changed: ByReason,
    broken: ByReason,
    unverifiable: ByReason,
    bytes: u64,
}

impl FoundBuilder {
    fn add(&mut self, frame: Frame, found: FileOnDisk) {
        let reason = found.reason().unwrap_or_default();
        match found.state() {
            FileState::Valid => self.valid.push(frame),
            FileState::Stale => self.stale.push(frame),
            FileState::Changed => self.changed.add(reason, frame),
            FileState::Broken => self.broken.add(reason, frame),
            FileState::Unverifiable => self.unverifiable.add(reason, frame),
            FileState::Missing | FileState::Running | FileState::Failed | FileState::Foreign => {}
        }
    }

    fn done(self, not_looked_into: FrameSet) -> FilesFound {
        FilesFound {
            valid: FrameSet::from_frames(self.valid),
            stale: FrameSet::from_frames(self.stale),
            changed: self.changed.frames(),
            broken: self.broken.frames(),
            unverifiable: self.unverifiable.frames(),
            not_looked_into,
            bytes: self.bytes,
        }
    }
}
