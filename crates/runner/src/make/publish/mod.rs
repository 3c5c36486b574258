//! Brings finished files to their true names: sync, intent, rename without replacing, folder sync,
//! ledger line. Files that are finished at the same time are published in one batch.

#[cfg(test)]
mod tests;
mod true_name;

use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;

use true_name::{clear_replaced, take_name};

use crate::clock::timestamp;
use crate::crash::point;
use crate::disk::{Disk, content_hash, has_content, stamp};
use crate::lock::lock;
use crate::look::fingerprint::of_frame;
use crate::record::ledger::{FileOrigin, Intent, LedgerWriter, Line, Record, Replaces};
use crate::record::presence::machine;
use crate::system::names;

/// What is recorded as the engine of a file that no run made.
pub(crate) const UNKNOWN_ENGINE: &str = "unknown";

/// What is recorded with every file that a run publishes.
#[derive(Debug, Clone)]
pub(crate) struct Provenance {
    pub(crate) engine: String,
    pub(crate) fingerprint: Option<String>,
    /// The run that it belongs to.
    pub(crate) run: Option<String>,
}

impl Provenance {
    /// The same of a frame, which may be made of files of its own.
    pub(crate) fn of_frame(self, deliverable: &Deliverable, frame: Frame) -> Self {
        let fingerprint = self.fingerprint.as_deref();
        let fingerprint = fingerprint.map(|one| of_frame(one, deliverable, frame));
        Self {
            fingerprint,
            ..self
        }
    }

    /// Those of a file that no run made, and that is taken for the settings and the scene of this moment.
    pub(crate) fn of_adopted(fingerprint: Option<String>, run: Option<String>) -> Self {
        Self {
            engine: UNKNOWN_ENGINE.to_owned(),
            fingerprint,
            run,
        }
    }
}

/// A verified file of a staging folder.
#[derive(Debug, Clone)]
pub(crate) struct VerifiedFile {
    /// Where it is.
    pub(crate) staged: PathBuf,
    /// Its frame.
    pub(crate) frame: Frame,
    /// What becomes of a file that has its name already; none where there must not be one.
    pub(crate) replaces: Option<Replaces>,
    /// The hash of its bytes.
    pub(crate) removed_hash: Option<String>,
    /// How it came.
    pub(crate) how: FileOrigin,
    /// All there is to say of it.
    pub(crate) record: Record,
}

/// Why a file did not get its true name. It is still where it was.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PublishError {
    /// Somebody else's file has the name.
    #[error("a file with this name appeared meanwhile: {0}")]
    Taken(String),
    /// Others have taken this run for dead, and go on in its place.
    #[error("another run has taken this one for dead")]
    Fenced,
    /// The disk refuses.
    #[error("{0}")]
    Disk(#[from] io::Error),
}

/// A file that has its true name.
#[derive(Debug)]
pub(crate) struct PublishedFile {
    /// All there is to say of it.
    pub(crate) record: Record,
    /// Where the file is that had the name before, where it is kept.
    pub(crate) aside: Option<PathBuf>,
}

pub(crate) type PublishResult = Result<PublishedFile, PublishError>;

/// Publishes for all processes of a run.
pub(crate) struct Publisher {
    ledger: Mutex<LedgerWriter>,
    waiting: Mutex<Waiting>,
    done: Condvar,
}

#[derive(Default)]
struct Waiting {
    /// Files, by the number of the call that brought them.
    ready: Vec<(u64, Vec<VerifiedFile>)>,
    results: BTreeMap<u64, Vec<PublishResult>>,
    calls: u64,
    /// Whether somebody is at it.
    at_work: bool,
}

impl Publisher {
    pub(crate) fn new(ledger: LedgerWriter) -> Self {
        Self {
            ledger: Mutex::new(ledger),
            waiting: Mutex::default(),
            done: Condvar::new(),
        }
    }

