//! What processes of runs are at, on whatever machine: by the ledgers, and by their logs as far as they can be read.

use std::collections::HashMap;
use std::path::Path;

use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::forecast::Forecast;
use truepath_core::frame_progress::FrameProgress;
use truepath_core::frames::{Frame, FrameSet};

use crate::make::engine_log::last_in_log;
use crate::record::ledger::Staged;

/// A process at work.
#[derive(Debug, Clone)]
pub struct RunAtWork {
    /// Its machine.
    pub machine: String,
    /// What it makes.
    pub label: String,
    /// Its frames.
    pub frames: FrameSet,
    /// When it began, by the clock of its machine.
    pub since: String,
    /// Its log.
    pub log: String,
    /// The frame that its log reports to have begun last.
    pub frame: Option<Frame>,
    /// How far that frame is.
    pub progress: FrameProgress,
    /// The deliverables that it makes, by their places in the job.
    deliverables: Vec<DeliverableId>,
}

impl RunAtWork {
    /// Looks at a process on a machine; the places of all deliverables are known by the sketches of their paths.
    pub(crate) fn new(
        staged: &Staged,
        machine: &str,
        expansion: &Expansion,
        places: &HashMap<String, DeliverableId>,
    ) -> Self {
        let members = staged.members.iter();
        let mut deliverables: Vec<DeliverableId> = members
            .filter_map(|member| places.get(&member.path).copied())
            .collect();
        deliverables.sort_unstable();
        let frames: FrameSet = staged.frames.parse().unwrap_or_default();
        let last = deliverables.first().map(|place| {
            let engine = &expansion.deliverables[*place].common.engine;
            last_in_log(engine, &frames, Path::new(&staged.log))
        });
        let last = last.unwrap_or_default();
        // The only frame needs not be named.
        let only = frames.first().filter(|_| frames.count() == 1);
        Self {
            machine: machine.to_owned(),
            label: staged.label.clone(),
            since: staged.time.clone(),
            log: staged.log.clone(),
            frame: last.frame.filter(|frame| frames.contains(*frame)).or(only),
            progress: last.progress,
            deliverables,
            frames,
        }
    }

    /// Seconds that are done of the frame that it is at.
    pub(crate) fn under_way(&self, forecast: &Forecast) -> f64 {
        let (Some(frame), Some(share)) = (self.frame, self.progress.share()) else {
            return 0.0;
        };
        let seconds = self.deliverables.iter();
        let seconds: f64 = seconds.map(|index| forecast.seconds(*index, frame)).sum();
        share * seconds
    }
}
