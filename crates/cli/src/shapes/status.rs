//! What `truepath status --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::deliverable::Deliverable;
use truepath_core::job::PlacedText;
use truepath_runner::follow::status::{Row, Status};

use super::VERSION;

/// How far the runs of a job are
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StatusShape {
    /// The version of this shape
    pub(crate) version: u32,
    /// Whether all wanted files are valid, and any is wanted
    pub(crate) complete: bool,
    /// Files that are wanted
    pub(crate) wanted: u64,
    /// Files of those that are valid, by size and time
    pub(crate) done: u64,
    /// Files per second of all runs at work, lately
    pub(crate) rate: Option<f64>,
    /// Seconds until all is there, by what the frames took before, else at that pace
    pub(crate) left: Option<f64>,
    /// In the order in which they are made
    pub(crate) deliverables: Vec<RowShape>,
    /// Processes at work
    pub(crate) running: Vec<RunningShape>,
    /// Runs at work
    pub(crate) machines: Vec<MachineShape>,
    /// Runs that died and are not yet recovered, by their numbers
    pub(crate) dead: Vec<u32>,
}

impl StatusShape {
    /// The status of a job, by the deliverables of which it is.
    pub(crate) fn of(deliverables: &[Deliverable], status: &Status) -> Self {
        let (wanted, done) = status.files();
        let row = |(one, row): (&Deliverable, &Row)| RowShape {
            shot: one.common.names.shot.clone(),
            pass: PlacedText::text_of(one.pass.as_ref()).map(str::to_owned),
            deliverable: one.label(),
            wanted: row.states.wanted.to_string(),
            done: row.states.done.to_string(),
            running: row.states.running.to_string(),
            stale: row.states.stale.to_string(),
            changed: row.states.changed.to_string(),
            unverifiable: row.states.unverifiable.to_string(),
            broken: row
                .broken
                .iter()
                .map(|(reason, frames)| Broken {
                    frames: frames.to_string(),
                    reason: reason.clone(),
                })
                .collect(),
            not_looked_into: row.not_looked_into.to_string(),
            failed: row
                .failed
                .iter()
                .map(|failed| FailureShape {
                    frames: failed.frames.clone(),
                    reason: failed.reason.clone(),
                    log: failed.log.clone(),
                })
                .collect(),
            split: one.split_words(),
            bytes: row.bytes,
        };
        StatusShape {
            version: VERSION,
            complete: status.is_complete(),
            wanted,
            done,
            rate: status.rate(),
            left: status.left(),
            deliverables: deliverables.iter().zip(&status.rows).map(row).collect(),
            running: status
                .running
                .iter()
                .map(|one| RunningShape {
                    machine: one.machine.clone(),
                    deliverable: one.label.clone(),
                    frames: one.frames.to_string(),
                    since: one.since.clone(),
                    log: one.log.clone(),
                    frame: one.frame,
                    percent: one.progress.percent,
                    samples: one.progress.samples.map(|samples| samples.done),
                    samples_wanted: one.progress.samples.and_then(|samples| samples.wanted),
                    left: one.progress.left,
                })
                .collect(),
            machines: status
                .machines
                .iter()
                .map(|one| MachineShape {
                    session: one.session,
                    machine: one.machine.clone(),
                    jobs: one.jobs,
                    waits: one.waits.clone(),
                    brought: one.brought,
                    rate: one.rate,
                })
                .collect(),
            dead: status.dead.clone(),
        }
    }
}

/// A sequence, a still or a movie
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RowShape {
    pub(crate) shot: String,
    pub(crate) pass: Option<String>,
    pub(crate) deliverable: String,
    pub(crate) wanted: String,
    pub(crate) done: String,
    pub(crate) running: String,
    /// Frames that are there, but of other settings than those of today.
    pub(crate) stale: String,
    /// Frames that are not the files that were published
    pub(crate) changed: String,
    /// Frames that this program cannot decode
    pub(crate) unverifiable: String,
    /// Frames that are no whole picture of the right kind
    pub(crate) broken: Vec<Broken>,
    /// Frames whose files the ledger does not know and that were not opened
    pub(crate) not_looked_into: String,
    pub(crate) failed: Vec<FailureShape>,
    /// What is known of whether its clip may be split over several processes; none where there is nothing to say
    pub(crate) split: Option<String>,
    /// Bytes of the files that are there
    pub(crate) bytes: u64,
}

/// Frames that are broken
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Broken {
    pub(crate) frames: String,
    pub(crate) reason: String,
}

/// Frames that failed
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FailureShape {
    pub(crate) frames: String,
    pub(crate) reason: String,
    pub(crate) log: Option<String>,
}

/// A process at work
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RunningShape {
    pub(crate) machine: String,
    pub(crate) deliverable: String,
    pub(crate) frames: String,
    /// When it began, by the clock of its machine
    pub(crate) since: String,
    pub(crate) log: String,
    /// The frame that it is at, where its log can be read here
    pub(crate) frame: Option<i64>,
    /// How much of that frame is done, from 0 to 100, where the engine reports it
    pub(crate) percent: Option<f64>,
    /// Samples of each pixel so far, where the engine reports them
    pub(crate) samples: Option<u64>,
    /// Samples of each pixel that are wanted
    pub(crate) samples_wanted: Option<u64>,
    /// Seconds that are left of that frame, by the engine
    pub(crate) left: Option<f64>,
}

/// A run at work
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MachineShape {
    pub(crate) session: u32,
    pub(crate) machine: String,
    pub(crate) jobs: usize,
    /// What it waits for, where it has started nothing since it said so
    pub(crate) waits: Option<String>,
    /// Files that it brought
    pub(crate) brought: u64,
    /// Files per second, lately
    pub(crate) rate: Option<f64>,
}
