//! Some frames out of many, spread evenly, for looking at.

use crate::frames::{Frame, FrameSet};

/// So many frames of a set, from the first to the last, as evenly as it goes; all where there are no more.
///
/// ```
/// use truepath_core::spread::spread_frames;
///
/// let frames = "1-9".parse()?;
/// assert_eq!(spread_frames(&frames, 3), [1, 5, 9]);
/// assert_eq!(spread_frames(&frames, 1), [5]);
/// assert_eq!(spread_frames(&frames, 20).len(), 9);
/// # Ok::<(), truepath_core::frames::FramesError>(())
/// ```
#[must_use]
pub fn spread_frames(frames: &FrameSet, most: u64) -> Vec<Frame> {
    let count = frames.count();
    match most {
        0 => Vec::new(),
        most if most >= count => frames.iter().collect(),
        1 => frames.nth((count - 1) / 2).into_iter().collect(),
        most => {
            let place = |at: u64| (at * (count - 1) + (most - 1) / 2) / (most - 1);
            (0..most).filter_map(|at| frames.nth(place(at))).collect()
        }
    }
}
