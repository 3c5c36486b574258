//! What the ledger tells, sorted by folder: the cost of looking for deliverables grows with what is
//! there and not with what is wanted.

use std::collections::HashMap;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;

use super::{Known, Ledger};

/// The published files of each folder.
pub(crate) struct ByFolder<'l> {
    folders: HashMap<&'l str, Vec<(&'l str, &'l Known)>>,
}

impl<'l> ByFolder<'l> {
    /// Sorts what a ledger tells.
    pub(crate) fn of(ledger: &'l Ledger) -> Self {
        let mut folders: HashMap<&str, Vec<(&str, &Known)>> = HashMap::new();
        for (path, known) in &ledger.published {
            let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
            folders.entry(folder).or_default().push((path, known));
        }
        Self { folders }
    }

    /// What is told of the chosen files of a deliverable, each with its frame; a file that is made of
    /// several frames goes by the first of them.
    pub(crate) fn files(&self, one: &Deliverable) -> Vec<(Frame, &'l Known)> {
        let chosen = &one.common.chosen;
        let mut found = Vec::new();
        if self.folders.is_empty() {
            return found;
        }
        for folder in one.folders(chosen) {
            for (path, known) in self.folders.get(folder.as_str()).into_iter().flatten() {
                let frame = match one.pattern.read(path) {
                    Some(Some(frame)) => Some(frame).filter(|frame| chosen.contains(*frame)),
                    Some(None) => chosen.first(),
                    None => None,
                };
                found.extend(frame.map(|frame| (frame, *known)));
            }
        }
        found
    }
}
