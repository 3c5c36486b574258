//! Processes of which nothing is published before it is known whether their clip may be split.

use std::collections::BTreeMap;
use std::path::PathBuf;

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::split::Silence;

use super::attempt::Attempt;
use super::log::Log;
use super::outcome::{End, Outcome};
use super::pace::Turn;
use crate::make::publish::VerifiedFile;

/// A process that has ended, and what it has brought.
pub(super) struct HeldProcess {
    pub(super) attempt: Attempt,
    pub(super) number: u32,
    pub(super) name: String,
    pub(super) log: Log,
    pub(super) outcome: Outcome,
    pub(super) turn: Turn,
    pub(super) threads: Option<i64>,
    /// Its staging folder and what was given to the engine; none where it was not started.
    pub(super) staging: Option<(PathBuf, Vec<String>)>,
    /// Its pictures that are whole and finished, with the place of their output.
    pub(super) ready: Vec<(usize, VerifiedFile)>,
    /// The deliverables that it makes, by the place of their output.
    pub(super) members: Vec<DeliverableId>,
}

/// What becomes of the pictures of such a process.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Fate {
    /// They get their true names.
    Publish,
    /// They are set aside: nothing proves that they are the right ones.
    SetAside,
    /// They are removed: they were rendered to be compared.
    ThrowAway,
}

impl HeldProcess {
    /// Its pictures by deliverable and frame; those that cannot be decoded here show nothing and are left out.
    pub(super) fn pictures(&self) -> BTreeMap<(DeliverableId, Frame), PathBuf> {
        let decoded = self
            .ready
            .iter()
            .filter(|(_, file)| file.record.unverifiable.is_none());
        decoded
            .map(|(output, file)| ((self.members[*output], file.frame), file.staged.clone()))
            .collect()
    }

    /// Why it shows nothing of some frames, if it does not: none of them came, one failed, or there are no pixels.
    pub(super) fn silence(&self, frames: &FrameSet) -> Option<Silence> {
        if self.ready.is_empty() {
            return Some(Silence::Empty);
        }
        let wanted = frames.count() as usize * self.members.len();
        if self.ready.len() < wanted {
            return Some(Silence::Failed);
        }
        (self.pictures().len() < wanted).then_some(Silence::NoPixels)
    }

    /// The frames that count as tried, each with the reason, where it brought nothing.
    pub(super) fn evidence(&self) -> Option<Vec<(Frame, String)>> {
        self.ready.is_empty().then(|| self.outcome.evidence())
    }

    /// Whether the run has ended it.
    pub(super) fn is_halted(&self) -> bool {
        self.outcome.end == End::Halted
    }
}
