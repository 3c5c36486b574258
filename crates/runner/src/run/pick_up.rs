//! Picks up what runs left that died: before this run begins, and while it is at work.

use super::work::Work;
use super::{Event, RunError};
use crate::claims::Asked;
use crate::ledger::Line;
use crate::presence::State;
use crate::recover::{Recovered, Recovery};

impl Work<'_> {
    /// Picks up what every run left that is dead and that nobody picks up.
    pub(super) fn pick_up_the_dead(&self) -> Result<(), RunError> {
        let open: Vec<u32> = self
            .known()
            .sessions
            .iter()
            .filter(|(number, told)| {
                // Runs of another job file know better what theirs left.
                let job = told.began.as_ref().map(|began| began.job.as_str());
                let own = job.is_none_or(|job| job == self.loaded.file);
                **number != self.session.number && !told.ended && own
            })
            .map(|(number, _)| *number)
            .collect();
        for number in open {
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
                session,
                expansion: self.expansion,
                credits: &self.credits,
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

    fn tell_recovered(&self, recovered: Recovered) {
        for folder in &recovered.busy {
            let remark = format!("somebody still writes in {folder}, which an earlier run left");
            self.tell(&Event::Remark(&remark));
        }
        for to in &recovered.aside {
            self.tell(&Event::Aside {
                what: "an unfinished file of an earlier run",
                to,
            });
        }
        self.report().recovered += recovered.records.len() as u64;
        let mut known = self.known();
        for record in recovered.records {
            known.publish(&record);
        }
    }
}
