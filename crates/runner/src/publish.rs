//! Brings a finished file to its true name: sync, intent, rename without replacing, folder sync,
//! ledger line.

use std::io;
use std::path::Path;

use truepath_core::frames::Frame;

use crate::crash::point;
use crate::disk::{Disk, hash_file, stamp};
use crate::ledger::{How, Intent, Line, Record, Writer};

/// What is told of every file that a run publishes.
#[derive(Debug, Clone)]
pub(crate) struct Credits {
    pub(crate) engine: String,
    pub(crate) machine: String,
    pub(crate) fingerprint: Option<String>,
}

impl Credits {
    /// Those of a file of which nobody knows what made it.
    pub(crate) fn of_nobody() -> Self {
        Self {
            engine: "unknown".to_owned(),
            machine: crate::run::machine(),
            fingerprint: None,
        }
    }
}

/// Why a file did not get its true name. It is still where it was.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PublishError {
    /// Somebody else's file has the name.
    #[error("a file with this name appeared meanwhile: {0}")]
    Taken(String),
    /// The disk refuses.
    #[error("{0}")]
    Disk(#[from] io::Error),
}

/// Publishes a verified file of the staging folder.
pub(crate) fn publish(
    disk: &dyn Disk,
    ledger: &mut Writer,
    staged: &Path,
    to: &Path,
    frame: Frame,
    credits: &Credits,
) -> Result<Record, PublishError> {
    disk.sync_file(staged)?;
    point("synced");
    let record = record(staged, to, credits)?;
    let intent = Intent {
        staged: staged.display().to_string(),
        frame,
        record,
    };
    ledger.write(&Line::Intent(intent.clone()))?;
    point("intent");
    finish(disk, ledger, intent, How::Rendered)
}

/// The steps behind the intent, also taken when a run was killed between them.
pub(crate) fn finish(
    disk: &dyn Disk,
    ledger: &mut Writer,
    intent: Intent,
    how: How,
) -> Result<Record, PublishError> {
    let (staged, to) = (Path::new(&intent.staged), Path::new(&intent.record.path));
    let folder = to.parent().unwrap_or(Path::new("/"));
    match disk.rename_new(staged, to) {
        Ok(()) => {}
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            return Err(PublishError::Taken(to.display().to_string()));
        }
        Err(error) if error.kind() == io::ErrorKind::CrossesDevices => {
            carry_over(disk, staged, to, folder)?;
        }
        Err(error) => return Err(error.into()),
    }
    point("renamed");
    disk.sync_folder(folder)?;
    point("folder-synced");
    let mut record = intent.record.clone();
    if let Some(found) = stamp(to)? {
        // A copy from another file system has a time of its own.
        record.modified = found.modified;
    }
    ledger.write(&Line::Published {
        frame: intent.frame,
        how,
        record: record.clone(),
    })?;
    point("ledger");
    Ok(record)
}

/// From one file system to another: a copy beside the true name first, so that no half of it is
/// ever seen there.
fn carry_over(
    disk: &dyn Disk,
    staged: &Path,
    to: &Path,
    folder: &Path,
) -> Result<(), PublishError> {
    let name = to.file_name().unwrap_or_default().to_string_lossy();
    let copy = crate::disk::free_name(folder, &format!(".truepath-copy-{name}"));
    disk.copy_new(staged, &copy)?;
    match disk.rename_new(&copy, to) {
        Ok(()) => Ok(disk.remove_file(staged)?),
        Err(error) => {
            disk.remove_file(&copy)?;
            if error.kind() == io::ErrorKind::AlreadyExists {
                Err(PublishError::Taken(to.display().to_string()))
            } else {
                Err(error.into())
            }
        }
    }
}

/// What there is to say of a file once it has its true name.
pub(crate) fn record(file: &Path, path: &Path, credits: &Credits) -> io::Result<Record> {
    let stamp = stamp(file)?.ok_or(io::ErrorKind::NotFound)?;
    Ok(Record {
        path: path.display().to_string(),
        size: stamp.size,
        modified: stamp.modified,
        hash: hash_file(file)?,
        fingerprint: credits.fingerprint.clone(),
        engine: credits.engine.clone(),
        machine: credits.machine.clone(),
        time: jiff::Timestamp::now().to_string(),
    })
}
