//! The files on disk compared with the job: missing, broken, stale, foreign.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::PathBuf;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::frames::{Frame, FrameSet};

use crate::Loaded;
use crate::fingerprint::Fingerprints;
use crate::inventory::{ByReason, FileOnDisk, look_closely};
use crate::ledger::Ledger;
use crate::movies;
use crate::staging::ASIDE;
use crate::stale::{WhyStale, why_stale};

/// What an audit found of one deliverable.
#[derive(Debug, Clone, Default)]
pub struct DeliverableAudit {
    /// Files that are wanted.
    pub wanted: u64,
    /// Whole pictures of the right kind.
    pub valid: u64,
    /// Nothing there.
    pub missing: FrameSet,
    /// No whole picture, or another than was asked for: reason and frames.
    pub broken: Vec<(String, FrameSet)>,
    /// Whole pictures that are not those that were published: what differs, and frames.
    pub changed: Vec<(String, FrameSet)>,
    /// Pictures that this program cannot decode: reason and frames.
    pub unverifiable: Vec<(String, FrameSet)>,
    /// What there is besides in files that are as they should be, such as further layers: note and
    /// frames.
    pub notes: Vec<(String, FrameSet)>,
    /// Whole pictures that other settings made.
    pub stale: FrameSet,
    /// Why those are stale.
    pub why_stale: Vec<WhyStale>,
    /// Files with the name of this deliverable and a frame that is not wanted.
    pub foreign: FrameSet,
}

/// What an audit found.
#[derive(Debug, Clone, Default)]
pub struct Audit {
    /// One account for each deliverable, in their order.
    pub accounts: Vec<DeliverableAudit>,
    /// Lines of ledgers that are not sound and are ignored: the ledger, and the line from 1.
    pub unsound: Vec<(String, u64)>,
    /// What is wrong with the ledgers, as sentences.
    pub remarks: Vec<String>,
    /// Files in the folders of frames that belong to no deliverable, as sequences: folder, name
    /// with `#` for the digits of the frame, frames; or a single name without frames.
    pub strangers: Vec<(PathBuf, String, FrameSet)>,
}

impl Audit {
    /// Whether all is there and nothing is wrong; foreign files are reported but harm nothing.
    #[must_use]
    pub fn is_clean(&self) -> bool {
        self.accounts.iter().all(|account| {
            account.missing.is_empty()
                && account.broken.is_empty()
                && account.changed.is_empty()
                && account.unverifiable.is_empty()
                && account.stale.is_empty()
        })
    }
}

/// Audits the chosen deliverables. `all` is the whole job without selection: what belongs to any
/// part of it is not foreign.
///
/// # Errors
/// When the state or a folder cannot be read.
pub fn audit(loaded: &Loaded, chosen: &Expansion, all: &Expansion) -> io::Result<Audit> {
    let ledger = Ledger::read(&loaded.state_folder().ledgers())?;
    let mut fingerprints = Fingerprints::new(loaded);
    let mut audit = Audit::default();
    for deliverable in &chosen.deliverables {
        let frames = &deliverable.common.frames.selected;
        // Without its scene nobody knows what should have made the pictures.
        let fingerprint = fingerprints.of(deliverable).ok();
        let mut account = DeliverableAudit {
            wanted: frames.count(),
            ..DeliverableAudit::default()
        };
        let mut missing = Vec::new();
        let mut stale = Vec::new();
        let (mut changed, mut broken, mut unverifiable, mut notes) = (
            ByReason::default(),
            ByReason::default(),
            ByReason::default(),
            ByReason::default(),
        );
        let found = if deliverable.is_assembled() {
            let seen = movies::look(deliverable, &ledger, true, &loaded.folder)?;
            let state = seen.state();
            frames
                .first()
                .map(|frame| (frame, state, Vec::new()))
                .into_iter()
                .collect()
        } else {
            look_closely(deliverable, frames, &ledger, fingerprint.as_deref(), true)
        };
        for (frame, there, besides) in found {
            for note in besides {
                notes.add(note, frame);
            }
            match there {
                FileOnDisk::Valid | FileOnDisk::Touched | FileOnDisk::Unrecorded => {
                    account.valid += 1
                }
                FileOnDisk::Changed(difference) => changed.add(difference, frame),
                FileOnDisk::Unverifiable(reason) => unverifiable.add(reason, frame),
                FileOnDisk::Missing => missing.push(frame),
                FileOnDisk::Stale => stale.push(frame),
                FileOnDisk::Broken(reason) => broken.add(reason, frame),
            }
        }
        account.missing = FrameSet::from_frames(missing);
        account.stale = FrameSet::from_frames(stale);
        if !account.stale.is_empty() && !deliverable.is_assembled() {
            let today = fingerprints.inputs(deliverable);
            account.why_stale = why_stale(deliverable, &account.stale, &ledger, &today);
        }
        account.changed = changed.frames();
        account.notes = notes.frames();
        account.unverifiable = unverifiable.frames();
        account.broken = broken.frames();
        audit.accounts.push(account);
    }
    foreign(&mut audit, chosen, all)?;
    audit.unsound = ledger.unsound();
    audit.remarks = ledger.remarks();
    Ok(audit)
}

