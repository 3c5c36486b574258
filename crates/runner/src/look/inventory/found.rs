//! What a look finds under the name of a wanted file.

use std::collections::BTreeMap;

use truepath_core::file_state::FileState;
use truepath_core::finding::grouped;
use truepath_core::frames::{Frame, FrameSet};

use crate::disk::Stamp;

/// What has the name of a wanted file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum FileOnDisk {
    /// Nothing.
    Missing,
    /// What the ledger records, made with today's settings.
    Valid,
    /// The bytes that the ledger records, with another time of last change.
    Touched,
    /// A whole file of the right kind that the ledger does not record.
    Unrecorded,
    /// What the ledger records, made with other settings or from other files.
    Stale,
    /// A whole file of the right kind that is not the one that was published; with what differs.
    Changed(String),
    /// Not what is wanted; with the reason.
    Broken(String),
    /// This program cannot tell whether it is whole; with the reason.
    Unverifiable(String),
}

impl FileOnDisk {
    /// Its state, the same in every command.
    pub(crate) fn state(&self) -> FileState {
        match self {
            Self::Missing => FileState::Missing,
            Self::Valid | Self::Touched | Self::Unrecorded => FileState::Valid,
            Self::Stale => FileState::Stale,
            Self::Changed(_) => FileState::Changed,
            Self::Broken(_) => FileState::Broken,
            Self::Unverifiable(_) => FileState::Unverifiable,
        }
    }

    /// Why it has that state, as a sentence, where there is more to say than the word.
    pub(crate) fn reason(&self) -> Option<String> {
        match self {
            Self::Touched => {
                Some("its time differs from the ledger's, its bytes do not".to_owned())
            }
            Self::Unrecorded => {
                Some("no run has recorded it: nobody knows what made it".to_owned())
            }
            Self::Changed(reason) | Self::Broken(reason) | Self::Unverifiable(reason) => {
                Some(reason.clone())
            }
            Self::Missing | Self::Valid | Self::Stale => None,
        }
    }

    /// Whether it is a whole file of the right kind.
    pub(crate) fn is_whole(&self) -> bool {
        matches!(
            self.state(),
            FileState::Valid | FileState::Changed | FileState::Stale
        )
    }
}

/// What differs between a file and the one that was published.
pub(super) fn difference(published: Stamp, found: Stamp) -> String {
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

/// Frames by a reason.
#[derive(Debug, Default)]
pub(crate) struct ByReason(BTreeMap<String, Vec<Frame>>);

impl ByReason {
    pub(crate) fn add(&mut self, reason: String, frame: Frame) {
        self.0.entry(reason).or_default().push(frame);
    }

    pub(crate) fn frames(self) -> Vec<(String, FrameSet)> {
        let by_reason = self.0.into_iter();
        by_reason
            .map(|(reason, frames)| (reason, FrameSet::from_frames(frames)))
            .collect()
    }
}

/// All frames, for whatever reason.
pub(crate) fn all_frames(by_reason: &[(String, FrameSet)]) -> FrameSet {
    FrameSet::union_of(by_reason.iter().map(|(_, frames)| frames))
}
