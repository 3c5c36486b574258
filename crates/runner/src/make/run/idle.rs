//! Whether there is nothing to do: then a run begins nothing and leaves no trace.

use std::sync::atomic::Ordering;

use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;

use super::decision::{Decider, FileDecision};
use super::prepare::RunOrigins;
use super::{Event, Existing, Observer, Options, Policy, Report, RunError};
use crate::Loaded;
use crate::look::inventory::{Accepted, FileOnDisk};
use crate::make::publish::UNKNOWN_ENGINE;
use crate::record::ledger::Ledger;

/// The report of a run that has nothing to do; none where there may be something.
pub(super) fn nothing_to_do(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &Options<'_>,
    origins: &RunOrigins<'_>,
    watch: &mut (dyn Observer + Send),
) -> Result<Option<Report>, RunError> {
    let policy = options.policy;
    if policy.existing != Existing::Keep
        || policy.verify_all
        || options.interrupt.load(Ordering::Relaxed) > 0
    {
        return Ok(None);
    }
    let state = loaded.state_folder();
    if !state.is_clear().map_err(RunError::disk(state.path()))? {
        return Ok(None);
    }
    let ledgers = state.ledgers();
    let refused = RunError::disk(&ledgers);
    let known = loaded.read_ledger(&ledgers).map_err(refused)?;
    let is_idle = known.sessions.values().all(|record| record.ended)
        && known.unproven.is_empty()
        && all_valid(expansion, origins, &known);
    loaded.keep_ledger(known);
    if !is_idle || expansion.deliverables.is_empty() {
        return Ok(None);
    }
    let wanted = |one: &truepath_core::deliverable::Deliverable| one.common.frames.selected.clone();
    let done: Vec<FrameSet> = expansion.deliverables.iter().map(wanted).collect();
    let files = done.iter().map(FrameSet::count).sum();
    watch.see(&Event::Begun {
        wanted: files,
        there: files,
        replaced: 0,
        done: &done,
        forecast: &Forecast::default(),
    });
    Ok(Some(Report {
        wanted: files,
        kept: files,
        unread: files,
        ..Report::default()
    }))
}

/// Whether every chosen file is as recorded, and made by today's settings and engines.
fn all_valid(expansion: &Expansion, origins: &RunOrigins<'_>, known: &Ledger) -> bool {
    let own = |_: &str| false;
    let policy = Policy::default();
    let decider = Decider { policy, own: &own };
    let files = &known.published;
    let nothing = Accepted::default();
    let mut all = DeliverableId::with_each(&expansion.deliverables);
    all.all(|(index, deliverable)| {
        let looker = origins.inventory.of(index);
        let engine = &origins.provenance[index].engine;
        let is_valid = |decision: &FileDecision| {
            let record = files.get(&deliverable.path(decision.frame));
            let is_of_engine = record.is_some_and(|record| {
                let made_by = &*record.origin.engine;
                record.fingerprint().is_none() || made_by == UNKNOWN_ENGINE || made_by == engine
            });
            decision.found == FileOnDisk::Valid && is_of_engine
        };
        let chosen = &deliverable.common.frames.selected;
        if deliverable.is_assembled() {
            let decide = |frame| decider.assembled(looker, frame, files, false, &nothing);
            return chosen.iter().all(|frame| is_valid(&decide(frame)));
        }
        // Most of a fresh job is missing from the start.
        let first = FrameSet::from_frames(chosen.first());
        [&first, chosen].into_iter().all(|frames| {
            let decisions = decider.rendered(looker, frames, files);
            decisions.iter().all(is_valid)
        })
    })
}
