//! How far deliverables are, as the ledger tells; no file is looked at.

use std::io;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::overview::Progress;

use crate::Loaded;
use crate::ledger::Ledger;

/// What the ledger tells of every deliverable.
///
/// # Errors
/// When a ledger cannot be read.
pub fn progress(loaded: &Loaded, expansion: &Expansion) -> io::Result<Vec<Progress>> {
    let ledger = Ledger::read(&loaded.state_folder().join("ledger"))?;
    let of = |one: &Deliverable| {
        let files = ledger.published.of(one);
        Progress {
            done: files.len() as u64,
            bytes: files.iter().map(|(_, known)| known.stamp.size).sum(),
        }
    };
    Ok(expansion.deliverables.iter().map(of).collect())
}
