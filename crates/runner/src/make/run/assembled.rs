//! What is assembled from other files: whether it is due, once these are there.

use std::path::Path;

use truepath_core::deliverable::{Deliverable, DeliverableId, MadeFrom};
use truepath_core::frames::Frame;
use truepath_core::plan::PlannedProcess;

use super::assembling::{Assembling, moments};
use super::worker::Worker;
use super::{Event, Failure, FileAction, RunError};
use crate::look::inventory::{Depth, FileOnDisk, LackingFiles, described};
use crate::record::ledger::Files;

impl Worker<'_> {
    /// What the ledger records of a file that is assembled, and of all that it is made from.
    fn known_of(&self, deliverable: &Deliverable, frame: Frame) -> Files {
        let mut paths = Vec::new();
        add_paths(deliverable, frame, &mut paths);
        self.journal.known().published.only(paths.into_iter())
    }

    /// Whether a file is to be assembled now. It is not when what it is made from is not whole, or when it is there and
    /// stays.
    pub(super) fn is_due(
        &self,
        index: DeliverableId,
        frame: Frame,
        planned: &PlannedProcess,
    ) -> Result<bool, RunError> {
        let deliverable = &self.context.expansion.deliverables[index];
        let looker = self.context.inventory.of(index);
        let known = self.known_of(deliverable, frame);
        let lacking = looker.assembly(frame, Depth::Unknown, &known);
        let today = match lacking {
            Ok(today) => today,
            Err(lacking) => return self.cannot_assemble(index, frame, planned, &lacking),
        };
        let files = self.files();
        let are_sources_due = self.backlog.has_sources_of(deliverable, frame);
        let decision = files.decide_assembled(index, frame, &known, are_sources_due);
        let path = deliverable.path(frame);
        let replaces = match decision.action {
            FileAction::Render => None,
            FileAction::Replace(replaces) => Some(replaces),
            FileAction::SetAside => {
                files.make_room(&path, &decision.found.reason().unwrap_or_default())?;
                None
            }
            FileAction::Keep => {
                files.keep(!self.context.policy.verify_all);
                self.prospects.rendered(planned);
                return Ok(false);
            }
            FileAction::Report | FileAction::Refuse => {
                files.report_kept(index, frame, decision.found);
                self.prospects.rendered(planned);
                return Ok(false);
            }
            FileAction::Adopt | FileAction::Restamp | FileAction::Accept => {
                if !files.take_as(index, frame, decision.action, today)? {
                    files.report_kept(index, frame, FileOnDisk::Stale);
                }
                self.prospects.rendered(planned);
                return Ok(false);
            }
        };
        // What it is made from is read now: a size and a time do not show that a picture is the one that was published.
        let sources = moments(deliverable, frame).map_err(RunError::disk(Path::new(&path)))?;
        match looker.assembly(frame, Depth::Bytes, &known) {
            Ok(fingerprint) => {
                let assembling = Assembling {
                    fingerprint,
                    replaces,
                    sources,
                };
                self.workshop.know_assembled(index, frame, assembling);
                Ok(true)
            }
            Err(lacking) => self.cannot_assemble(index, frame, planned, &lacking),
        }
    }

    /// Reports a file that cannot be made, since what it is made from is not whole.
    fn cannot_assemble(
        &self,
        index: DeliverableId,
        frame: Frame,
        planned: &PlannedProcess,
        lacking: &LackingFiles,
    ) -> Result<bool, RunError> {
        self.prospects.out_of_reach(planned);
        let whole = if self.context.expansion.deliverables[index].movie().is_some() {
            "its sequence is not whole"
        } else {
            "what it is made of is not whole"
        };
        self.journal.failed(vec![Failure {
            deliverable: index,
            frame,
            reason: format!("{whole}: {}", described(lacking)),
            log: None,
        }])?;
        Ok(false)
    }

    /// What became of files that are assembled, with which another run has done.
    pub(super) fn settle_assembled(&self, planned: &PlannedProcess) -> Result<(), RunError> {
        let index = *planned.deliverables.first();
        let deliverable = &self.context.expansion.deliverables[index];
        let looker = self.context.inventory.of(index);
        for frame in planned.frames.iter() {
            let known = self.known_of(deliverable, frame);
            if looker.look(frame, Depth::Unknown, &known).found == FileOnDisk::Valid {
                self.brought_elsewhere(index, frame);
                continue;
            }
            let failure = Failure {
                deliverable: index,
                frame,
                reason: "another run began it and did not bring it".to_owned(),
                log: None,
            };
            self.journal.event(&Event::Failed(&failure));
            self.journal.report().failures.push(failure);
        }
        Ok(())
    }
}

/// The paths of a file and of all that it is made from, however many steps away.
fn add_paths(deliverable: &Deliverable, frame: Frame, paths: &mut Vec<String>) {
    let file = deliverable.file(frame);
    paths.push(file.path());
    if let MadeFrom::Files(sources) = file.made_from() {
        for (source, frames) in sources {
            for frame in frames.iter() {
                add_paths(source, frame, paths);
            }
        }
    }
}
