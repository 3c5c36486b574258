//! What `truepath times --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::times::{SlowFrame, TimesRow};

use super::VERSION;

/// What rendering took
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TimesShape {
    /// The version of this shape
    version: u32,
    /// What the rows are: `shot`, `machine` …
    by: String,
    /// In the order in which they were first rendered
    rows: Vec<RowShape>,
    /// Frames that are much slower than their neighbours, and then the slowest of the others
    slowest: Vec<FrameShape>,
}

/// What the processes of one shot, machine … took
#[derive(Debug, Serialize, JsonSchema)]
struct RowShape {
    /// Its name
    name: String,
    /// Frames that were brought
    frames: u64,
    /// Processes that were started
    processes: u64,
    /// Seconds of the frame in the middle
    median_seconds: Option<f64>,
    /// The slowest frame
    slowest_frame: Option<i64>,
    /// Its seconds
    slowest_seconds: Option<f64>,
    /// Seconds of all processes, one after another
    wall_seconds: f64,
    /// Seconds of processor time
    cpu_seconds: f64,
    /// Bytes of memory of the largest process; 0 where nobody knows
    memory_bytes: u64,
    /// Processes that ended without success
    failed: u64,
}

/// A frame, and how long it took
#[derive(Debug, Serialize, JsonSchema)]
struct FrameShape {
    /// What it is a frame of
    deliverable: String,
    /// The frame
    frame: i64,
    /// Seconds
    seconds: f64,
    /// The middle of the seconds of its neighbours
    neighbours_seconds: Option<f64>,
    /// Whether it took at least three times as long as they did
    outlier: bool,
}

impl TimesShape {
    pub(crate) fn of(by: &str, rows: &[TimesRow], slow: &[SlowFrame]) -> Self {
        Self {
            version: VERSION,
            by: by.to_owned(),
            rows: rows.iter().map(RowShape::of).collect(),
            slowest: slow.iter().map(FrameShape::of).collect(),
        }
    }
}

impl RowShape {
    fn of(row: &TimesRow) -> Self {
        Self {
            name: row.name.clone(),
            frames: row.frames,
            processes: row.processes,
            median_seconds: row.median,
            slowest_frame: row.slowest.map(|(frame, _)| frame),
            slowest_seconds: row.slowest.map(|(_, seconds)| seconds),
            wall_seconds: row.wall,
            cpu_seconds: row.cpu,
            memory_bytes: row.memory,
            failed: row.failed,
        }
    }
}

impl FrameShape {
    fn of(one: &SlowFrame) -> Self {
        Self {
            deliverable: one.label.clone(),
            frame: one.frame,
            seconds: one.seconds,
            neighbours_seconds: one.neighbours,
            outlier: one.is_outlier(),
        }
    }
}
