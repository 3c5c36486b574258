//! How far deliverables are, by the same look at their files as in a status.

use std::io;

use truepath_core::deliverable::Expansion;
use truepath_core::overview::FilesDone;

use crate::Loaded;
use crate::follow::status::Follower;

/// What is there of every deliverable: valid files and their bytes.
///
/// # Errors
/// When a ledger cannot be read.
pub fn progress(loaded: &Loaded, expansion: &Expansion) -> io::Result<Vec<FilesDone>> {
    let mut follower = Follower::new(loaded, expansion);
    let status = follower.look()?;
    let rows = status.rows.iter();
    Ok(rows
        .map(|row| FilesDone {
            done: row.states.done.count(),
            bytes: row.bytes,
        })
        .collect())
}
