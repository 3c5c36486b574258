//! Whether there is nothing to do: then a run begins nothing and leaves no trace.

use std::sync::atomic::Ordering;

use truepath_core::deliverable::Expansion;
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;

use super::{Event, Existing, Observer, Options, Report, RunError};
use crate::Loaded;
use crate::inventory::{FileOnDisk, look};
use crate::ledger::Ledger;
use crate::movies;
use crate::publish::Provenance;

/// The report of a run that has nothing to do; none where there may be something.
pub(super) fn nothing_to_do(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &Options<'_>,
    provenance: &[Provenance],
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
        && all_valid(loaded, expansion, provenance, &known)?;
    loaded.keep_ledger(known);
    if !is_idle {
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
fn all_valid(
    loaded: &Loaded,
    expansion: &Expansion,
    provenance: &[Provenance],
    known: &Ledger,
) -> Result<bool, RunError> {
    for (one, provenance) in expansion.deliverables.iter().zip(provenance) {
        let chosen = &one.common.frames.selected;
        if one.is_assembled_movie() {
            let path = one.path(one.common.frames.shot.first().unwrap_or(0));
            let seen = movies::look(one, &known.published, false, &loaded.folder);
            let seen = seen.map_err(RunError::disk(std::path::Path::new(&path)))?;
            if !chosen.is_empty() && seen.state() != FileOnDisk::Valid {
                return Ok(false);
            }
            continue;
        }
        // Most of a fresh job is missing from the start.
        let first = FrameSet::from_frames(chosen.first());
        for frames in [&first, chosen] {
            let seen = look(one, frames, known, provenance.fingerprint.as_deref(), false);
            let is_valid = |frame: i64, there: &FileOnDisk| {
                let record = known.published.get(&one.path(frame));
                let is_of_engine = record.is_some_and(|record| {
                    record.fingerprint().is_none() || *record.origin.engine == *provenance.engine
                });
                *there == FileOnDisk::Valid && is_of_engine
            };
            if !seen.iter().all(|(frame, there)| is_valid(*frame, there)) {
                return Ok(false);
            }
        }
    }
    Ok(true)
}
