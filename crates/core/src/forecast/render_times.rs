//! What rendering took before, by what was rendered.

use std::collections::BTreeMap;

use crate::deliverable::{Deliverable, DeliverableId, Expansion};
use crate::frames::{Frame, FrameSet};
use crate::plan::{label, plan};

/// So many frames of one kind weigh; of older ones ever less.
const MEMORY: f64 = 64.0;

/// A frame that took less than so many seconds is not scaled up by more than [`MOST_SCALED`].
const LEAST_SCALED: f64 = 0.2;
/// See [`LEAST_SCALED`].
const MOST_SCALED: f64 = 8.0;

/// How much there is to render in a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Effort {
    /// Pixels.
    pub pixels: u64,
    /// Samples for each of them, by the setting `samples`; 1 where there is none.
    pub samples: f64,
}

impl Effort {
    /// That of a deliverable; one whose size is not known has a single pixel.
    #[must_use]
    pub fn of(one: &Deliverable) -> Self {
        let size = one.picture.file_size();
        let samples = one.settings.iter().find(|(name, _)| name == "samples");
        let samples = samples.and_then(|(_, value)| value.text.parse::<f64>().ok());
        Self {
            pixels: size.map_or(1, |size| u64::from(size.width) * u64::from(size.height)),
            samples: samples.filter(|samples| *samples > 0.0).unwrap_or(1.0),
        }
    }

    fn work(self) -> f64 {
        self.pixels.max(1) as f64 * self.samples
    }
}

/// Frames that were rendered, and how long that took.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RenderedFrames {
    /// How much there was to render in each.
    pub effort: Effort,
    /// How many.
    pub frames: f64,
    /// Seconds of the process that brought them, from its first frame on, where it reports that.
    pub seconds: f64,
    /// Seconds before the first frame, such as for reading the scene: no part of the others.
    pub start: f64,
}

/// What rendering took before, by what was rendered.
#[derive(Debug, Clone, Default)]
pub struct RenderTimes {
    known: BTreeMap<String, Vec<RenderedFrames>>,
    /// Seconds of single frames, of each the last.
    frames: BTreeMap<String, BTreeMap<Frame, f64>>,
}

/// Seconds that the frames of a deliverable take.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FrameTimes {
    /// Seconds of a usual file.
    usual: f64,
    /// How many times as long single frames took as the mean of them did.
    factors: BTreeMap<Frame, f64>,
}

impl FrameTimes {
    /// All frames alike.
    #[must_use]
    pub fn alike(seconds: f64) -> Self {
        Self {
            usual: seconds,
            factors: BTreeMap::new(),
        }
    }

    /// Seconds of a usual file.
    #[must_use]
    pub fn usual(&self) -> f64 {
        self.usual
    }

    /// Seconds of a file: as it took before, else between its neighbours on both sides.
    #[must_use]
    pub fn seconds(&self, frame: Frame) -> f64 {
        let before = self.factors.range(..=frame).next_back();
        let after = self.factors.range(frame..).next();
        let factor = match (before, after) {
            (Some((first, one)), Some((last, other))) if last > first => {
                let way = (frame - first) as f64 / (last - first) as f64;
                one + (other - one) * way
            }
            (Some((_, one)), _) | (None, Some((_, one))) => *one,
            (None, None) => 1.0,
        };
        self.usual * factor
    }

    /// Seconds of all files of some frames.
    #[must_use]
    pub fn sum(&self, frames: &FrameSet) -> f64 {
        if self.factors.is_empty() {
            self.usual * frames.count() as f64
        } else {
            frames.iter().map(|frame| self.seconds(frame)).sum()
        }
    }
}

impl RenderTimes {
    /// Takes in what a process took; `label` says what it made.
    pub fn add(&mut self, label: &str, took: RenderedFrames) {
        let usable = took.frames > 0.0 && took.seconds >= 0.0 && took.seconds.is_finite();
        if !usable {
            return;
        }
        let known = self.known.entry(label.to_owned()).or_default();
        let Some(one) = known.iter_mut().find(|one| one.effort == took.effort) else {
            known.push(took);
            return;
        };
        let fade = (MEMORY / one.frames).min(1.0);
        one.frames = one.frames * fade + took.frames;
        one.seconds = one.seconds * fade + took.seconds;
        one.start += (took.start - one.start) / 4.0;
    }

