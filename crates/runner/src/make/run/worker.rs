//! One thread's view of a run: its parts, and what any thread may do with them.

use std::path::Path;

use super::board::{Board, StopReason};
use super::context::RunContext;
use super::existing_files::{Backlog, ExistingFiles};
use super::journal::Journal;
use super::pace::Pace;
use super::prospects::Prospects;
use super::workshop::Workshop;
use crate::system::free_space;

/// So many frames more must fit on the disk for every process.
const SPARE: u64 = 3;

/// One thread's view of the run. It holds nothing of its own: what it works on is on the board.
#[derive(Clone, Copy)]
pub(super) struct Worker<'r> {
    pub(super) context: &'r RunContext<'r>,
    pub(super) journal: &'r Journal<'r>,
    pub(super) backlog: &'r Backlog,
    pub(super) board: &'r Board,
    pub(super) pace: &'r Pace,
    pub(super) prospects: &'r Prospects,
    pub(super) workshop: &'r Workshop,
}

impl Worker<'_> {
    /// The files that are there under true names.
    pub(super) fn files(&self) -> ExistingFiles<'_> {
        ExistingFiles {
            context: self.context,
            journal: self.journal,
        }
    }

    /// Stops the run, once the frames that are nearly done are finished.
    pub(super) fn halt(&self, why: &str) {
        let first = self.board.halt(StopReason {
            why: why.to_owned(),
            finish: true,
            interrupted: false,
        });
        if first {
            self.journal.remark(&format!("stopping: {why}"));
        }
    }

    /// Stops the run when the next frames may not fit on the disk any more.
    pub(super) fn look_for_room(&self, folder: &Path) {
        let largest = self.journal.report().largest;
        let there = folder.ancestors().find(|above| above.is_dir());
        let Some(free) = there.and_then(free_space) else {
            return;
        };
        if largest > 0 && free < largest * SPARE * self.pace.at_work().max(1) as u64 {
            self.halt(&format!(
                "only {:.1} MB are free below {}, less than the next frames may need",
                free as f64 / 1e6,
                folder.display()
            ));
        }
    }
}
