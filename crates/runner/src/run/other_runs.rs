//! Picks up what runs left that died: before this run begins, and while it is at work.

use std::sync::atomic::Ordering;
use std::time::Duration;

use super::context::RunContext;
use super::journal::Journal;
use super::{Event, RunError};
use crate::claims::Asked;
use crate::clock::pause;
use crate::ledger::Line;
use crate::presence::State;
use crate::recover::{Recovered, Recovery};

/// How often it is looked at others that give no sign of life.
const TICK: Duration = Duration::from_millis(50);

/// The other runs of a job, and what those left that died.
#[derive(Clone, Copy)]
pub(super) struct OtherRuns<'r> {
    pub(super) context: &'r RunContext<'r>,
    pub(super) journal: &'r Journal<'r>,
}

impl OtherRuns<'_> {
    /// Other runs of this job that have not ended, and what they left is not picked up.
    fn open_runs(&self) -> Vec<u32> {
        self.journal
            .known()
            .sessions
            .iter()
            .filter(|(number, told)| {
                // Runs of another job file know better what theirs left.
                let job = told.began.as_ref().map(|began| began.job.as_str());
                let own = job.is_none_or(|job| job == self.context.loaded.file);
                **number != self.context.session.number && !told.ended && own
            })
            .map(|(number, _)| *number)
            .collect()
    }

    /// At the end of a run: waits until it is known of every other run on another machine whether it
    /// lives, and picks up what the dead left.
    pub(super) fn wait_for_the_silent(&self) -> Result<(), RunError> {
        self.context.session.sessions.look_anew();
        let mut told = false;
        loop {
            self.journal.refresh()?;
            let before = self.open_runs();
            self.pick_up_the_dead()?;
            let open = self.open_runs();
            let mut undecided = false;
            for number in &open {
                let silent = self.context.session.sessions.is_undecided(*number);
                undecided |= silent.map_err(RunError::disk(self.context.state.path()))?;
            }
            // What one had in its hands that died over it is free once that one is picked up itself.
            let is_over = !undecided && open.len() == before.len();
            if is_over || self.context.options.interrupt.load(Ordering::Relaxed) > 0 {
                return Ok(());
            }
            if undecided && !told {
                told = true;
                self.journal.remark("another run has not ended: waiting for a sign of its life, or to pick up what it left");
            }
            std::thread::sleep(pause(TICK));
        }
    }

    /// Picks up what every run left that is dead and that nobody picks up.
    pub(super) fn pick_up_the_dead(&self) -> Result<(), RunError> {
        for number in self.open_runs() {
            let state = self.context.session.sessions.state(number);
            // One without a sign of life may be about to begin: its ledger is read on.
            if state.map_err(RunError::disk(self.context.state.path()))? == State::Dead {
                self.pick_up(number)?;
            }
        }
        Ok(())
    }

    /// Picks up what a dead run left, unless another run does it.
    fn pick_up(&self, number: u32) -> Result<(), RunError> {
        let folder = self.context.state.path();
        let refused = |error| RunError::disk(folder)(error);
        let session = &self.context.session;
        let name = format!("picking-up-{number:04}");
        let gone = |one: u32| session.is_gone(one);
        let Asked::Ours(claim) = session.claims.ask(&name, false, &gone).map_err(refused)? else {
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
            let told = {
                let known = self.journal.known();
                let mut told = known.sessions.get(&number).cloned().unwrap_or_default();
                // One that picked it up before, and died over it, may have told some already.
                told.intents
                    .retain(|intent| !known.tells_of(&intent.record));
                told
            };
            let mut recovery = Recovery {
                disk: self.context.disk,
                state: &self.context.state,
                session,
                expansion: self.context.expansion,
                credits: &self.context.credits,
                grounds: self.context.grounds(),
                recovered: Recovered::default(),
            };
            recovery.pick_up(&told, elsewhere)?;
            let recovered = recovery.recovered;
            let is_busy = !recovered.busy.is_empty();
            self.report_recovered(recovered);
            if !is_busy {
                self.journal.note(Line::Buried { session: number })?;
                if let Some(told) = self.journal.known().sessions.get_mut(&number) {
                    told.ended = true;
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
