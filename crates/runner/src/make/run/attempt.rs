//! Frames that a process is started for, once or again.

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::frames::FrameSet;
use truepath_core::plan::PlannedProcess;

use super::outcome::UnconfirmedPictures;
use crate::clock::Moment;

/// Frames that one more process is started for.
#[derive(Debug, Clone)]
pub(super) struct Attempt {
    pub(super) planned: PlannedProcess,
    /// How many processes in a row have brought none of these frames.
    pub(super) tries: u32,
    /// Not before this.
    pub(super) not_before: Option<Moment>,
    /// What the try before left, where only its exit code did not mean success.
    pub(super) unconfirmed: Option<UnconfirmedPictures>,
    /// The frames that are wanted of each deliverable, where it renders others besides.
    pub(super) wanted: Vec<(DeliverableId, FrameSet)>,
    /// Whether nothing of it is published before it is known whether its clip may be split.
    pub(super) held: bool,
}

impl Attempt {
    /// The first attempt at some frames.
    pub(super) fn first(planned: PlannedProcess) -> Self {
        Self {
            planned,
            tries: 0,
            not_before: None,
            unconfirmed: None,
            wanted: Vec::new(),
            held: false,
        }
    }

    /// The first attempt at a clip that may not be split: all of it is rendered, and what is wanted is published.
    pub(super) fn of_clip(
        deliverables: &AtLeastOne<DeliverableId>,
        wanted: Vec<(DeliverableId, FrameSet)>,
        all: &[Deliverable],
    ) -> Self {
        let frames = all_frames(&wanted);
        Self {
            wanted,
            ..Self::first(PlannedProcess::of_clip(deliverables.clone(), frames, all))
        }
    }

    /// The frames that it renders and nobody wants.
    pub(super) fn besides(&self) -> FrameSet {
        if self.wanted.is_empty() {
            return self.planned.besides.clone();
        }
        let rendered = self.planned.rendered();
        let besides = rendered.difference(&all_frames(&self.wanted));
        besides.unwrap_or_default()
    }

    /// The frames that are wanted of a deliverable; none where all are that it renders.
    pub(super) fn wanted_of(&self, index: DeliverableId) -> Option<&FrameSet> {
        let mut wanted = self.wanted.iter();
        wanted
            .find(|(one, _)| *one == index)
            .map(|(_, frames)| frames)
    }
}

/// All frames of several deliverables.
pub(super) fn all_frames(frames: &[(DeliverableId, FrameSet)]) -> FrameSet {
    FrameSet::union_of(frames.iter().map(|(_, frames)| frames))
}
