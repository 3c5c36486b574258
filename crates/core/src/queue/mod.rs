//! A queue: several jobs, in the order in which they are worked off.
//!
//! - [`read_queue`] reads its file, with the place of every mistake.
//! - [`QueueEntry`] is one job, or a part of it, with what is set for it.
//! - [`QueueEdit`] changes the text of the file and leaves the rest of it as it is.

mod edit;
mod read;

pub use edit::{EditError, QueueEdit};
pub use read::{is_queue, read_queue};

use crate::deliverable::Selection;
use crate::source::{Place, Sources};

/// Jobs in an order.
#[derive(Debug, Clone, Default)]
pub struct Queue {
    /// In the order in which they are worked off.
    pub entries: Vec<QueueEntry>,
    /// Whether a job that is not complete at its end keeps those after it from being begun.
    pub stops_at_failure: bool,
    /// The text that it was read from.
    pub sources: Sources,
}

/// A job of a queue, or a part of it.
#[derive(Debug, Clone)]
pub struct QueueEntry {
    /// The job file or its folder, as written: relative to the folder of the queue.
    pub job: String,
    /// Where that is written.
    pub place: Place,
    /// Which part of it.
    pub selection: Selection,
    /// What is set for it: `KEY=VALUE`.
    pub sets: Vec<String>,
    /// How well to render.
    pub preset: Option<String>,
    /// What somebody wants to remember.
    pub note: Option<String>,
    /// Whether it is worked off.
    pub is_on: bool,
}

impl QueueEntry {
    /// Whether two entries ask for the same.
    #[must_use]
    pub fn is_same(&self, other: &Self) -> bool {
        fn job(one: &QueueEntry) -> &str {
            let job = one.job.trim_end_matches('/');
            let job = job.strip_suffix("/truepath.toml").unwrap_or(job);
            job.strip_prefix("./").unwrap_or(job)
        }
        job(self) == job(other)
            && self.selection == other.selection
            && self.sets == other.sets
            && self.preset == other.preset
    }

    /// What it is called: the job and what is chosen of it.
    #[must_use]
    pub fn label(&self) -> String {
        let mut parts = vec![self.job.clone()];
        let selection = &self.selection;
        for list in [
            &selection.shots,
            &selection.cameras,
            &selection.variants,
            &selection.views,
            &selection.passes,
            &selection.outputs,
        ] {
            if !list.is_empty() {
                parts.push(list.join(", "));
            }
        }
        parts.extend(
            selection
                .frames
                .as_ref()
                .map(|frames| format!("frames {frames}")),
        );
        parts.extend(self.preset.clone());
        parts.extend(self.sets.iter().cloned());
        parts.join(" · ")
    }
}
