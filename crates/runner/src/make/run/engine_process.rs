//! One process of an engine: its staging folder, what is laid into it, and what is taken out of it.

use std::sync::Arc;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::ArgumentError;
use truepath_core::deliverable::{Deliverable, DeliverableId, Limits};
use truepath_core::plan::label;
use truepath_core::profile::Profile;

use super::attempt::Attempt;
use super::board::ProcessSlot;
use super::log::Log;
use super::outcome::Outcome;
use super::pace::Turn;
use super::worker::Worker;
use super::{Event, RunError};

/// One process of an engine.
pub(super) struct EngineProcess<'w> {
    pub(super) worker: Worker<'w>,
    pub(super) attempt: &'w Attempt,
    /// Its number in this run, from 1.
    pub(super) number: u32,
    /// What it makes, with the indices of the deliverables.
    pub(super) members: AtLeastOne<(DeliverableId, &'w Deliverable)>,
    pub(super) profile: Arc<Profile>,
    /// What its log and its files are called by.
    pub(super) name: String,
    pub(super) log: Log,
    pub(super) outcome: Outcome,
    /// What it is measured by.
    pub(super) turn: Turn,
    /// Threads that it is given where the job does not say it.
    pub(super) threads: Option<i64>,
}

impl<'w> EngineProcess<'w> {
    /// How long it may take.
    pub(super) fn limits(&self) -> &'w Limits {
        let first = self
            .attempt
            .planned
            .first(&self.worker.context.expansion.deliverables);
        &first.common.processes.limits
    }

    pub(super) fn begin(
        worker: Worker<'w>,
        attempt: &'w Attempt,
        slot: &ProcessSlot<'_>,
    ) -> Result<Self, RunError> {
        let context = worker.context;
        let planned = &attempt.planned;
        let number = context.session.next_process();
        let deliverables = planned.members(&context.expansion.deliverables);
        let name = planned.name(&context.expansion.deliverables);
        let path = context.session.logs.join(format!("{number:04}-{name}.log"));
        let log = Log::create(context.disk, path.clone()).map_err(RunError::disk(&path))?;
        let path = log.path().to_owned();
        let first = planned.first(&context.expansion.deliverables);
        worker.journal.event(&Event::Started {
            process: number,
            label: &label(&deliverables),
            deliverables: &planned.deliverables,
            frames: if first.movie().is_some() {
                &first.common.frames.shot
            } else {
                &planned.frames
            },
            log: &path,
        });
        let all = &context.expansion.deliverables;
        Ok(Self {
            worker,
            attempt,
            number,
            profile: Arc::clone(&first.common.engine),
            members: planned.deliverables.map(|index| (*index, &all[*index])),
            name,
            log,
            outcome: Outcome::new(path),
            turn: slot.turn,
            threads: slot.threads,
        })
    }
}

/// A mistake of a profile that shows only when it is used.
pub(super) fn of_profile(profile: &Profile) -> impl FnOnce(ArgumentError) -> RunError + use<> {
    let name = profile.name.clone();
    move |error| RunError::Profile {
        engine: name,
        error,
    }
}