    /// The ledger, for other lines.
    pub(crate) fn ledger(&self) -> MutexGuard<'_, LedgerWriter> {
        lock(&self.ledger)
    }

    /// Publishes files, together with those that others bring meanwhile. `stands` says whether
    /// this run still may.
    pub(crate) fn publish(
        &self,
        disk: &dyn Disk,
        stands: &dyn Fn() -> bool,
        files: Vec<VerifiedFile>,
    ) -> Vec<PublishResult> {
        if files.is_empty() {
            return Vec::new();
        }
        let mut waiting = lock(&self.waiting);
        waiting.calls += 1;
        let invocation = waiting.calls;
        waiting.ready.push((invocation, files));
        loop {
            if let Some(mine) = waiting.results.remove(&invocation) {
                return mine;
            }
            if waiting.at_work {
                waiting = self
                    .done
                    .wait(waiting)
                    .unwrap_or_else(PoisonError::into_inner);
                continue;
            }
            // Nobody is at it: this call does it for all that wait.
            waiting.at_work = true;
            let batch = std::mem::take(&mut waiting.ready);
            drop(waiting);
            let mut leading = Leading {
                publisher: self,
                calls: batch
                    .iter()
                    .map(|(call, files)| (*call, files.len()))
                    .collect(),
                results: Vec::new(),
            };
            let files = batch.into_iter().flat_map(|(_, files)| files).collect();
            leading.results = together(disk, &mut self.ledger(), stands, files);
            drop(leading);
            waiting = lock(&self.waiting);
        }
    }
}

/// The call that publishes for all that wait. Dropped, it hands out what became of their files: also where it panics,
/// since whoever waits for it would wait for ever.
struct Leading<'p> {
    publisher: &'p Publisher,
    /// The calls, and how many files each brought.
    calls: Vec<(u64, usize)>,
    results: Vec<PublishResult>,
}

impl Drop for Leading<'_> {
    fn drop(&mut self) {
        let mut waiting = lock(&self.publisher.waiting);
        let mut results = std::mem::take(&mut self.results).into_iter();
        let unknown = || Err(io::Error::other("the thread that published it has panicked").into());
        for &(call, length) in &self.calls {
            let lot = (0..length).map(|_| results.next().unwrap_or_else(unknown));
            waiting.results.insert(call, lot.collect());
        }
        waiting.at_work = false;
        self.publisher.done.notify_all();
    }
}

/// Publishes files, with one sync of the ledger and one of each folder for all of them.
fn together(
    disk: &dyn Disk,
    ledger: &mut LedgerWriter,
    stands: &dyn Fn() -> bool,
    files: Vec<VerifiedFile>,
) -> Vec<PublishResult> {
    let mut results: Vec<Option<PublishResult>> = Vec::new();
    let mut intents = Vec::new();
    let mut files = files;
    for file in &mut files {
        if let Err(error) = make_own(disk, file) {
            results.push(Some(Err(error.into())));
            intents.push(intent_of(file));
            continue;
        }
        // A file that cannot be synced must be taken for lost.
        results.push(
            disk.sync_file(&file.staged)
                .err()
                .map(|error| Err(error.into())),
        );
        intents.push(intent_of(file));
    }
    point("synced");
    let written: Vec<Line> = intents
        .iter()
        .zip(&results)
        .filter(|(_, failed)| failed.is_none())
        .map(|(intent, _)| {
            let mut intent = intent.clone();
            // What the picture shows stands in the line that follows.
            intent.record.picture = None;
            Line::Intent(intent)
        })
        .collect();
    let written = ledger.write(&written);
    let fenced = !stands();
    point("intent");
    for (result, intent) in results.iter_mut().zip(&intents) {
        if result.is_some() {
            continue;
        }
        *result = match &written {
            Err(error) => Some(Err(again(error).into())),
            Ok(()) if fenced => Some(Err(PublishError::Fenced)),
            Ok(()) => take_name(disk, intent).err().map(Err),
        };
    }
    point("renamed");
    let how: Vec<FileOrigin> = files.iter().map(|file| file.how).collect();
    finish(disk, ledger, intents, results, &how)
}

fn intent_of(file: &VerifiedFile) -> Intent {
    Intent {
        staged: file.staged.display().to_string(),
        frame: file.frame,
        replaces: file.replaces,
        removed_hash: file.removed_hash.clone(),
        record: file.record.clone(),
    }
}

/// A file with further names may be written through these later: a copy of it is published, which has the bytes that were
/// verified.
fn make_own(disk: &dyn Disk, file: &mut VerifiedFile) -> io::Result<()> {
    let facts = file.staged.symlink_metadata()?;
    if names(&facts) < 2 {
        return Ok(());
    }
    let name = file
        .staged
        .file_name()
        .unwrap_or_default()
        .to_string_lossy();
    let copy = file.staged.with_file_name(format!(".truepath-copy-{name}"));
    disk.copy_new(&file.staged, &copy)?;
    if !has_content(&copy, &file.record.hash)? {
        disk.remove_file(&copy)?;
        return Err(io::Error::other(
            "it has another name, and was written again by that after it was verified",
        ));
    }
    disk.remove_file(&file.staged)?;
    if let Some(stamp) = stamp(&copy)? {
        file.record.modified = stamp.modified;
    }
    file.staged = copy;
    Ok(())
}

