//! Which files an audit opens: all, a part that is spread over each sequence, or what is new.

use std::io;
use std::path::Path;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};

use crate::disk::modified_at;

/// Which files are opened; of the others name, size and time are compared.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct AuditChoice {
    /// A part of each sequence, above 0 and up to 1: spread over all of it, always with the first, the last and
    /// the newest.
    pub sample: Option<f64>,
    /// Only files that have changed since then, in nanoseconds since 1970.
    pub since: Option<i128>,
}

impl AuditChoice {
    /// The frames of a deliverable whose files are opened.
    pub(super) fn opened(&self, deliverable: &Deliverable) -> io::Result<FrameSet> {
        let all = &deliverable.common.frames.selected;
        if *self == Self::default() {
            return Ok(all.clone());
        }
        let mut frames: Vec<Frame> = all.iter().collect();
        let mut times: Vec<(i128, Frame)> = Vec::new();
        for frame in &frames {
            let time = modified_at(Path::new(&deliverable.path(*frame)))?;
            times.extend(time.map(|time| (time, *frame)));
        }
        if let Some(since) = self.since {
            let new = times.iter().filter(|(time, _)| *time >= since);
            frames = new.map(|(_, frame)| *frame).collect();
        }
        let Some(sample) = self.sample else {
            return Ok(FrameSet::from_frames(frames));
        };
        let mut spread = spread(&frames, sample);
        let newest = times
            .iter()
            .filter(|(_, frame)| frames.contains(frame))
            .max();
        spread.extend(newest.map(|(_, frame)| *frame));
        Ok(FrameSet::from_frames(spread))
    }
}

/// A part of some frames, evenly spread, with the first and the last.
fn spread(frames: &[Frame], part: f64) -> Vec<Frame> {
    let count = (frames.len() as f64 * part).ceil() as usize;
    let count = count.clamp(2, frames.len().max(2));
    match frames {
        [] => Vec::new(),
        [one] => vec![*one],
        _ => (0..count)
            .map(|at| frames[at * (frames.len() - 1) / (count - 1)])
            .collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sample::{Project, picture};

    #[test]
    fn a_part_is_spread_from_the_first_to_the_last() {
        let frames: Vec<Frame> = (1..=100).collect();
        assert_eq!(spread(&frames, 0.05), [1, 25, 50, 75, 100]);
        assert_eq!(spread(&frames, 0.0001), [1, 100]);
        assert_eq!(spread(&frames, 1.0), frames);
        assert_eq!(spread(&[7], 0.5), [7]);
        assert_eq!(spread(&[], 0.5), [0; 0]);
    }

    #[test]
    fn the_newest_is_always_opened_and_since_leaves_the_old_out() {
        let project = Project::with("frames = \"1-9\"\n");
        let one = project.deliverable(0);
        for frame in 1..=9 {
            let path = one.path(frame);
            picture(Path::new(&path), 0.5);
            // Frame 4 came last.
            let seconds = if frame == 4 { 500 } else { 100 + frame as u64 };
            let time = std::time::UNIX_EPOCH + std::time::Duration::from_secs(seconds);
            let times = std::fs::FileTimes::new().set_modified(time);
            let file = std::fs::File::options().write(true).open(&path).unwrap();
            file.set_times(times).unwrap();
        }
        let opened = |sample, since: Option<i128>| {
            let since = since.map(|seconds| seconds * 1_000_000_000);
            AuditChoice { sample, since }
                .opened(one)
                .unwrap()
                .to_string()
        };
        assert_eq!(opened(None, None), "1-9");
        assert_eq!(opened(Some(0.3), None), "1,4-5,9");
        assert_eq!(opened(None, Some(108)), "4,8-9");
        assert_eq!(opened(Some(0.1), Some(108)), "4,9");
        std::fs::remove_file(one.path(9)).unwrap();
        assert_eq!(opened(None, Some(108)), "4,8");
    }
}