    /// The same without single frames, of which there may be hundreds of thousands.
    #[must_use]
    pub fn without_frames(&self) -> Self {
        Self {
            known: self.known.clone(),
            frames: BTreeMap::new(),
        }
    }

    /// Takes in what single frames took.
    pub fn add_frames(&mut self, label: &str, each: &[(Frame, f64)]) {
        if !each.is_empty() {
            let known = self.frames.entry(label.to_owned()).or_default();
            known.extend(each.iter().copied());
        }
    }

    /// Seconds that a frame took the last time; none of one that was never rendered.
    #[must_use]
    pub fn frame_seconds(&self, label: &str, frame: Frame) -> Option<f64> {
        self.frames.get(label)?.get(&frame).copied()
    }

    /// What the frames of something of a label take, of which a usual one takes so many seconds.
    fn frame_times(&self, label: &str, usual: f64) -> FrameTimes {
        let known = self.frames.get(label).into_iter().flatten();
        let mean = known.clone().map(|(_, seconds)| seconds).sum::<f64>()
            / known.clone().count().max(1) as f64;
        let factors = if mean > 0.0 {
            known
                .map(|(frame, seconds)| (*frame, seconds / mean))
                .collect()
        } else {
            BTreeMap::new()
        };
        FrameTimes { usual, factors }
    }

    /// Seconds for a frame where a process renders so many: as measured for just this effort, else
    /// scaled from the nearest one. What goes before the first frame is not scaled.
    #[must_use]
    pub fn seconds(&self, label: &str, effort: Effort, frames: u64) -> Option<f64> {
        let apart = |one: &RenderedFrames| (one.effort.work() / effort.work()).ln().abs();
        let known = self.known.get(label)?;
        let nearest = known.iter().min_by(|a, b| apart(a).total_cmp(&apart(b)))?;
        let each = nearest.seconds / nearest.frames;
        let factor = effort.work() / nearest.effort.work();
        // What took no time to speak of says nothing about pictures that are much larger.
        if factor > MOST_SCALED && each < LEAST_SCALED {
            return None;
        }
        let scaled = each * factor;
        Some(scaled + nearest.start / frames.max(1) as f64)
    }

    /// Whether something of this label was rendered.
    #[must_use]
    pub fn is_known(&self, label: &str) -> bool {
        self.known.contains_key(label)
    }

    /// Seconds for a frame, and those before the first: by what was measured of this label, else by the mean of all
    /// others, scaled by the effort.
    #[must_use]
    pub fn seconds_and_start(&self, label: &str, effort: Effort) -> (Option<f64>, f64) {
        // Of so many frames in one process the start makes no difference to a frame.
        if let Some(seconds) = self.seconds(label, effort, u64::MAX) {
            let known = self.known.get(label).into_iter().flatten();
            let start = known.map(|one| one.start).fold(0.0, f64::max);
            return (Some(seconds), start);
        }
        let all = || self.known.values().flatten();
        let count = all().count() as f64;
        if count == 0.0 {
            return (None, 0.0);
        }
        let each = |one: &RenderedFrames| {
            let factor = effort.work() / one.effort.work();
            one.seconds / one.frames * factor.min(MOST_SCALED)
        };
        let seconds = all().map(each).sum::<f64>() / count;
        let start = all().map(|one| one.start).sum::<f64>() / count;
        (Some(seconds), start)
    }

