//! What rendering took and cost: a table by shot, pass, machine or engine, and the slowest frames.
//!
//! - [`EndedProcess`]: what is recorded of one process that has ended.
//! - [`summarize`]: one row for each shot, pass, machine … with the sums of its processes.
//! - [`slowest`]: single frames, the slowest first, and those that are much slower than their neighbours.

mod slowest;
mod summary;

pub use slowest::{SlowFrame, slowest};
pub use summary::{GroupBy, TimesRow, summarize};

use crate::frames::{Frame, FrameSet};

/// What is recorded of one process that has ended.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct EndedProcess {
    /// What it made, in words.
    pub label: String,
    /// The shot, where the job still has what it made.
    pub shot: String,
    /// The output, likewise.
    pub output: String,
    /// The passes, joined by commas; empty where there are none.
    pub pass: String,
    /// The machine.
    pub machine: String,
    /// The engine, with its version where that is known.
    pub engine: String,
    /// The frames that it was to make.
    pub frames: FrameSet,
    /// Seconds of each frame that it brought.
    pub each: Vec<(Frame, f64)>,
    /// Seconds from its start to its end.
    pub wall: f64,
    /// Seconds of processor time.
    pub cpu: f64,
    /// Bytes of memory at most; 0 where nobody knows.
    pub memory: u64,
    /// How it ended, where that was without success.
    pub failure: Option<String>,
}

/// The middle of some numbers; of an even count the mean of the two in the middle. None of no numbers.
#[must_use]
pub fn median(mut numbers: Vec<f64>) -> Option<f64> {
    numbers.sort_by(f64::total_cmp);
    let middle = numbers.len() / 2;
    match numbers.len() {
        0 => None,
        count if count % 2 == 1 => numbers.get(middle).copied(),
        _ => Some((numbers[middle - 1] + numbers[middle]) / 2.0),
    }
}
