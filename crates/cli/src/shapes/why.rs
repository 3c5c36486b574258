//! What `truepath why --format json` prints.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::deliverable::Deliverable;
use truepath_runner::follow::why::FileFacts;
use truepath_runner::record::ledger::{FileEntry, FileOrigin};

use super::VERSION;

/// Why a file is what it is
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct WhyShape {
    /// The version of this shape
    version: u32,
    path: String,
    /// The deliverable that it belongs to
    deliverable: String,
    /// Its frame
    frame: i64,
    /// `missing`, `valid`, `stale`, `changed`, `broken`, `unverifiable` or `foreign`
    state: &'static str,
    /// What is known of whether its clip may be split over several processes; none where there is nothing to say
    split: Option<String>,
    /// Why it has that state, as sentences
    reasons: Vec<String>,
    /// The files that it is made from, without rendering
    taken_from: Vec<String>,
    /// Each time that it got its name, the oldest first
    history: Vec<HistoryShape>,
    /// What made the picture, by name and value
    made_of: BTreeMap<String, String>,
    /// The log of its process
    log: Option<String>,
    /// The command line of its process
    command: Option<String>,
    /// What the engine warned of
    warnings: Vec<String>,
}

/// A file that got its name
#[derive(Debug, Serialize, JsonSchema)]
struct HistoryShape {
    /// `rendered`, `recovered`, `adopted` or `accepted`
    how: &'static str,
    /// The number of the run
    run: u32,
    /// When, as RFC 3339
    time: String,
    machine: String,
    engine: String,
    bytes: u64,
    /// Its hash, as the ledger has it
    hash: String,
    /// The program that proved a movie
    proven_by: Option<String>,
}

impl WhyShape {
    pub(crate) fn of(path: &str, one: &Deliverable, facts: &FileFacts) -> Self {
        let log = facts.log.as_ref();
        Self {
            version: VERSION,
            path: path.to_owned(),
            deliverable: one.label(),
            frame: facts.frame,
            state: facts.verdict.state.word(),
            split: one.split_words(),
            reasons: facts.verdict.reasons.clone(),
            taken_from: facts.sources.clone(),
            history: facts.history.iter().map(HistoryShape::of).collect(),
            made_of: facts.inputs.iter().cloned().collect(),
            log: log.map(|log| log.path.display().to_string()),
            command: log.and_then(|log| log.command.clone()),
            warnings: log
                .map(|log| log.warnings.iter().map(|(_, text)| text.clone()).collect())
                .unwrap_or_default(),
        }
    }
}

impl HistoryShape {
    fn of(entry: &FileEntry) -> Self {
        let record = &entry.record;
        Self {
            how: match entry.how {
                FileOrigin::Rendered => "rendered",
                FileOrigin::Recovered => "recovered",
                FileOrigin::Adopted => "adopted",
                FileOrigin::Accepted => "accepted",
            },
            run: entry.session,
            time: record.time.clone(),
            machine: record.machine.clone(),
            engine: record.engine.clone(),
            bytes: record.size,
            hash: record.hash.clone(),
            proven_by: record.proven_by.clone(),
        }
    }
}
