//! A run: from a checked job to frames under their true names.
//!
//! [`run`] begins a session and makes the parts, which do not change any more once they are made:
//!
//! - `RunContext`: what the run works with: job, options, disk, session. Immutable.
//! - `Journal`: all that it says and writes down: events, report, ledger.
//! - `Board`: the chunks that are left, and who is at them. Threads take work from here; `ChunkQueue` says what is
//!   next, and how much of it.
//! - `Pace`: how many processes work at once, and how many frames and threads each is given.
//! - `Worker`: one thread. It takes a chunk, claims it, and starts an
//!   `EngineProcess` for what is missing of it; `chunk`, `try_again` and
//!   `probing` say what follows from the outcome.
//! - `Workshop`: what engines share: supervisor, staging folders, preparations.
//!
//! Beside the workers one thread watches (`watcher`): the interrupt, the clock, the disk, and
//! `OtherRuns`, of which the dead are recovered.
//! `ExistingFiles` is what is there when the run begins, and what the
//! policy says about it.

mod assembled;
mod assembling;
mod attempt;
mod attend;
mod board;
mod chunk;
mod chunk_queue;
mod clip;
mod collect;
mod context;
mod decision;
mod disproven;
mod engine_process;
mod engines;
mod error;
mod event;
mod existing_files;
mod find_split;
mod folders;
mod foresee;
mod frame_limit;
mod held;
mod hold;
mod idle;
mod journal;
mod layout;
mod line_watch;
mod log;
mod missing;
mod other_runs;
mod outcome;
mod pace;
mod permits;
mod pictures;
mod place;
mod policy;
mod prepare;
mod prepared;
mod probing;
mod prospects;
mod report;
mod running;
mod scenes;
mod see_through;
mod split_tests;
mod start;
#[cfg(test)]
mod tests;
mod times;
mod try_again;
mod unfinished;
mod unproven;
mod warnings;
mod watcher;
mod worker;
mod workshop;

pub use board::StopReason;
pub(crate) use engines::name_and_version;
pub use error::RunError;
pub use event::{Event, Observer};
pub use foresee::{Foreseen, foresee};
pub use pace::{Jobs, Machine};
pub(crate) use policy::FileAction;
pub use policy::{Existing, Policy};
pub(crate) use prepare::dead_after;
pub use report::{AbandonedFrames, Failure, Report};
pub use warnings::Warning;
pub(crate) use warnings::Warnings;

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::AtomicU8;

use truepath_core::deliverable::Expansion;

use context::RunContext;
use existing_files::ExistingFiles;
use journal::Journal;

use crate::Loaded;
use crate::clock::Moment;
use crate::disk::Disk;
use crate::record::ledger::{Line, Warned};
use crate::record::run_record::{self, RunRecord};
use crate::record::value_key::InputValues;
use crate::record::version_claims::VersionClaims;

/// How a run is done.
pub struct Options<'a> {
    /// This program, which is started again as supervisor.
    pub this_program: &'a Path,
    /// Set from outside to end the run: 1 to finish what is nearly done, 2 to stop at once.
    pub interrupt: &'a AtomicU8,
    /// Whether the whole job was chosen: then the run can become complete.
    pub whole: bool,
    /// The disk.
    pub disk: &'a dyn Disk,
    /// How many processes run at once.
    pub jobs: Jobs,
    /// What they may use.
    pub machine: Machine,
    /// When to stop.
    pub until: Option<Moment>,
    /// Asked often; why to stop, once there is a reason.
    pub stop_when: &'a (dyn Fn() -> Option<String> + Sync),
    /// What is done about files that are there.
    pub policy: Policy,
}

