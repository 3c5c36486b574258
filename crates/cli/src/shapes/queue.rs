//! What `truepath queue --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

use super::VERSION;

/// A queue of jobs
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct QueueShape {
    /// The version of this shape
    version: u32,
    /// In the order in which they are worked off
    entries: Vec<EntryShape>,
    /// Seconds until all is done, where that is known of all of it
    seconds_left: Option<f64>,
}

/// A job of a queue
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EntryShape {
    /// The job file
    pub(crate) job: String,
    /// The job and what is chosen of it, for people
    pub(crate) label: String,
    /// What somebody wants to remember
    pub(crate) note: Option<String>,
    /// Whether it is worked off
    pub(crate) on: bool,
    /// `off`, `complete`, `running`, `waiting`, `failed`, or `aborted` where it cannot be run
    pub(crate) state: &'static str,
    /// How many files are wanted
    pub(crate) files: u64,
    /// How many of them are valid
    pub(crate) valid: u64,
    /// How many failed
    pub(crate) failed: u64,
    /// Seconds until all of it is there, where that is known
    pub(crate) seconds_left: Option<f64>,
    /// Why it cannot be run
    pub(crate) reason: Option<String>,
}

impl QueueShape {
    pub(crate) fn of(entries: Vec<EntryShape>, seconds_left: Option<f64>) -> Self {
        Self {
            version: VERSION,
            entries,
            seconds_left,
        }
    }
}