/// The steps behind the rename: folder syncs and ledger lines, for all that have no result yet.
fn finish(
    disk: &dyn Disk,
    ledger: &mut LedgerWriter,
    intents: Vec<Intent>,
    mut results: Vec<Option<PublishResult>>,
    how: &[FileOrigin],
) -> Vec<PublishResult> {
    let mut folders: BTreeMap<PathBuf, io::Result<()>> = BTreeMap::new();
    let mut lines = Vec::new();
    for ((result, intent), how) in results.iter_mut().zip(&intents).zip(how) {
        if result.is_some() {
            continue;
        }
        let to = Path::new(&intent.record.path);
        let folder = to.parent().unwrap_or(Path::new("/"));
        let synced = folders
            .entry(folder.to_owned())
            .or_insert_with(|| disk.sync_folder(folder));
        let mut record = intent.record.clone();
        let seen = match synced {
            Ok(()) => stamp(to),
            Err(error) => Err(again(error)),
        };
        *result = Some(match seen {
            Err(error) => Err(error.into()),
            Ok(found) => {
                // A copy from another file system has a time of its own.
                record.modified = found.map_or(record.modified, |found| found.modified);
                lines.push(Line::Published {
                    frame: intent.frame,
                    how: *how,
                    record: record.clone(),
                });
                let aside = None;
                Ok(PublishedFile { record, aside })
            }
        });
    }
    point("folder-synced");
    // The intents are safe: should the power fail, they show the next run what to look for. What
    // was replaced is removed only when the new one is safely recorded.
    let replacing = intents.iter().any(|intent| intent.replaces.is_some());
    let written = if replacing {
        ledger.write(&lines)
    } else {
        ledger.note(&lines)
    };
    point("ledger");
    let mut out = Vec::new();
    for (result, intent) in results.into_iter().zip(&intents) {
        let result = result.unwrap_or_else(|| Err(io::Error::other("no result").into()));
        out.push(match (result, &written) {
            (Ok(_), Err(error)) => Err(again(error).into()),
            (Ok(PublishedFile { record, .. }), Ok(())) => clear_replaced(disk, intent)
                .map(|aside| PublishedFile { record, aside })
                .map_err(Into::into),
            (failed, _) => failed,
        });
    }
    out
}

/// An error once more: it befell several files.
fn again(error: &io::Error) -> io::Error {
    io::Error::new(error.kind(), error.to_string())
}

/// Takes up an intent of a run that died before it was carried out.
pub(crate) fn carry_out(
    disk: &dyn Disk,
    ledger: &mut LedgerWriter,
    intent: Intent,
) -> PublishResult {
    take_name(disk, &intent)?;
    record_carried_out(disk, ledger, intent)
}

/// Tells of an intent of a run that died right after it was carried out.
pub(crate) fn record_carried_out(
    disk: &dyn Disk,
    ledger: &mut LedgerWriter,
    intent: Intent,
) -> PublishResult {
    let mut results = finish(
        disk,
        ledger,
        vec![intent],
        vec![None],
        &[FileOrigin::Recovered],
    );
    results
        .pop()
        .unwrap_or_else(|| Err(io::Error::other("no result").into()))
}

/// What there is to say of a file once it has its true name; its bytes are read for that.
pub(crate) fn record(file: &Path, path: &Path, provenance: &Provenance) -> io::Result<Record> {
    record_with(file, path, provenance, content_hash(file)?)
}

/// The same where the hash of its bytes is known.
pub(crate) fn record_with(
    file: &Path,
    path: &Path,
    provenance: &Provenance,
    hash: String,
) -> io::Result<Record> {
    let stamp = stamp(file)?.ok_or(io::ErrorKind::NotFound)?;
    Ok(Record {
        path: path.display().to_string(),
        size: stamp.size,
        modified: stamp.modified,
        hash,
        fingerprint: provenance.fingerprint.clone(),
        engine: provenance.engine.clone(),
        machine: machine(),
        time: timestamp(),
        run: provenance.run.clone(),
        unverifiable: None,
        picture: None,
        samples: None,
        error: None,
        proven_by: None,
        kind: None,
    })
}
