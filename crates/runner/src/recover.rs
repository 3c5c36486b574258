//! Picks up what a run that was killed left behind.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Expansion;
use truepath_core::frames::FrameSet;

use crate::disk::{Disk, hash_file, stamp};
use crate::harvest::{Field, HarvestError, When};
use crate::ledger::{How, Intent, Ledger, Line, Record, Staged, Writer};
use crate::outside::give_back;
use crate::publish::{Credits, PublishError, finish};
use crate::staging;

/// What was picked up.
#[derive(Debug, Default)]
pub(crate) struct Recovered {
    /// Files that have their true names now, with a ledger line.
    pub(crate) records: Vec<Record>,
    /// Files that could not be used and were set aside.
    pub(crate) aside: Vec<PathBuf>,
    /// Staging folders in which somebody still writes.
    pub(crate) busy: Vec<String>,
}

/// Finishes what stands between the steps of publishing, then harvests the staging folders of
/// the dead.
pub(crate) fn recover(
    disk: &dyn Disk,
    known: &Ledger,
    ledger: &mut Writer,
    expansion: &Expansion,
    credits: &[Credits],
) -> Result<Recovered, HarvestError> {
    let mut recovery = Recovery {
        disk,
        ledger,
        expansion,
        credits,
        recovered: Recovered::default(),
    };
    for intent in &known.intents {
        recovery.finish(intent)?;
    }
    for held in &known.held {
        give_back(disk, Path::new(&held.folder), Path::new(&held.hold))?;
    }
    for staged in &known.staged {
        recovery.clear(staged)?;
    }
    Ok(recovery.recovered)
}

struct Recovery<'a> {
    disk: &'a dyn Disk,
    ledger: &'a mut Writer,
    expansion: &'a Expansion,
    credits: &'a [Credits],
    recovered: Recovered,
}

impl Recovery<'_> {
    /// Takes the steps that are left of a file that was about to get its true name.
    fn finish(&mut self, intent: &Intent) -> Result<(), HarvestError> {
        let record = &intent.record;
        let to = Path::new(&record.path);
        if same(to, record)? {
            if let Some(folder) = to.parent() {
                self.disk.sync_folder(folder)?;
            }
            self.ledger.write(&Line::Published {
                frame: intent.frame,
                how: How::Recovered,
                record: record.clone(),
            })?;
            self.recovered.records.push(record.clone());
        } else if stamp(to).is_ok_and(|there| there.is_none())
            && same(Path::new(&intent.staged), record)?
        {
            match finish(self.disk, self.ledger, intent.clone(), How::Recovered) {
                Ok(record) => self.recovered.records.push(record),
                Err(PublishError::Taken(_)) => {}
                Err(PublishError::Disk(error)) => return Err(error.into()),
            }
        }
        Ok(())
    }

    /// Takes what is finished out of a staging folder, sets the rest aside, and removes it.
    fn clear(&mut self, staged: &Staged) -> Result<(), HarvestError> {
        let staging = PathBuf::from(&staged.folder);
        if !staging.is_dir() {
            return Ok(());
        }
        if staging::writers(&staging, None) {
            self.recovered.busy.push(staged.folder.clone());
            return Ok(());
        }
        // Only what the same settings would make again is worth taking.
        let alike: Vec<_> = self
            .expansion
            .deliverables
            .iter()
            .enumerate()
            .filter(|(index, deliverable)| {
                let fingerprint = self.credits[*index].fingerprint.as_ref();
                staged.members.iter().any(|member| {
                    member.path == deliverable.pattern.sketch()
                        && Some(&member.fingerprint) == fingerprint
                })
            })
            .map(|(index, deliverable)| (index, deliverable, self.credits[index].clone()))
            .collect();
        let frames: FrameSet = staged.frames.parse().unwrap_or_default();
        if let (Some((_, first, _)), false) = (alike.first(), frames.is_empty()) {
            let profile = std::sync::Arc::clone(&first.common.engine);
            let mut field = Field::new(staging.clone(), alike, frames, &profile);
            match field.harvest(self.disk, self.ledger, When::Ended) {
                Ok(found) => {
                    let records = found.into_iter().map(|(_, _, record)| record);
                    self.recovered.records.extend(records);
                }
                // Half a set of files that tell nothing is no reason to stop.
                Err(HarvestError::Learn(_)) => {}
                Err(error) => return Err(error),
            }
        }
        let aside = staging::clear(self.disk, &staging, "unfinished", &staged.given)?;
        self.recovered.aside.extend(aside);
        Ok(())
    }
}

/// Whether a file is the one that a record tells of, byte for byte.
fn same(path: &Path, record: &Record) -> io::Result<bool> {
    match stamp(path) {
        Ok(Some(found)) if found.size == record.size => Ok(hash_file(path)? == record.hash),
        _ => Ok(false),
    }
}
