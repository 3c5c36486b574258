//! What a run works with, and what stays the same while it does.

use std::path::PathBuf;

use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::split::Split;

use super::scenes::Scenes;
use super::{Options, Policy};
use crate::disk::Disk;
use crate::look::inventory::Inventory;
use crate::look::program::program_of_engine;
use crate::make::job_folders::JobFolders;
use crate::make::publish::Provenance;
use crate::make::session::Session;
use crate::{Loaded, StateFolder};

/// What a run works with, and what stays the same while it does.
pub(super) struct RunContext<'r> {
    pub(super) loaded: &'r Loaded,
    pub(super) expansion: &'r Expansion,
    pub(super) options: &'r Options<'r>,
    pub(super) disk: &'r dyn Disk,
    pub(super) policy: Policy,
    pub(super) state: StateFolder,
    pub(super) session: Session<'r>,
    /// What is recorded with the files of each deliverable.
    pub(super) provenance: Vec<Provenance>,
    /// Looks at the files of each deliverable.
    pub(super) inventory: Inventory<'r>,
    /// The scenes as they were when the run began.
    pub(super) scenes: Scenes,
    /// What the line of each deliverable is known by of which nobody says whether its clip may be split.
    pub(super) split_keys: Vec<Option<String>>,
}

impl RunContext<'_> {
    /// Whether this run has to find out whether the clip of a deliverable may be split: nobody says it, and it was not
    /// found by the engine of today.
    pub(super) fn is_split_to_be_found(&self, index: DeliverableId) -> bool {
        let one = &self.expansion.deliverables[index];
        match &one.common.processes.split {
            Split::Found(found) => {
                one.takes_a_range() && found.engine != self.provenance[index].engine
            }
            _ => one.is_split_unknown(),
        }
    }

    /// Where a program is.
    pub(super) fn program(&self, name: &str) -> Option<PathBuf> {
        program_of_engine(name, self.options.this_program, &self.loaded.folder)
    }

    /// What this run may move or remove because a ledger says so.
    pub(super) fn job_folders(&self) -> JobFolders<'_> {
        JobFolders {
            job: &self.loaded.folder,
            mark: &self.session.mark,
            expansion: self.expansion,
        }
    }
}