    /// What the files of each deliverable take, where something like it was ever made.
    #[must_use]
    pub fn expected(&self, expansion: &Expansion) -> Vec<Option<FrameTimes>> {
        let all = &expansion.deliverables;
        let mut seconds = vec![None; all.len()];
        if self.known.is_empty() {
            return seconds;
        }
        // What is rendered together shares its time, so one frame of each is planned.
        let one_frame = |index: DeliverableId| {
            let first = all[index].common.frames.selected.first();
            first.map_or_else(FrameSet::empty, |first| FrameSet::range(first, first))
        };
        for planned in plan(expansion, &one_frame) {
            let members = planned.members(all);
            let first = *members.first();
            let frames = first.common.frames.selected.count();
            let frames = first
                .common
                .processes
                .chunk
                .map_or(frames, |chunk| frames.min(chunk));
            let label = label(&members);
            let together = self.seconds(&label, Effort::of(first), frames);
            for index in planned.deliverables.iter() {
                let each = together.map(|seconds| seconds / members.len() as f64);
                seconds[*index] = each.map(|usual| self.frame_times(&label, usual));
            }
        }
        seconds
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn took(pixels: u64, samples: f64, frames: f64, seconds: f64) -> RenderedFrames {
        RenderedFrames {
            effort: Effort { pixels, samples },
            frames,
            seconds,
            start: 0.0,
        }
    }

    #[test]
    fn a_trial_is_scaled_by_pixels_and_samples() {
        let mut known = RenderTimes::default();
        known.add("dawn", took(100, 4.0, 3.0, 6.0));
        let effort = Effort {
            pixels: 6400,
            samples: 256.0,
        };
        // 2 seconds a frame, for 64 times the pixels with 64 times the samples.
        assert_eq!(known.seconds("dawn", effort, 1), Some(2.0 * 64.0 * 64.0));
        assert_eq!(known.seconds("transit", effort, 1), None);
        // What was really measured is believed before what is scaled.
        known.add("dawn", took(6400, 256.0, 1.0, 5000.0));
        assert_eq!(known.seconds("dawn", effort, 1), Some(5000.0));
    }

    #[test]
    fn reading_the_scene_is_shared_and_not_scaled() {
        let mut known = RenderTimes::default();
        let start = 120.0;
        known.add(
            "dawn",
            RenderedFrames {
                start,
                ..took(100, 1.0, 1.0, 3.0)
            },
        );
        let effort = took(6400, 1.0, 1.0, 1.0).effort;
        assert_eq!(known.seconds("dawn", effort, 1), Some(64.0 * 3.0 + 120.0));
        assert_eq!(known.seconds("dawn", effort, 12), Some(64.0 * 3.0 + 10.0));
    }

    #[test]
    fn what_is_new_outweighs_what_is_old() {
        let mut known = RenderTimes::default();
        let effort = took(1, 1.0, 1.0, 1.0).effort;
        known.add("dawn", took(1, 1.0, 10_000.0, 10_000.0));
        known.add("dawn", took(1, 1.0, 192.0, 192.0 * 5.0));
        assert_eq!(known.seconds("dawn", effort, 1), Some(4.0));
        known.add("dawn", took(1, 1.0, 0.0, 100.0));
        known.add("dawn", took(1, 1.0, 1.0, f64::NAN));
        assert_eq!(known.seconds("dawn", effort, 1), Some(4.0));
    }

    fn frames(text: &str) -> FrameSet {
        text.parse().unwrap()
    }

    #[test]
    fn a_frame_takes_what_its_neighbours_take_and_not_the_mean_of_all() {
        // A shot that becomes ten times as slow towards its end, of which every tenth frame was tried.
        let mut known = RenderTimes::default();
        known.add("dawn", took(1, 1.0, 3.0, 33.0));
        known.add_frames("dawn", &[(1, 2.0), (11, 11.0), (21, 20.0)]);
        let times = known.frame_times("dawn", 11.0);
        let rounded = |frame| (times.seconds(frame) * 100.0).round() / 100.0;
        assert_eq!(
            [1, 6, 11, 16, 21, 40].map(rounded),
            [2.0, 6.5, 11.0, 15.5, 20.0, 20.0]
        );
        // What is left at the end is slow, though half of the frames are there.
        let missing = frames("11-21");
        let mean = FrameTimes::alike(11.0).sum(&missing);
        assert!(times.sum(&missing) > 1.3 * mean);
    }
}
