//! What a process needs to itself, over all machines: licences, and folders of engines that write where
//! the scene says.

use sha2::{Digest, Sha256};
use truepath_core::command::Invocation;
use truepath_core::hex::hex;
use truepath_core::plan::PlannedProcess;

use super::RunError;
use super::engine_process::of_profile;
use super::worker::Worker;
use crate::record::claims::{Claim, ClaimResult};

impl Worker<'_> {
    /// All that a process needs to itself, over all machines; none where something is in use.
    pub(super) fn permits(&self, planned: &PlannedProcess) -> Result<Option<Vec<Claim>>, RunError> {
        let mut held = Vec::new();
        for names in self.needed_alone(planned)? {
            let mut free = None;
            for name in names {
                if let ClaimResult::Ours(claim) = self.ask(&name, true)? {
                    free = Some(claim);
                    break;
                }
            }
            let Some(claim) = free else {
                self.give_up(held)?;
                return Ok(None);
            };
            held.push(claim);
        }
        Ok(Some(held))
    }

    pub(super) fn give_up(&self, held: Vec<Claim>) -> Result<(), RunError> {
        for claim in held {
            let closed = self.context.session.claims.close(&claim);
            closed.map_err(RunError::disk(self.context.state.path()))?;
        }
        Ok(())
    }

    /// What a process needs to itself, each by the names of which one must be free: the folder of an
    /// engine that writes where the scene says, since nobody could say whose a file there is; one of
    /// the licences of an engine.
    fn needed_alone(&self, planned: &PlannedProcess) -> Result<Vec<Vec<String>>, RunError> {
        let members = planned.members(&self.context.expansion.deliverables);
        let profile = &members.first().common.engine;
        let invocation = Invocation::planned(profile, &members, &planned.frames);
        let writes = invocation.writes().map_err(of_profile(profile))?;
        let folder = writes.map(|writes| {
            let folder = writes.split().0.path(0);
            vec![format!("folder-{}", hex(&Sha256::digest(folder)[..6]))]
        });
        let licence = profile.max_processes.map(|max_processes| {
            let name = |place| format!("licence-{}-{place}", profile.name);
            (1..=max_processes).map(name).collect()
        });
        Ok(folder.into_iter().chain(licence).collect())
    }

    pub(super) fn ask(&self, name: &str, again: bool) -> Result<ClaimResult, RunError> {
        let gone = |session: u32| self.context.session.is_gone(session);
        let asked = self.context.session.claims.ask(name, again, &gone);
        asked.map_err(RunError::disk(self.context.state.path()))
    }
}
