//! A sequence in which every digit run has a fixed length, and where two of them meet.

use crate::frames::{Frame, FrameSet, StepRange};

/// A run of digits as a number: `base + frame * scale`; the scale is 0 for a constant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Run {
    pub(super) base: i128,
    pub(super) scale: i128,
}

impl Run {
    pub(super) fn bounds(self, frames: &StepRange) -> (i128, i128) {
        let one = self.base + i128::from(frames.first()) * self.scale;
        let two = self.base + i128::from(frames.last()) * self.scale;
        (one.min(two), one.max(two))
    }
}

#[derive(Debug, Clone)]
pub(super) struct Sequence {
    pub(super) index: usize,
    pub(super) runs: Vec<Run>,
    pub(super) frames: StepRange,
}

impl Sequence {
    /// The frames of this member whose path the other writes too.
    pub(super) fn meets(&self, other: &Self) -> Option<FrameSet> {
        let mut mine = self.frames;
        let mut shift: Option<Frame> = None;
        for (one, two) in self.runs.iter().zip(&other.runs) {
            match (one.scale, two.scale) {
                (0, 0) if one.base == two.base => {}
                (0, 0) => return None,
                (scale, 0) => mine = mine.intersection(&solved(two.base - one.base, scale)?)?,
                (0, scale) => {
                    let theirs = solved(one.base - two.base, scale)?;
                    // The other's frame is fixed; so is mine, when both are tied together.
                    if !other.frames.contains(theirs.first()) {
                        return None;
                    }
                    if let Some(shift) = shift {
                        mine = mine.intersection(&StepRange::single(theirs.first() + shift))?;
                    }
                }
                (a, b) if a == b => {
                    let difference = two.base - one.base;
                    if difference % a != 0 {
                        return None;
                    }
                    let by = Frame::try_from(difference / a).ok()?;
                    if shift.is_some_and(|known| known != by) {
                        return None;
                    }
                    shift = Some(by);
                }
                // Frames at different decimal places of one number: few enough to try them.
                _ => return self.tried(other),
            }
        }
        if let Some(by) = shift {
            let theirs = &other.frames;
            let moved = StepRange::new(theirs.first() + by, theirs.last() + by, theirs.step())?;
            mine = mine.intersection(&moved)?;
        }
        Some(FrameSet::from_range(mine))
    }

    fn tried(&self, other: &Self) -> Option<FrameSet> {
        let value = |member: &Self, frame: Frame| -> Vec<i128> {
            let frame = i128::from(frame);
            member
                .runs
                .iter()
                .map(|run| run.base + frame * run.scale)
                .collect()
        };
        let theirs: std::collections::HashSet<Vec<i128>> = other
            .frames
            .iter()
            .take(MOST_TRIED)
            .map(|frame| value(other, frame))
            .collect();
        let shared = FrameSet::from_frames(
            self.frames
                .iter()
                .take(MOST_TRIED)
                .filter(|frame| theirs.contains(&value(self, *frame))),
        );
        (!shared.is_empty()).then_some(shared)
    }
}

/// Frames that are tried one by one where digits of both sides overlap in odd ways.
const MOST_TRIED: usize = 1_000_000;

/// The one frame with `frame * scale = value`, if it is a whole number.
fn solved(value: i128, scale: i128) -> Option<StepRange> {
    (value % scale == 0)
        .then(|| Frame::try_from(value / scale).ok())
        .flatten()
        .map(StepRange::single)
}
