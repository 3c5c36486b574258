//! A run: from a checked job to frames under their true names.

mod attend;
mod board;
mod chunk;
mod engines;
mod error;
mod event;
mod folders;
mod idle;
mod log;
mod missing;
mod movie;
mod outcome;
mod permits;
mod pick_up;
mod policy;
mod prepare;
mod prepared;
mod probing;
mod process;
mod prospects;
mod report;
mod scenes;
mod staging_folders;
mod start;
mod stock;
mod threads;
mod times;
mod try_again;
mod unfinished;
mod unproven;
mod warnings;
mod watch_over;
mod work;

pub use board::Halt;
pub(crate) use engines::name_and_version;
pub use error::RunError;
pub use event::{Event, Watch};
pub(crate) use policy::FileAction;
pub use policy::{Existing, Policy};
pub(crate) use prepare::dead_after;
pub use report::{Failure, GivenUp, Report};
pub use warnings::Warning;

use std::path::Path;
use std::sync::atomic::AtomicU8;

use truepath_core::deliverable::Expansion;

use crate::Loaded;
use crate::clock::Moment;
use crate::disk::Disk;
use crate::ledger::{Line, Warned};
use crate::when::{self, RunRecord};

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
    pub jobs: usize,
    /// When to stop.
    pub until: Option<Moment>,
    /// What is done about files that are there.
    pub policy: Policy,
}

/// Renders what is missing of the chosen frames, and publishes it.
///
/// # Errors
/// When nothing can be done at all; frames that fail are told in the report.
pub fn run(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &Options<'_>,
    watch: &mut (dyn Watch + Send),
) -> Result<Report, RunError> {
    let begun = Moment::now();
    // Kept by every call that goes on with this run.
    let state = loaded.state_folder();
    let before = when::latest(&state, &loaded.file).map_err(RunError::disk(&state))?;
    let existing = options.policy.existing.word();
    let mut record = RunRecord::of_call(before.as_ref(), loaded.began.instant(), existing);
    let made = prepare::credits(loaded, expansion, Some(&record.id()))?;
    if let Some(mut report) = idle::nothing_to_do(loaded, expansion, options, &made.credits, watch)?
    {
        report.took = begun.elapsed();
        // What other calls brought may have completed the job.
        if let Some(mut record) = before.filter(|before| options.whole && !before.complete) {
            record.complete = true;
            record.pass_ended = true;
            when::write(&state, &loaded.file, &record).map_err(RunError::disk(&state))?;
        }
        return Ok(report);
    }
    let work = prepare::prepare(loaded, expansion, options, made, watch)?;
    when::write(&state, &loaded.file, &record).map_err(RunError::disk(&state))?;
    work.render_and_watch();
    work.remove_prepared();
    work.remark_on_left_behind(&work.warden.engines.end_all_orphans());
    if let Some(error) = work.board.error() {
        // The session is not ended: the next run picks up what this one leaves.
        return Err(error);
    }
    if work.board.halted().is_none() {
        work.wait_for_the_silent()?;
    }
    work.remove_staging_folders()?;
    work.discard_finished()?;
    work.report_unproven();
    let halt = work.board.halted();
    let warnings = work.warnings().told(&work.known().warned);
    let (session, mut report, known) = work.dismantle();
    let told: Vec<Line> = warnings
        .iter()
        .map(|one| {
            Line::Warned(Warned {
                kind: one.kind.clone(),
                count: one.count,
            })
        })
        .collect();
    report.warnings = warnings;
    report.halt = halt;
    report.took = begun.elapsed();
    if !told.is_empty() {
        let written = session.publisher.ledger().note(&told);
        written.map_err(RunError::disk(&state))?;
    }
    session.end(&known).map_err(RunError::disk(&state))?;
    if report.is_complete() {
        record.complete = options.whole;
        record.pass_ended = true;
        when::write(&state, &loaded.file, &record).map_err(RunError::disk(&state))?;
    }
    Ok(report)
}
