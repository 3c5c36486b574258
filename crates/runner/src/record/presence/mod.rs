//! Which runs of a job are at work, on this machine and on others.
//!
//! A run shows that it is there by a file, `sessions/NUMBER`. On its own machine the system says
//! whether it lives, by a lock on that file; elsewhere a counter beside it goes on while it lives,
//! and others judge by their own clocks how long it has stood still. A run that is dead is fenced
//! off first: its file is renamed, and a run without its file publishes nothing more.

mod others;
mod own;
#[cfg(test)]
mod tests;

use serde::{Deserialize, Serialize};

pub use others::{Sessions, State};
pub(crate) use own::Presence;

use crate::record::ledger::FORMAT;
use crate::system::{boot, machine_name};

/// What a run says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PresenceRecord {
    /// The machine, for people.
    pub machine: String,
    /// The machine, for programs: no other has it, and it has another after it was started again.
    pub host: String,
    /// The number of its process there.
    pub process: u32,
    /// The job file's name.
    pub job: String,
    /// Tells its plan from every other.
    pub plan: String,
    /// How many processes it starts at once.
    pub jobs: Option<usize>,
    /// What it renders: each deliverable's path with its frames.
    #[serde(default)]
    pub wants: Vec<(String, String)>,
    /// The format of what it writes into the state folder.
    #[serde(default = "first_format")]
    pub format: u32,
}

fn first_format() -> u32 {
    1
}

/// What a run that begins says of itself.
pub(crate) fn card(
    job: &str,
    plan: String,
    jobs: Option<usize>,
    wants: Vec<(String, String)>,
) -> PresenceRecord {
    PresenceRecord {
        machine: machine(),
        host: host(),
        process: std::process::id(),
        job: job.to_owned(),
        plan,
        jobs,
        wants,
        format: FORMAT,
    }
}

/// The name of this machine: what `TRUEPATH_MACHINE` says, else the system's.
pub fn machine() -> String {
    let name = std::env::var("TRUEPATH_MACHINE").ok();
    name.filter(|name| !name.is_empty())
        .unwrap_or_else(machine_name)
}

/// A machine that was started again is another: its locks are gone.
pub(crate) fn host() -> String {
    if std::env::var_os("TRUEPATH_MACHINE").is_some() {
        return machine();
    }
    format!("{} {}", machine(), boot())
}
