//! Whether a deliverable can be rendered at all: where the first frames fail, a few spread over all of
//! them are tried before the rest is given up.

use std::collections::BTreeMap;

use crate::alike::without_numbers;
use crate::frames::{Frame, FrameSet};

/// So many frames at least are tried before the others are given up.
const ENOUGH: usize = 3;

/// What is known of a deliverable of which nothing was rendered so far.
///
/// ```
/// use truepath_core::probes::{Probes, Verdict};
///
/// let mut probes = Probes::new(&"1-100".parse()?);
/// assert_eq!(probes.left(), [1, 100, 51, 26, 76]);
/// for frame in probes.left() {
///     assert!(!matches!(probes.verdict(), Verdict::NothingWorks(_)));
///     probes.failed(frame, &format!("no licence for frame {frame}"));
/// }
/// assert!(matches!(probes.verdict(), Verdict::NothingWorks(_)));
/// # Ok::<(), truepath_core::frames::FramesError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Probes {
    /// First, last, middle and two between; none where there are hardly more frames than that.
    frames: Vec<Frame>,
    /// Frames that failed, with the reason.
    failed: BTreeMap<Frame, String>,
    rendered: bool,
}

/// What is known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    /// Frames are rendered, or fail for different reasons: each is tried.
    Works,
    /// Frames failed, and it is not known yet whether all do.
    Open,
    /// Every frame that was tried failed for this reason.
    NothingWorks(String),
}

impl Probes {
    /// Those of some frames.
    #[must_use]
    pub fn new(frames: &FrameSet) -> Self {
        let count = frames.count();
        let mut probes = Vec::new();
        if count > 5 {
            let indices = [0, count - 1, count / 2, count / 4, count * 3 / 4];
            probes = indices
                .into_iter()
                .filter_map(|index| frames.nth(index))
                .collect();
        }
        Self {
            frames: probes,
            ..Self::default()
        }
    }

    /// Those of frames that are tried in any case.
    #[must_use]
    pub fn at(frames: Vec<Frame>) -> Self {
        Self {
            frames,
            ..Self::default()
        }
    }

    /// A frame was rendered.
    pub fn rendered(&mut self) {
        self.rendered = true;
    }

    /// A frame failed.
    pub fn failed(&mut self, frame: Frame, reason: &str) {
        self.failed.insert(frame, reason.to_owned());
    }

    /// A frame cannot be tried here: another run has it.
    pub fn out_of_reach(&mut self, frame: Frame) {
        self.frames.retain(|one| *one != frame);
    }

    /// Whether nothing was rendered so far.
    #[must_use]
    pub fn nothing_rendered(&self) -> bool {
        !self.rendered
    }

    /// The frames that are still to be tried, in order.
    #[must_use]
    pub fn left(&self) -> Vec<Frame> {
        let frames = self.frames.iter().copied();
        frames
            .filter(|frame| !self.failed.contains_key(frame))
            .collect()
    }

    /// Frames that failed.
    #[must_use]
    pub fn tried(&self) -> FrameSet {
        FrameSet::from_frames(self.failed.keys().copied())
    }

    /// What is known.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        let mut reasons = self.failed.values();
        let (false, false, Some(first)) = (self.rendered, self.frames.is_empty(), reasons.next())
        else {
            return Verdict::Works;
        };
        // Frames and line numbers differ where the cause is one.
        let alike = without_numbers(first);
        if reasons.any(|reason| without_numbers(reason) != alike) {
            return Verdict::Works;
        }
        match (self.left().is_empty(), self.failed.len()) {
            (false, _) => Verdict::Open,
            (true, ENOUGH..) => Verdict::NothingWorks(first.clone()),
            (true, _) => Verdict::Works,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn probes(frames: &str) -> Probes {
        Probes::new(&frames.parse().unwrap())
    }

    #[test]
    fn a_rendered_frame_or_another_reason_ends_the_doubt() {
        let mut one = probes("1-48");
        one.failed(1, "exit code 1");
        assert_eq!(one.verdict(), Verdict::Open);
        assert_eq!(one.left(), [48, 25, 13, 37]);
        let mut other = one.clone();
        one.rendered();
        assert_eq!(one.verdict(), Verdict::Works);
        other.failed(48, "it is empty");
        assert_eq!(other.verdict(), Verdict::Works);
    }

    #[test]
    fn what_is_out_of_reach_is_not_waited_for() {
        let mut one = probes("1-48");
        for frame in [1, 48, 25] {
            one.failed(frame, "no licence");
        }
        one.out_of_reach(13);
        one.out_of_reach(37);
        let reason = "no licence".to_owned();
        assert_eq!(one.verdict(), Verdict::NothingWorks(reason));
    }

    #[test]
    fn few_frames_are_all_tried() {
        let mut one = probes("1-5");
        one.failed(1, "no licence");
        assert_eq!(one.verdict(), Verdict::Works);
    }
}
