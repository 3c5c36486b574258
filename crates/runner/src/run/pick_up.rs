//! Picks up what runs left that died: before this run begins, and while it is at work.

use std::sync::atomic::Ordering;
use std::time::Duration;

use super::work::Work;
use super::{Event, RunError};
use crate::claims::Asked;
use crate::clock::pause;
use crate::grounds::Grounds;
use crate::ledger::Line;
use crate::presence::State;
use crate::recover::{Recovered, Recovery};

/// How often it is looked at others that give no sign of life.
const TICK: Duration = Duration::from_millis(50);

impl Work<'_> {
    /// Other runs of this job that have not ended, and what they left is not picked up.
    fn open_runs(&self) -> Vec<u32> {
        self.known()
            .sessions
            .iter()
            .filter(|(number, told)| {
                // Runs of another job file know better what theirs left.
                let job = told.began.as_ref().map(|began| began.job.as_str());
                let own = job.is_none_or(|job| job == self.loaded.file);
                **number != self.session.number && !told.ended && own
            })
            .map(|(number, _)| *number)
            .collect()
    }

    /// At the end of a run: waits until it is known of every other run on another machine whether it
    /// lives, and picks up what the dead left.
    pub(super) fn wait_for_the_silent(&self) -> Result<(), RunError> {
        self.session.sessions.look_anew();
        let mut told = false;
        loop {
            self.refresh()?;
            let before = self.open_runs();
            self.pick_up_the_dead()?;
            let open = self.open_runs();
            let mut undecided = false;
            for number in &open {
                let silent = self.session.sessions.is_undecided(*number);
                undecided |= silent.map_err(RunError::disk(&self.state.folder))?;
            }
            // What one had in its hands that died over it is free once that one is picked up itself.
            let is_over = !undecided && open.len() == before.len();
            if is_over || self.options.interrupt.load(Ordering::Relaxed) > 0 {
                return Ok(());
            }
            if undecided && !told {
                told = true;
                self.tell(&Event::Remark(
                    "another run has not ended: waiting for a sign of its life, or to pick up what it left",
                ));
            }
            std::thread::sleep(pause(TICK));
        }
    }

    /// Picks up what every run left that is dead and that nobody picks up.
    pub(super) fn pick_up_the_dead(&self) -> Result<(), RunError> {
        for number in self.open_runs() {
            let state = self.session.sessions.state(number);
            // One without a sign of life may be about to begin: its ledger is read on.
            if state.map_err(RunError::disk(&self.state.folder))? == State::Dead {
                self.pick_up(number)?;
            }
        }
        Ok(())
    }

    /// Picks up what a dead run left, unless another run does it.
    fn pick_up(&self, number: u32) -> Result<(), RunError> {
        let folder = &self.state.folder;
        let refused = |error| RunError::disk(folder)(error);
        let session = &self.session;
        let name = format!("picking-up-{number:04}");
        let gone = |one: u32| session.is_gone(one);
        let Asked::Ours(claim) = session.claims.ask(&name, false, &gone).map_err(refused)? else {
            return Ok(());
        };
        let elsewhere = session.sessions.is_elsewhere(number).map_err(refused)?;
        session.sessions.fence(number).map_err(refused)?;
        // Another may have been here before.
        if session.sessions.state(number).map_err(refused)? == State::Dead {
            self.refresh()?;
            let told = {
                let known = self.known();
                let mut told = known.sessions.get(&number).cloned().unwrap_or_default();
                // One that picked it up before, and died over it, may have told some already.
                told.intents
                    .retain(|intent| !known.tells_of(&intent.record));
                told
            };
            let mut recovery = Recovery {
                disk: self.disk,
                state: &self.state.folder,
                session,
                expansion: self.expansion,
                credits: &self.credits,
                grounds: self.grounds(),
                processes: &self.processes,
                recovered: Recovered::default(),
            };
            recovery.pick_up(&told, elsewhere)?;
            let recovered = recovery.recovered;
            let is_busy = !recovered.busy.is_empty();
            self.tell_recovered(recovered);
            if !is_busy {
                self.note(Line::Buried { session: number })?;
                if let Some(told) = self.known().sessions.get_mut(&number) {
                    told.ended = true;
                }
                session.forget(number).map_err(refused)?;
            }
        }
        session.claims.close(&claim).map_err(refused)
    }

    /// What this run may move or remove because a ledger says so.
    pub(super) fn grounds(&self) -> Grounds<'_> {
        Grounds {
            job: &self.loaded.folder,
            mark: &self.session.mark,
            expansion: self.expansion,
        }
    }

    fn tell_recovered(&self, recovered: Recovered) {
        for folder in &recovered.busy {
            let remark = format!("somebody still writes in {folder}, which an earlier run left");
            self.tell(&Event::Remark(&remark));
        }
        for path in &recovered.strange {
            let remark = format!(
                "the ledger of an earlier run names {path}, and nothing shows that a run of this job made it: it stays as it is"
            );
            self.tell(&Event::Remark(&remark));
        }
        for to in &recovered.aside {
            self.tell(&Event::Aside {
                what: "what an earlier run left or replaced",
                to,
            });
        }
        self.report().recovered += recovered.records.len() as u64;
        let mut known = self.known();
        for one in recovered.unproven {
            known.unproven.insert(one.aside.clone(), one);
        }
        for record in recovered.records {
            known.publish(&record);
        }
    }
}
