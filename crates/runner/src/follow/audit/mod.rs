//! The files on disk compared with the job: missing, broken, stale, foreign, and what the pictures show.
//!
//! Every file is read once, by as many threads as are asked for: decoded, hashed and measured in one pass.

mod choice;
mod strangers;

use std::io;
use std::path::PathBuf;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU8, Ordering};

use rayon::prelude::*;
use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::file_state::FileState;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::question::FinishedPicture;

pub use choice::AuditChoice;

use crate::Loaded;
use crate::lock::lock;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{ByReason, Depth, FileLook, FileOnDisk, Inventory};
use crate::look::stale::{WhyStale, why_stale};
use crate::record::ledger::Ledger;

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
    /// Files that were not opened: those that were not asked for, or not reached.
    pub not_looked_into: FrameSet,
    /// Whole pictures that could not be measured, such as those with a palette.
    pub not_measured: FrameSet,
    /// What the pictures show that were opened, in the order of their frames.
    pub pictures: Vec<FinishedPicture>,
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
    /// Files that were opened, and their bytes.
    pub read: AuditProgress,
    /// Whether it was stopped by a signal before all files were opened.
    pub interrupted: bool,
}

impl Audit {
    /// Whether every wanted file is valid, as far as files were opened; foreign files are reported but harm nothing. Nothing
    /// wanted is never complete.
    #[must_use]
    pub fn is_clean(&self) -> bool {
        let sum =
            |number: fn(&DeliverableAudit) -> u64| self.accounts.iter().map(number).sum::<u64>();
        let wanted = sum(|account| account.wanted);
        wanted > 0 && sum(|account| account.valid) == wanted
    }

    /// Whether all files were opened that are there.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        let mut accounts = self.accounts.iter();
        accounts.all(|account| account.not_looked_into.is_empty())
    }
}

/// How an audit is done.
pub struct AuditOptions<'o> {
    /// How many files are read at once.
    pub jobs: usize,
    /// Which files are opened.
    pub choice: AuditChoice,
    /// Somebody asks it to stop: what is known by then is what it gives.
    pub interrupt: &'o AtomicU8,
    /// Called after each file.
    pub observer: &'o (dyn Fn(AuditProgress) + Sync),
}

/// How far an audit is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct AuditProgress {
    /// Files that were opened.
    pub files: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Files that are opened in all.
    pub of: u64,
}

/// Audits the chosen deliverables. `all` is the whole job without selection: what belongs to any
/// part of it is not foreign.
///
/// # Errors
/// When the state or a folder cannot be read.
pub fn audit(
    loaded: &Loaded,
    chosen: &Expansion,
    all: &Expansion,
    options: &AuditOptions<'_>,
) -> io::Result<Audit> {
    let ledger = Ledger::read(&loaded.state_folder().ledgers())?;
    let mut fingerprints = Fingerprints::new(loaded);
    let inventory = Inventory::new(loaded, chosen, &mut fingerprints);
    let mut audit = Audit::default();
    let mut accounts = look_at_all(&inventory, chosen, &ledger, options, &mut audit)?;
    for (deliverable, account) in chosen.deliverables.iter().zip(&mut accounts) {
        let label = deliverable.label();
        for picture in &mut account.pictures {
            picture.seconds = ledger.experience.frame_seconds(&label, picture.frame);
        }
        if !account.stale.is_empty() {
            let today = fingerprints.recorded_inputs(deliverable);
            account.why_stale = why_stale(deliverable, &account.stale, &ledger, &today);
        }
    }
    audit.accounts = accounts;
    audit.interrupted = options.interrupt.load(Ordering::Relaxed) > 0;
    strangers::foreign(&mut audit, chosen, all)?;
    audit.unsound = ledger.unsound();
    audit.remarks = ledger.remarks();
    Ok(audit)
}

/// What was found of a frame; nothing of one that was not reached.
type FrameLook = (Frame, Option<FileLook>);

/// So many files are looked at before what was found is written down: memory does not grow with their number.
const AT_A_TIME: usize = 4096;