/// Renders what is missing of the chosen frames, and publishes it.
///
/// # Errors
/// When nothing can be done at all; frames that fail are in the report.
pub fn run(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &Options<'_>,
    watch: &mut (dyn Observer + Send),
) -> Result<Report, RunError> {
    let begun = Moment::now();
    loaded.agree_to_its_programs();
    // Kept by every call that goes on with this run.
    let state = loaded.state_folder();
    let before = run_record::latest(&state, &loaded.file).map_err(RunError::disk(state.path()))?;
    let existing = options.policy.existing.word();
    let write_record = |record: &RunRecord| {
        let written = run_record::write(options.disk, &state, &loaded.file, record);
        written.map_err(RunError::disk(state.path()))
    };
    let mut record = RunRecord::of_call(before.as_ref(), loaded.began.instant(), existing);
    let mut origins = prepare::origins(loaded, expansion, Some(&record.id()))?;
    if let Some(mut report) = idle::nothing_to_do(loaded, expansion, options, &origins, watch)? {
        report.took = begun.elapsed();
        // What other calls brought may have completed the job.
        if let Some(mut record) = before.filter(|before| options.whole && !before.complete) {
            record.complete = true;
            record.pass_ended = true;
            write_record(&record)?;
        }
        return Ok(report);
    }
    let inputs = std::mem::take(&mut origins.inputs);
    let (context, known) = prepare::begin(loaded, expansion, options, origins)?;
    let listener = Mutex::new(watch);
    let journal = Journal::new(&context, known, &listener);
    let mut versions = VersionClaims::new(options.disk, state.versions());
    let claim = || claim_versions(&context, &mut versions);
    let rendered = render(&context, &journal, inputs, claim, &|| write_record(&record));
    let (mut report, known) = journal.close();
    if report.brought_nothing() {
        let given_back = versions.give_back();
        given_back.map_err(RunError::disk(state.path()))?;
    }
    match rendered {
        Ok(halt) => report.halt = halt,
        // Nothing was begun, so nothing is left behind.
        Err(error @ (RunError::Refused { .. } | RunError::Claimed { .. })) => {
            let _ = context.session.end(&known);
            return Err(error);
        }
        // The session is not ended: the next run recovers what this one leaves.
        Err(error) => return Err(error),
    }
    report.took = begun.elapsed();
    if !report.leaves_behind {
        let ended = context.session.end(&known);
        ended.map_err(RunError::disk(state.path()))?;
    }
    if report.is_complete() {
        record.complete = options.whole;
        record.pass_ended = true;
        write_record(&record)?;
    }
    Ok(report)
}

/// Claims the version for the settings of a run that goes on to the next one that is free.
fn claim_versions(
    context: &RunContext<'_>,
    versions: &mut VersionClaims<'_>,
) -> Result<(), RunError> {
    if context.policy.existing != Existing::NextVersion {
        return Ok(());
    }
    let deliverables = context.expansion.deliverables.iter();
    for (one, provenance) in deliverables.zip(&context.provenance) {
        let Some(fingerprint) = &provenance.fingerprint else {
            continue;
        };
        let claimed = versions.claim(&one.pattern.sketch(), fingerprint);
        if !claimed.map_err(RunError::disk(context.state.path()))? {
            let first = one.common.frames.selected.first().unwrap_or(0);
            return Err(RunError::Claimed {
                first: one.path(first),
            });
        }
    }
    Ok(())
}

/// Renders all that is missing; gives why the run stopped before that, if it did.
fn render(
    context: &RunContext<'_>,
    journal: &Journal<'_>,
    inputs: BTreeMap<String, InputValues>,
    claim: impl FnOnce() -> Result<(), RunError>,
    begun: &dyn Fn() -> Result<(), RunError>,
) -> Result<Option<StopReason>, RunError> {
    let running = prepare::prepare(context, journal, inputs)?;
    claim()?;
    begun()?;
    running.render_and_watch();
    running.worker().let_go_of_places()?;
    let workshop = &running.workshop;
    workshop.remove_prepared(context);
    journal.remark_on_left_behind(&workshop.supervisor.engines.end_all_orphans());
    if let Some(error) = running.board.error() {
        return Err(error);
    }
    let halt = running.board.halted();
    if halt.is_none() {
        running.other_runs().wait_for_the_silent()?;
    }
    workshop.remove_staging_folders(context, journal)?;
    let files = ExistingFiles { context, journal };
    files.discard_finished()?;
    files.report_unproven();
    files.check_published();
    let warnings = journal.warnings().reported(&journal.known().warned);
    let lines: Vec<Line> = warnings
        .iter()
        .map(|one| {
            Line::Warned(Warned {
                kind: one.kind.clone(),
                count: one.count,
            })
        })
        .collect();
    journal.report().warnings = warnings;
    journal.report().suspicious = journal.judge_pictures();
    journal.note_all(&lines)?;
    Ok(halt)
}
