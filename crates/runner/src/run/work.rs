//! What a run has in its hands; its threads share it.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicU32;
use std::sync::{Mutex, MutexGuard, PoisonError};

use truepath_core::deliverable::Expansion;
use truepath_core::frames::{Frame, FrameSet};

use super::board::Board;
use super::policy::Policy;
use super::prospects::Prospects;
use super::scenes::Scenes;
use super::warnings::Warnings;
use super::{Event, Failure, Options, Report, RunError, Watch};
use crate::Loaded;
use crate::disk::Disk;
use crate::ledger::{Ledger, Line, Replaces};
use crate::lock::lock;
use crate::publish::{Credits, Published, Ready};
use crate::session::{Session, State};
use crate::supervise::Warden;

/// A run at work.
pub(super) struct Work<'a> {
    pub(super) loaded: &'a Loaded,
    pub(super) expansion: &'a Expansion,
    pub(super) options: &'a Options<'a>,
    pub(super) disk: &'a dyn Disk,
    pub(super) policy: Policy,
    pub(super) session: Session<'a>,
    pub(super) warden: Warden,
    pub(super) credits: Vec<Credits>,
    /// The fingerprints of movies, which are known once their frames are.
    pub(super) movies: Mutex<HashMap<usize, Option<String>>>,
    pub(super) state: State,
    pub(super) board: Board,
    pub(super) scenes: Scenes,
    /// Which deliverables can be rendered at all.
    pub(super) prospects: Prospects,
    /// The frames that are missing of each deliverable when the run begins.
    pub(super) missing: Vec<FrameSet>,
    /// Files that give way to new ones, of each deliverable.
    pub(super) replaced: Vec<HashMap<Frame, Replaces>>,
    watch: Mutex<&'a mut (dyn Watch + Send)>,
    report: Mutex<Report>,
    /// What is known of the files that are there.
    known: Mutex<Ledger>,
    warnings: Mutex<Warnings>,
    /// What was prepared and is not to be kept.
    to_remove: Mutex<Vec<PathBuf>>,
    /// Staging folders that the next processes may have.
    emptied: Mutex<Vec<PathBuf>>,
    /// Only one thread prepares a scene.
    pub(super) preparing: Mutex<()>,
    /// Processes started so far.
    pub(super) processes: AtomicU32,
}

/// What work begins with.
pub(super) struct Beginning<'a> {
    pub(super) loaded: &'a Loaded,
    pub(super) expansion: &'a Expansion,
    pub(super) options: &'a Options<'a>,
    pub(super) session: Session<'a>,
    pub(super) warden: Warden,
    pub(super) credits: Vec<Credits>,
    pub(super) known: Ledger,
    pub(super) state: State,
    pub(super) scenes: Scenes,
    pub(super) watch: &'a mut (dyn Watch + Send),
}

impl<'a> Work<'a> {
    pub(super) fn new(with: Beginning<'a>) -> Self {
        let report = Report {
            logs: with.session.logs.clone(),
            ..Report::default()
        };
        Self {
            loaded: with.loaded,
            expansion: with.expansion,
            options: with.options,
            disk: with.options.disk,
            policy: with.options.policy,
            session: with.session,
            warden: with.warden,
            credits: with.credits,
            movies: Mutex::default(),
            state: with.state,
            board: Board::new(Vec::new(), 1),
            scenes: with.scenes,
            prospects: Prospects::default(),
            missing: Vec::new(),
            replaced: Vec::new(),
            watch: Mutex::new(with.watch),
            report: Mutex::new(report),
            known: Mutex::new(with.known),
            warnings: Mutex::default(),
            to_remove: Mutex::default(),
            emptied: Mutex::default(),
            preparing: Mutex::default(),
            processes: AtomicU32::new(0),
        }
    }

    /// Tells whoever watches.
    pub(super) fn tell(&self, event: &Event<'_>) {
        lock(&self.watch).see(event);
    }

    pub(super) fn report(&self) -> MutexGuard<'_, Report> {
        lock(&self.report)
    }

    pub(super) fn known(&self) -> MutexGuard<'_, Ledger> {
        lock(&self.known)
    }

    pub(super) fn warnings(&self) -> MutexGuard<'_, Warnings> {
        lock(&self.warnings)
    }

    pub(super) fn to_remove(&self) -> MutexGuard<'_, Vec<PathBuf>> {
        lock(&self.to_remove)
    }

    pub(super) fn emptied(&self) -> MutexGuard<'_, Vec<PathBuf>> {
        lock(&self.emptied)
    }

    /// Lets go of everything at the end.
    pub(super) fn dismantle(self) -> (Session<'a>, Report, Ledger) {
        let inner = |error: PoisonError<Report>| error.into_inner();
        let report = self.report.into_inner().unwrap_or_else(inner);
        let known = self.known.into_inner();
        (
            self.session,
            report,
            known.unwrap_or_else(PoisonError::into_inner),
        )
    }

    /// What is told of the files of a deliverable.
    pub(super) fn credits_of(&self, index: usize) -> Credits {
        let mut credits = self.credits[index].clone();
        if let Some(fingerprint) = lock(&self.movies).get(&index) {
            credits.fingerprint.clone_from(fingerprint);
        }
        credits
    }

    /// Reads what other runs have told since.
    pub(super) fn refresh(&self) -> Result<(), RunError> {
        let ledgers = self.state.ledgers();
        self.known()
            .refresh(&ledgers)
            .map_err(RunError::disk(&ledgers))
    }

    /// Publishes files, while nobody has taken this run for dead.
    pub(super) fn publish(&self, mut files: Vec<Ready>) -> Vec<Published> {
        for file in &mut files {
            if file.replaces == Some(Replaces::Remove) {
                let known = self.known();
                file.removed = known.published.get(&file.record.path).map(|one| one.stamp);
            }
        }
        let stands = || self.session.presence.stands();
        self.session.publisher.publish(self.disk, &stands, files)
    }

    /// Writes a line that stays.
    pub(super) fn write(&self, line: Line, path: &Path) -> Result<(), RunError> {
        let written = self.session.publisher.ledger().write(&[line]);
        written.map_err(RunError::disk(path))
    }

    /// Writes a line that others see.
    pub(super) fn note(&self, line: Line) -> Result<(), RunError> {
        let written = self.session.publisher.ledger().note(&[line]);
        written.map_err(RunError::disk(&self.state.folder))
    }

    /// Frames that could not be made: reported, and written down.
    pub(super) fn failed(&self, failures: Vec<Failure>) -> Result<(), RunError> {
        for failure in &failures {
            self.tell(&Event::Failed(failure));
        }
        self.failed_silently(failures)
    }

    /// Frames that could not be made, written down for the summary and for others.
    pub(super) fn failed_silently(&self, failures: Vec<Failure>) -> Result<(), RunError> {
        for (index, reason, log, frames) in super::outcome::grouped(&failures) {
            let failed = crate::ledger::Failed {
                path: self.expansion.deliverables[index].pattern.sketch(),
                frames: frames.to_string(),
                reason,
                log: log.map(|log| log.display().to_string()),
            };
            self.note(Line::Failed(failed))?;
        }
        self.report().failures.extend(failures);
        Ok(())
    }
}
