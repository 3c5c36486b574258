//! How far deliverables are, as the ledger tells; no file is looked at.

use std::collections::HashMap;
use std::io;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::overview::Progress;

use crate::Loaded;
use crate::ledger::Ledger;
use crate::run::state_folder;

/// What the ledger tells of every deliverable.
///
/// # Errors
/// When a ledger cannot be read.
pub fn progress(loaded: &Loaded, expansion: &Expansion) -> io::Result<Vec<Progress>> {
    let ledger = Ledger::read(&state_folder(loaded).join("ledger"))?;
    // By folder, so that the cost grows with what is there and not with what is wanted.
    let mut folders: HashMap<&str, Vec<(&str, u64)>> = HashMap::new();
    for (path, known) in &ledger.published {
        let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
        folders
            .entry(folder)
            .or_default()
            .push((path, known.stamp.size));
    }
    Ok(expansion
        .deliverables
        .iter()
        .map(|deliverable| of(deliverable, &folders))
        .collect())
}

fn of(deliverable: &Deliverable, folders: &HashMap<&str, Vec<(&str, u64)>>) -> Progress {
    let mut progress = Progress::default();
    if folders.is_empty() {
        return progress;
    }
    let chosen = &deliverable.common.chosen;
    for folder in deliverable.folders(chosen) {
        for (path, size) in folders.get(folder.as_str()).into_iter().flatten() {
            let frame = deliverable.pattern.read(path);
            if frame.is_some_and(|frame| frame.is_none_or(|frame| chosen.contains(frame))) {
                progress.done += 1;
                progress.bytes += size;
            }
        }
    }
    progress
}