/// Looks at all files, those of all deliverables side by side.
fn look_at_all(
    inventory: &Inventory<'_>,
    chosen: &Expansion,
    ledger: &Ledger,
    options: &AuditOptions<'_>,
    audit: &mut Audit,
) -> io::Result<Vec<DeliverableAudit>> {
    let threads = rayon::ThreadPoolBuilder::new()
        .num_threads(options.jobs.max(1))
        .build()
        .map_err(io::Error::other)?;
    let mut wanted: Vec<(DeliverableId, Frame, Depth)> = Vec::new();
    for (index, one) in DeliverableId::with_each(&chosen.deliverables) {
        let opened = options.choice.opened(one)?;
        let depth = |frame: Frame| {
            if opened.contains(frame) {
                Depth::Measure
            } else {
                Depth::Stamp
            }
        };
        let files = one.files().iter();
        wanted.extend(files.map(|file| (index, file.frame, depth(file.frame))));
    }
    let of = wanted.iter().filter(|(.., depth)| *depth != Depth::Stamp);
    let progress = Mutex::new(AuditProgress {
        of: of.count() as u64,
        ..AuditProgress::default()
    });
    let look = |(index, frame, depth): &(DeliverableId, Frame, Depth)| -> FrameLook {
        if options.interrupt.load(Ordering::Relaxed) > 0 {
            return (*frame, None);
        }
        let look = inventory.of(*index).look(*frame, *depth, &ledger.published);
        if *depth != Depth::Stamp {
            let mut progress = lock(&progress);
            progress.files += 1;
            progress.bytes += look.bytes;
            (options.observer)(*progress);
        }
        (*frame, Some(look))
    };
    let accounts = chosen.deliverables.iter().map(AccountBuilder::new);
    let mut accounts: Vec<AccountBuilder> = accounts.collect();
    for block in wanted.chunks(AT_A_TIME) {
        let seen: Vec<FrameLook> =
            threads.install(|| block.par_iter().with_max_len(4).map(look).collect());
        for ((index, ..), (frame, look)) in block.iter().zip(seen) {
            accounts[*index].add(frame, look);
        }
    }
    audit.read = *lock(&progress);
    Ok(accounts.into_iter().map(AccountBuilder::done).collect())
}

/// Gathers what is found of a deliverable.
#[derive(Default)]
struct AccountBuilder {
    account: DeliverableAudit,
    is_movie: bool,
    missing: Vec<Frame>,
    stale: Vec<Frame>,
    not_looked_into: Vec<Frame>,
    not_measured: Vec<Frame>,
    changed: ByReason,
    broken: ByReason,
    unverifiable: ByReason,
    notes: ByReason,
}

impl AccountBuilder {
    fn new(deliverable: &Deliverable) -> Self {
        Self {
            account: DeliverableAudit {
                wanted: deliverable.files().count(),
                ..DeliverableAudit::default()
            },
            is_movie: deliverable.movie().is_some(),
            ..Self::default()
        }
    }

    fn add(&mut self, frame: Frame, look: Option<FileLook>) {
        let Some(look) = look else {
            self.not_looked_into.push(frame);
            return;
        };
        for note in look.notes {
            self.notes.add(note, frame);
        }
        if look.is_opened && look.found.is_whole() && !self.is_movie {
            if look.measure.is_none() {
                self.not_measured.push(frame);
            }
            self.account.pictures.push(FinishedPicture {
                frame,
                bytes: look.bytes,
                seconds: None,
                samples: look.samples,
                kind: look.kind,
                measure: look.measure,
            });
        } else if !look.is_opened && look.found != FileOnDisk::Missing {
            self.not_looked_into.push(frame);
            // Nobody knows what it is.
            if look.found == FileOnDisk::Unrecorded {
                return;
            }
        }
        let reason = look.found.reason().unwrap_or_default();
        match look.found.state() {
            FileState::Valid => self.account.valid += 1,
            FileState::Changed => self.changed.add(reason, frame),
            FileState::Unverifiable => self.unverifiable.add(reason, frame),
            FileState::Stale => self.stale.push(frame),
            FileState::Broken => self.broken.add(reason, frame),
            FileState::Missing | FileState::Running | FileState::Failed | FileState::Foreign => {
                self.missing.push(frame);
            }
        }
    }

    fn done(self) -> DeliverableAudit {
        DeliverableAudit {
            missing: FrameSet::from_frames(self.missing),
            stale: FrameSet::from_frames(self.stale),
            not_looked_into: FrameSet::from_frames(self.not_looked_into),
            not_measured: FrameSet::from_frames(self.not_measured),
            changed: self.changed.frames(),
            notes: self.notes.frames(),
            unverifiable: self.unverifiable.frames(),
            broken: self.broken.frames(),
            ..self.account
        }
    }
}
