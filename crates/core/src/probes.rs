//! Whether a deliverable can be rendered at all. A few frames, spread over all of it, are tried once each, two at a
//! time. Nothing else of the deliverable begins until one of them has brought a picture.

use std::collections::{BTreeMap, BTreeSet};

use crate::alike::without_numbers;
use crate::frames::{Frame, FrameSet};

/// So many frames at least are tried before the others are given up.
const ENOUGH: usize = 3;
/// So many are tried at a time.
const AT_ONCE: usize = 2;

/// What is known of a deliverable of which nothing was rendered so far.
///
/// ```
/// use truepath_core::probes::{Probes, Verdict};
///
/// let mut probes = Probes::new(&"1-100".parse()?);
/// assert_eq!(probes.left(), [1, 51, 100, 26, 76]);
/// for frame in probes.left() {
///     assert!(!matches!(probes.verdict(), Verdict::NothingWorks(_)));
///     probes.failed(frame, &format!("no licence for frame {frame}"));
/// }
/// assert!(matches!(probes.verdict(), Verdict::NothingWorks(_)));
/// # Ok::<(), truepath_core::frames::FramesError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Probes {
    /// First, middle, last and two between; none where there are hardly more frames than that.
    frames: Vec<Frame>,
    /// Those of them that processes are at.
    at_work: BTreeSet<Frame>,
    /// Frames that failed, with the reason.
    failed: BTreeMap<Frame, String>,
    rendered: bool,
    /// Whether a process has run for so long that it counts as one that works.
    lives: bool,
}

/// What is known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    /// Frames are rendered, or fail for different reasons: each is tried.
    Works,
    /// No picture so far, and frames are left to try.
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
            let indices = [0, count / 2, count - 1, count / 4, count * 3 / 4];
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

    /// A process has run for so long that it counts as one that works.
    pub fn lives(&mut self) {
        self.lives = true;
    }

    /// A process is started for some frames.
    pub fn begun(&mut self, frames: &FrameSet) {
        let next = self.next(frames);
        self.at_work.extend(next);
    }

    /// Tries the first frame of a chunk in place of the one that was chosen from it.
    pub fn moved(&mut self, from: Frame, to: Frame) {
        if !self.frames.contains(&to) {
            let found = self.frames.iter_mut().find(|frame| **frame == from);
            if let Some(frame) = found {
                *frame = to;
            }
        }
    }

    /// The process for some frames has ended.
    pub fn ended(&mut self, frames: &FrameSet) {
        self.at_work.retain(|frame| !frames.contains(*frame));
    }

    /// The next of some frames that is to be tried, where one may be tried now.
    #[must_use]
    pub fn next(&self, frames: &FrameSet) -> Option<Frame> {
        if self.at_work.len() >= AT_ONCE {
            return None;
        }
        let mut left = self.left().into_iter();
        left.find(|frame| frames.contains(*frame) && !self.at_work.contains(frame))
    }

    /// A process brought none of its frames, and one of these is recorded as failed. No second frame of the same
    /// process is tried.
    pub fn brought_nothing(&mut self, frames: &FrameSet) {
        let is_tried = |frame: &Frame| self.failed.contains_key(frame) && frames.contains(*frame);
        if self.frames.iter().any(is_tried) {
            return;
        }
        let tried = self
            .left()
            .into_iter()
            .find(|frame| frames.contains(*frame));
        self.frames.retain(|frame| Some(*frame) != tried);
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
        if self.rendered || self.lives || self.frames.is_empty() {
            return Verdict::Works;
        }
        let mut reasons = self.failed.values();
        let Some(first) = reasons.next() else {
            return match self.left().is_empty() {
                true => Verdict::Works,
                false => Verdict::Open,
            };
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
        assert_eq!(one.left(), [25, 48, 13, 37]);
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
    fn two_are_tried_at_a_time_until_one_has_brought_a_picture() {
        let mut one = probes("1-48");
        let all: FrameSet = "1-48".parse().unwrap();
        assert_eq!(one.verdict(), Verdict::Open);
        one.begun(&all);
        one.begun(&"25-30".parse().unwrap());
        assert_eq!(one.next(&all), None);
        one.ended(&"25-30".parse().unwrap());
        one.failed(27, "no licence");
        one.brought_nothing(&"25-30".parse().unwrap());
        assert_eq!(one.next(&all), Some(48));
        let mut other = one.clone();
        other.lives();
        assert_eq!(other.verdict(), Verdict::Works);
        one.rendered();
        assert_eq!(one.verdict(), Verdict::Works);
    }

    #[test]
    fn few_frames_are_all_tried() {
        let mut one = probes("1-5");
        one.failed(1, "no licence");
        assert_eq!(one.verdict(), Verdict::Works);
    }
}
