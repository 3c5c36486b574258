//! What is there of a deliverable, by size and time.

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::FrameSet;

use crate::inventory::{ByReason, FileOnDisk, QuickLook, look_briefly};
use crate::ledger::Ledger;
use crate::movies;

/// Of files that the ledger does not know so many are opened at most, of each deliverable.
const MOST_UNRECORDED: usize = 256;

/// What is there of a deliverable.
#[derive(Default)]
pub(crate) struct FilesFound {
    pub(crate) done: FrameSet,
    pub(crate) stale: FrameSet,
    pub(crate) changed: FrameSet,
    pub(crate) broken: Vec<(String, FrameSet)>,
    pub(crate) unverifiable: Vec<(String, FrameSet)>,
    pub(crate) not_looked_into: FrameSet,
    pub(crate) bytes: u64,
}

impl FilesFound {
    pub(crate) fn of(one: &Deliverable, fingerprint: Option<&str>, ledger: &Ledger) -> Self {
        let brief = if one.is_assembled_movie() {
            Self::movie(one, ledger)
        } else {
            look_briefly(one, ledger, fingerprint, MOST_UNRECORDED)
        };
        let (mut done, mut stale, mut changed) = (Vec::new(), Vec::new(), Vec::new());
        let (mut broken, mut unverifiable) = (ByReason::default(), ByReason::default());
        for (frame, there) in brief.frames {
            match there {
                FileOnDisk::Missing => {}
                FileOnDisk::Valid | FileOnDisk::Touched | FileOnDisk::Unrecorded => {
                    done.push(frame)
                }
                FileOnDisk::Stale => stale.push(frame),
                FileOnDisk::Changed(_) => changed.push(frame),
                FileOnDisk::Broken(reason) => broken.add(reason, frame),
                FileOnDisk::Unverifiable(reason) => unverifiable.add(reason, frame),
            }
        }
        Self {
            done: FrameSet::from_frames(done),
            stale: FrameSet::from_frames(stale),
            changed: FrameSet::from_frames(changed),
            broken: broken.frames(),
            unverifiable: unverifiable.frames(),
            not_looked_into: brief.not_looked_into,
            bytes: brief.bytes,
        }
    }

    /// What is there of a movie, which is one file of which each wanted frame stands for the whole.
    fn movie(one: &Deliverable, ledger: &Ledger) -> QuickLook {
        let there = movies::look_briefly(one, &ledger.published, MOST_UNRECORDED);
        let there = there.unwrap_or_else(|error| Some(FileOnDisk::Broken(error.to_string())));
        let chosen = &one.common.frames.selected;
        let mut brief = QuickLook::default();
        match there {
            Some(there) => {
                let path = one.path(one.common.frames.shot.first().unwrap_or(0));
                let record = ledger.published.get(&path);
                if there != FileOnDisk::Missing {
                    brief.bytes = record.map_or(0, |record| record.stamp.size);
                }
                let frames = chosen.iter().map(|frame| (frame, there.clone()));
                brief.frames = frames.collect();
            }
            None => brief.not_looked_into.clone_from(chosen),
        }
        brief
    }
}
