//! Recovers what runs left that died: before this run begins, and while it is at work.

use std::collections::BTreeSet;
use std::sync::atomic::Ordering;
use std::time::Duration;

use super::context::RunContext;
use super::journal::Journal;
use super::{Event, RunError};
use crate::clock::pause;
use crate::crash::point;
use crate::make::recover::{Recovered, Recovery};
use crate::record::claims::ClaimResult;
use crate::record::ledger::Line;
use crate::record::presence::State;

/// How often it is looked at others that give no sign of life.
const TICK: Duration = Duration::from_millis(50);

/// The other runs of a job, and what those left that died.
#[derive(Clone, Copy)]
pub(super) struct OtherRuns<'r> {
    pub(super) context: &'r RunContext<'r>,
    pub(super) journal: &'r Journal<'r>,
}

impl OtherRuns<'_> {
    /// Other runs of this job that have not ended, and what they left is not recovered.
    fn open_runs(&self) -> Vec<u32> {
        self.journal
            .known()
            .sessions
            .iter()
            .filter(|(number, record)| {
                // Runs of another job file know better what theirs left.
                let job = record.began.as_ref().map(|began| began.job.as_str());
                let own = job.is_none_or(|job| job == self.context.loaded.file);
                **number != self.context.session.number && !record.ended && own
            })
            .map(|(number, _)| *number)
            .collect()
    }

    /// At the end of a run: waits until it is known of every other run on another machine whether it
    /// lives, and recovers what the dead left.
    pub(super) fn wait_for_the_silent(&self) -> Result<(), RunError> {
        self.context.session.sessions.look_anew();
        let mut is_reported = false;
        loop {
            self.journal.refresh()?;
            let before = self.open_runs();
            self.recover_dead_runs()?;
            let open = self.open_runs();
            let mut undecided = false;
            for number in &open {
                let silent = self.context.session.sessions.is_undecided(*number);
                undecided |= silent.map_err(RunError::disk(self.context.state.path()))?;
            }
            // What one had in its hands that died over it is free once that one is recovered itself.
            let is_over = !undecided && open.len() == before.len();
            if is_over || self.context.options.interrupt.load(Ordering::Relaxed) > 0 {
                return Ok(());
            }
            if undecided && !is_reported {
                is_reported = true;
                self.journal.remark("another run has not ended: waiting for a sign of its life, or to recover what it left");
            }
            std::thread::sleep(pause(TICK));
        }
    }

    /// Recovers what every run left that is dead and that nobody recovers.
    pub(super) fn recover_dead_runs(&self) -> Result<(), RunError> {
        let over: BTreeSet<u32> = {
            let known = self.journal.known();
            let over = known.sessions.iter().filter(|(_, record)| record.ended);
            over.map(|(number, _)| *number).collect()
        };
        let forgotten = self
            .context
            .session
            .forget_those_over(&|number| over.contains(&number));
        forgotten.map_err(RunError::disk(self.context.state.path()))?;
        for number in self.open_runs() {
            let state = self.context.session.sessions.state(number);
            // One without a sign of life may be about to begin: its ledger is read on.
            if state.map_err(RunError::disk(self.context.state.path()))? == State::Dead {
                self.recover(number)?;
            }
        }
        Ok(())
    }

    /// Recovers what a dead run left, unless another run does it.
    fn recover(&self, number: u32) -> Result<(), RunError> {
        let folder = self.context.state.path();
        let refused = |error| RunError::disk(folder)(error);
        let session = &self.context.session;
        let name = format!("recovering-{number:04}");
        let gone = |one: u32| session.is_gone(one);
        let ClaimResult::Ours(claim) = session.claims.ask(&name, false, &gone).map_err(refused)?
        else {
            return Ok(());
        };
        let elsewhere = session.sessions.is_elsewhere(number).map_err(refused)?;
        session
            .sessions
            .fence(self.context.disk, number)
            .map_err(refused)?;
        // Another may have been here before.
        if session.sessions.state(number).map_err(refused)? == State::Dead {
            self.journal.refresh()?;
            let record = {
                let known = self.journal.known();
                let mut record = known.sessions.get(&number).cloned().unwrap_or_default();
                // One that picked it up before, and died over it, may have reported some already.
                record
                    .intents
                    .retain(|intent| !known.has_recorded(&intent.record));
                record
            };
            let published = self.journal.known().published.clone();
            let mut recovery = Recovery {
                published: &published,
                disk: self.context.disk,
                state: &self.context.state,
                session,
                expansion: self.context.expansion,
                provenance: &self.context.provenance,
                job_folders: self.context.job_folders(),
                recovered: Recovered::default(),
            };
            recovery.recover(&record, elsewhere)?;
            let recovered = recovery.recovered;
            let is_busy = !recovered.busy.is_empty();
            self.report_recovered(recovered);
            if !is_busy {
                self.journal.note(Line::Recovered { session: number })?;
                point("recovered");
                if let Some(record) = self.journal.known().sessions.get_mut(&number) {
                    record.ended = true;
                }
                session.forget(number).map_err(refused)?;
            }
        }
        session.claims.close(&claim).map_err(refused)
    }

    fn report_recovered(&self, recovered: Recovered) {
        for folder in &recovered.busy {
            let remark = format!("somebody still writes in {folder}, which an earlier run left");
            self.journal.remark(&remark);
        }
        for path in &recovered.strange {
            let remark = format!(
                "the ledger of an earlier run names {path}, and nothing shows that a run of this job made it: it stays as it is"
            );
            self.journal.remark(&remark);
        }
        for to in &recovered.aside {
            self.journal.event(&Event::Aside {
                what: "what an earlier run left or replaced",
                to,
            });
        }
        self.journal.report().recovered += recovered.records.len() as u64;
        let mut known = self.journal.known();
        for one in recovered.unproven {
            known.unproven.insert(one.aside.clone(), one);
        }
        for record in recovered.records {
            known.publish(&record);
        }
    }
}