/// Looks through the folders of the chosen deliverables for files that nobody wants.
fn foreign(audit: &mut Audit, chosen: &Expansion, all: &Expansion) -> io::Result<()> {
    let neighbours = by_folder(all);
    let owners = by_folder(chosen);
    let mut frames: Vec<Vec<Frame>> = vec![Vec::new(); chosen.deliverables.len()];
    let mut others: BTreeMap<(PathBuf, String), Vec<Frame>> = BTreeMap::new();
    for (folder, owners) in &owners {
        let entries = match fs::read_dir(folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            entries => entries?,
        };
        for entry in entries {
            let entry = entry?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with('.') || name == ASIDE || entry.file_type()?.is_dir() {
                continue;
            }
            let path = format!("{folder}/{name}");
            let neighbours = neighbours.get(folder).map_or(&[][..], Vec::as_slice);
            let wanted = neighbours.iter().any(|(_, one)| {
                one.pattern.read(&path).is_some_and(|frame| {
                    frame.is_none_or(|frame| one.common.frames.files.value.contains(frame))
                })
            });
            if wanted {
                continue;
            }
            let owner = owners
                .iter()
                .find_map(|(index, one)| Some((*index, one.pattern.read(&path)??)));
            match owner {
                Some((index, frame)) => frames[index].push(frame),
                None => {
                    let (shape, frame) = shape(&name);
                    others
                        .entry((PathBuf::from(folder), shape))
                        .or_default()
                        .extend(frame);
                }
            }
        }
    }
    for (account, frames) in audit.accounts.iter_mut().zip(frames) {
        account.foreign = FrameSet::from_frames(frames);
    }
    audit.strangers = others
        .into_iter()
        .map(|((folder, shape), frames)| (folder, shape, FrameSet::from_frames(frames)))
        .collect();
    Ok(())
}

/// Deliverables with their indices, by the folders that they write to.
fn by_folder(expansion: &Expansion) -> BTreeMap<String, Vec<(usize, &Deliverable)>> {
    let mut folders: BTreeMap<String, Vec<(usize, &Deliverable)>> = BTreeMap::new();
    for (index, deliverable) in expansion.deliverables.iter().enumerate() {
        for folder in deliverable.folders(&deliverable.common.frames.files.value) {
            folders
                .entry(folder)
                .or_default()
                .push((index, deliverable));
        }
    }
    folders
}

/// A name with `#` for each digit of its last number, and the number.
fn shape(name: &str) -> (String, Option<Frame>) {
    let stem = name.rfind('.').filter(|dot| *dot > 0).unwrap_or(name.len());
    let is_digit = u8::is_ascii_digit;
    let bytes = &name.as_bytes()[..stem];
    let Some(last) = bytes.iter().rposition(is_digit) else {
        return (name.to_owned(), None);
    };
    let first = bytes[..last]
        .iter()
        .rposition(|byte| !is_digit(byte))
        .map_or(0, |before| before + 1);
    let Ok(frame) = name[first..=last].parse() else {
        return (name.to_owned(), None);
    };
    let hashes = "#".repeat(last + 1 - first);
    (
        format!("{}{hashes}{}", &name[..first], &name[last + 1..]),
        Some(frame),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_a_shape_and_a_frame() {
        assert_eq!(
            shape("kiln_v3.0012.png"),
            ("kiln_v3.####.png".to_owned(), Some(12))
        );
        assert_eq!(shape("notes.txt"), ("notes.txt".to_owned(), None));
        assert_eq!(shape(".m4a"), (".m#a".to_owned(), Some(4)));
    }
}
