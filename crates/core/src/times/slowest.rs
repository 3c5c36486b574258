//! The slowest frames, and those that are much slower than their neighbours.

use std::collections::BTreeMap;

use super::{EndedProcess, median};
use crate::frames::Frame;

/// Frames on each side that a frame is compared with.
const NEIGHBOURS: usize = 4;
/// A frame is much slower than its neighbours from so many times their middle on.
const MUCH: f64 = 3.0;
/// Below so many seconds what else the machine does makes as much of a difference.
const LEAST: f64 = 1.0;

/// A frame, and how long it took.
#[derive(Debug, Clone, PartialEq)]
pub struct SlowFrame {
    /// What it is a frame of, in words.
    pub label: String,
    /// The frame.
    pub frame: Frame,
    /// Seconds.
    pub seconds: f64,
    /// The middle of the seconds of its neighbours; none of one that has no neighbours.
    pub neighbours: Option<f64>,
}

impl SlowFrame {
    /// Whether it is much slower than its neighbours.
    #[must_use]
    pub fn is_outlier(&self) -> bool {
        self.seconds >= LEAST
            && self
                .neighbours
                .is_some_and(|usual| self.seconds >= MUCH * usual)
    }
}

/// All frames that were rendered, the slowest first; of one that was rendered again its last time. Those that are
/// much slower than their neighbours come before all others.
#[must_use]
pub fn slowest(processes: &[EndedProcess]) -> Vec<SlowFrame> {
    let mut known: BTreeMap<&str, BTreeMap<Frame, f64>> = BTreeMap::new();
    for one in processes {
        let frames = known.entry(&one.label).or_default();
        frames.extend(one.each.iter().copied());
    }
    let mut all = Vec::new();
    for (label, frames) in known {
        for (&frame, &seconds) in &frames {
            let before = frames.range(..frame).rev().take(NEIGHBOURS);
            let after = frames.range(frame + 1..).take(NEIGHBOURS);
            let neighbours = median(before.chain(after).map(|(_, seconds)| *seconds).collect());
            all.push(SlowFrame {
                label: label.to_owned(),
                frame,
                seconds,
                neighbours,
            });
        }
    }
    all.sort_by(|one, other| {
        let rank = |one: &SlowFrame| one.is_outlier();
        rank(other)
            .cmp(&rank(one))
            .then(other.seconds.total_cmp(&one.seconds))
            .then_with(|| (&one.label, one.frame).cmp(&(&other.label, other.frame)))
    });
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_that_is_much_slower_than_its_neighbours_comes_first() {
        let each = |slow: Frame| {
            (1..=20)
                .map(|frame| (frame, if frame == slow { 9.0 } else { 2.0 }))
                .collect()
        };
        let heavy = EndedProcess {
            label: "eclipse".to_owned(),
            each: (1..=20).map(|frame| (frame, 30.0 + frame as f64)).collect(),
            ..EndedProcess::default()
        };
        let odd = EndedProcess {
            label: "dawn".to_owned(),
            each: each(7),
            ..EndedProcess::default()
        };
        let all = slowest(&[heavy, odd]);
        let first = &all[0];
        assert_eq!(
            (&*first.label, first.frame, first.neighbours),
            ("dawn", 7, Some(2.0))
        );
        assert_eq!(all.iter().filter(|one| one.is_outlier()).count(), 1);
        // The slowest of the others follow.
        assert_eq!((&*all[1].label, all[1].frame), ("eclipse", 20));
    }

    #[test]
    fn what_was_rendered_again_counts_once_and_short_frames_are_never_odd() {
        let one = |seconds: f64| EndedProcess {
            label: "dawn".to_owned(),
            each: vec![(1, 0.01), (2, seconds), (3, 0.01)],
            ..EndedProcess::default()
        };
        let all = slowest(&[one(50.0), one(0.2)]);
        assert_eq!((all.len(), all[0].seconds), (3, 0.2));
        assert!(!all[0].is_outlier());
    }
}
