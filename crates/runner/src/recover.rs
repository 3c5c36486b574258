//! Picks up what a run that was killed left behind.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Expansion;
use truepath_core::frames::FrameSet;

use crate::disk::{Disk, hash_file, stamp};
use crate::harvest::{Field, HarvestError, When};
use crate::ledger::{How, Ledger, Line, Record, Writer};
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
    let mut recovered = Recovered::default();
    for (staged, frame, record) in &known.intents {
        let (from, to) = (Path::new(staged), Path::new(&record.path));
        let under_true_name = same(to, record)?;
        if under_true_name {
            if let Some(folder) = to.parent() {
                disk.sync_folder(folder)?;
            }
            ledger.write(&Line::Published {
                frame: *frame,
                how: How::Recovered,
                record: record.clone(),
            })?;
            recovered.records.push(record.clone());
        } else if stamp(to).is_ok_and(|there| there.is_none()) && same(from, record)? {
            match finish(
                disk,
                ledger,
                from,
                to,
                *frame,
                record.clone(),
                How::Recovered,
            ) {
                Ok(record) => recovered.records.push(record),
                Err(PublishError::Taken(_)) => {}
                Err(PublishError::Disk(error)) => return Err(error.into()),
            }
        }
    }
    for (folder, frames, members) in &known.staged {
        let staging = PathBuf::from(folder);
        if !staging.is_dir() {
            continue;
        }
        if staging::writers(&staging, None) {
            recovered.busy.push(folder.clone());
            continue;
        }
        harvest(
            disk,
            ledger,
            expansion,
            credits,
            staging,
            frames,
            members,
            &mut recovered,
        )?;
    }
    Ok(recovered)
}

#[allow(clippy::too_many_arguments)]
fn harvest(
    disk: &dyn Disk,
    ledger: &mut Writer,
    expansion: &Expansion,
    credits: &[Credits],
    staging: PathBuf,
    frames: &str,
    members: &[(String, String)],
    recovered: &mut Recovered,
) -> Result<(), HarvestError> {
    // Only what the same settings would make again is worth taking.
    let alike: Vec<_> = expansion
        .deliverables
        .iter()
        .enumerate()
        .filter(|(index, deliverable)| {
            members.iter().any(|(path, fingerprint)| {
                *path == deliverable.pattern.sketch()
                    && credits[*index].fingerprint.as_deref() == Some(fingerprint)
            })
        })
        .map(|(index, deliverable)| (index, deliverable, credits[index].clone()))
        .collect();
    let frames: FrameSet = frames.parse().unwrap_or_default();
    if let (Some((_, first, _)), false) = (alike.first(), frames.is_empty()) {
        let profile = std::sync::Arc::clone(&first.common.engine);
        let mut field = Field::new(staging, alike, frames, &profile);
        match field.harvest(disk, ledger, When::Ended) {
            Ok(found) => recovered
                .records
                .extend(found.into_iter().map(|(_, _, record)| record)),
            // Half a set of files that tell nothing is no reason to stop.
            Err(HarvestError::Learn(_)) => {}
            Err(error) => return Err(error),
        }
        recovered.aside.extend(field.clear(disk, "unfinished")?);
        return Ok(());
    }
    let folder = staging.parent().unwrap_or(Path::new("/"));
    for file in staging::leftovers(&staging)? {
        let name = format!("unfinished-{file}");
        recovered.aside.push(staging::set_aside(
            disk,
            &staging.join(&file),
            folder,
            &name,
        )?);
    }
    Ok(disk.remove_tree(&staging)?)
}

/// Whether a file is the one that a record tells of, byte for byte.
fn same(path: &Path, record: &Record) -> io::Result<bool> {
    match stamp(path) {
        Ok(Some(found)) if found.size == record.size => Ok(hash_file(path)? == record.hash),
        _ => Ok(false),
    }
}
