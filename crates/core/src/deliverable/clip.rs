//! Which frames one process must render together.

use super::{Deliverable, DeliverableKind};
use crate::frames::FrameSet;
use crate::profile::FramesPerProcess;
use crate::split::{Split, SplitWord};

/// A clip of fewer frames is one process.
const SHORTEST: u64 = 4;

impl Deliverable {
    /// Whether its line takes a range of frames, so that it matters which.
    #[must_use]
    pub fn takes_a_range(&self) -> bool {
        let several = matches!(
            self.common.engine.takes,
            FramesPerProcess::Range | FramesPerProcess::Stepped | FramesPerProcess::List
        );
        let is_rendered = matches!(self.kind, DeliverableKind::Sequence) && !self.is_assembled();
        several && is_rendered && !self.common.engine.is_absent
    }

    /// Whether its frames may be split over several processes, as far as that is said or found.
    #[must_use]
    pub fn may_be_split(&self) -> bool {
        match &self.common.processes.split {
            _ if !self.takes_a_range() => true,
            Split::Said(word) => *word == SplitWord::Free,
            Split::Found(found) => found.free,
            Split::Unknown => false,
        }
    }

    /// Whether its processes are planned in pieces. The few frames of a sample are, since nothing of it moves.
    #[must_use]
    pub fn is_planned_in_pieces(&self) -> bool {
        self.may_be_split() || self.common.frames.is_sample
    }

    /// Whether a run has to find out whether its frames may be split.
    #[must_use]
    pub fn is_split_unknown(&self) -> bool {
        self.takes_a_range()
            && self.common.processes.split == Split::Unknown
            && self.clip().count() >= SHORTEST
    }

    /// What is known of whether its frames may be split, in words; none where there is nothing to say.
    #[must_use]
    pub fn split_words(&self) -> Option<String> {
        match &self.common.processes.split {
            _ if !self.takes_a_range() => None,
            Split::Said(SplitWord::Free) => None,
            Split::Said(SplitWord::Never) => {
                Some("one process for the clip: job or profile says `split = \"never\"`".to_owned())
            }
            Split::Found(found) => Some(found.words()),
            Split::Unknown if self.is_split_unknown() => {
                Some("not known; the next run finds out whether its clip may be split".to_owned())
            }
            Split::Unknown => None,
        }
    }

    /// The frames of a process that renders all of its clip: what the engine takes at once of the frames of the shot,
    /// from the first to the last.
    #[must_use]
    pub fn clip(&self) -> FrameSet {
        let all = self.common.frames.shot.clone();
        let fits = match self.common.engine.takes {
            FramesPerProcess::List => true,
            FramesPerProcess::Stepped => all.ranges().len() <= 1,
            _ => false,
        };
        if fits {
            return all;
        }
        match (all.first(), all.last()) {
            (Some(first), Some(last)) => FrameSet::range(first, last),
            _ => all,
        }
    }
}
