//! How long rendering will take, estimated from what it took before: in earlier runs, in a trial, and in
//! this run so far.
//!
//! - [`RenderTimes`]: what frames took, by what they show and how much there is to render in them.
//! - [`FrameTimes`]: what the frames of one deliverable take, by their neighbours.
//! - [`Forecast`]: the time left of a run, set right by how fast it really goes.

mod render_times;

pub use render_times::{Effort, FrameTimes, RenderTimes, RenderedFrames};

use crate::deliverable::DeliverableId;
use crate::frames::{Frame, FrameSet};

/// The time left of a run: begun with what is expected, and set right by how fast it really goes.
#[derive(Debug, Clone, Default)]
pub struct Forecast {
    /// What the files of each deliverable take.
    seconds: Vec<FrameTimes>,
    /// Seconds that what is known from before weighs: those of one file for every process.
    before: f64,
    /// Seconds of one process for all that is to do.
    to_do: f64,
    /// Of that, for what is done or has failed.
    done: f64,
    /// Processes at once.
    parallel: f64,
}

impl Forecast {
    /// The forecast for the frames that are missing of each deliverable, by so many processes at once. What is not
    /// known takes as long as the rest does in the mean.
    #[must_use]
    pub fn new(expected: &[Option<FrameTimes>], missing: &[FrameSet], parallel: usize) -> Self {
        let known = || expected.iter().flatten().map(|one| one.usual());
        let count = known().count();
        let mean = known().sum::<f64>() / count as f64;
        let is_known = count > 0 && mean > 0.0;
        let usual = if is_known { mean } else { 1.0 };
        let or_usual = |one: &Option<FrameTimes>| match one {
            Some(known) if is_known => known.clone(),
            _ => FrameTimes::alike(usual),
        };
        let seconds: Vec<FrameTimes> = expected.iter().map(or_usual).collect();
        let parts = seconds.iter().zip(missing);
        let to_do: f64 = parts.map(|(seconds, frames)| seconds.sum(frames)).sum();
        let parallel = parallel.max(1) as f64;
        Self {
            before: if is_known {
                (to_do / parallel).min(usual)
            } else {
                0.0
            },
            to_do,
            done: 0.0,
            parallel,
            seconds,
        }
    }

    /// A file of a deliverable is there, or is given up.
    pub fn settle(&mut self, deliverable: DeliverableId, frame: Frame) {
        self.done += self.seconds(deliverable, frame);
    }

    /// What a file of a deliverable is expected to take, in seconds.
    #[must_use]
    pub fn seconds(&self, deliverable: DeliverableId, frame: Frame) -> f64 {
        let seconds = self.seconds.get(deliverable.place());
        seconds.map_or(0.0, |seconds| seconds.seconds(frame))
    }

    /// Seconds that are left, `elapsed` seconds after the beginning; none while nothing is known.
    #[must_use]
    pub fn left(&self, elapsed: f64) -> Option<f64> {
        self.left_with(elapsed, 0.0)
    }

    /// The same where parts of files are done that would take so many seconds by themselves.
    #[must_use]
    pub fn left_with(&self, elapsed: f64, under_way: f64) -> Option<f64> {
        let time = elapsed + self.before;
        let settled = self.done + under_way;
        let done = settled + self.before * self.parallel;
        (done > 0.0).then(|| (self.to_do - settled).max(0.0) * time / done)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frames(text: &str) -> FrameSet {
        text.parse().unwrap()
    }

    #[test]
    fn the_time_left_begins_with_what_is_expected_and_follows_what_is_seen() {
        // 10 files of 60 s and 10 of 6 s, two at once.
        let expected = [60.0, 6.0].map(|seconds| Some(FrameTimes::alike(seconds)));
        let mut forecast = Forecast::new(&expected, &[frames("1-10"), frames("1-10")], 2);
        assert_eq!(forecast.left(0.0), Some(330.0));
        // Half of the long ones are there in the time that was foretold.
        (1..=5).for_each(|frame| forecast.settle(DeliverableId::at(0), frame));
        assert_eq!(forecast.left(150.0), Some(180.0));
        // They took twice as long: so will the rest, nearly.
        let left = forecast.left(300.0).unwrap_or_default();
        assert!((300.0..360.0).contains(&left), "{left}");
    }

    #[test]
    fn without_earlier_times_the_pace_alone_is_used() {
        let mut forecast = Forecast::new(&[None, None], &[frames("1-5"), frames("1-5")], 1);
        assert_eq!(forecast.left(100.0), None);
        forecast.settle(DeliverableId::at(1), 1);
        forecast.settle(DeliverableId::at(0), 1);
        assert_eq!(forecast.left(20.0), Some(80.0));
        // Half of one that is at work counts.
        assert_eq!(forecast.left_with(25.0, 0.5), Some(75.0));
        // One that nobody knows is taken for as long as the others.
        let expected = [Some(FrameTimes::alike(4.0)), None];
        let forecast = Forecast::new(&expected, &[frames("1"), frames("1")], 1);
        assert_eq!(forecast.left(0.0), Some(8.0));
    }
}
