//! The file of a queue on the disk.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::finding::Finding;
use truepath_core::queue::{EditError, Queue, QueueEdit, QueueEntry, is_queue, read_queue};
use truepath_core::source::Sources;

use crate::disk::{Disk, write_new};
use crate::load::{JOB_FILE, LoadError};
use crate::rewrite;

/// Whether a file is a queue.
#[must_use]
pub fn is_queue_file(path: &Path) -> bool {
    let is_toml = path.extension().is_some_and(|end| end == "toml");
    is_toml && fs::read_to_string(path).is_ok_and(|text| is_queue(&text))
}

/// Reads a queue.
///
/// # Errors
/// When it cannot be read, has mistakes, or holds itself or another queue in place of a job.
pub fn load_queue(path: &Path) -> Result<Queue, LoadError> {
    let text = fs::read_to_string(path).map_err(|error| LoadError::Unreadable {
        path: path.display().to_string(),
        error,
    })?;
    read(path, &text).map_err(|(sources, findings)| LoadError::Mistakes {
        sources: Box::new(sources),
        findings,
    })
}

/// Reads the text of a queue that lies at a path.
fn read(path: &Path, text: &str) -> Result<Queue, (Sources, Vec<Finding>)> {
    let queue = read_queue(&path.display().to_string(), text)?;
    let entries = queue.entries.iter();
    let findings: Vec<Finding> = entries
        .filter(|entry| is_queue_file(&job_of(path, entry)))
        .map(|entry| {
            Finding::error("TP004", format!("`{}` is a queue, not a job", entry.job))
                .at(&entry.place, "")
                .so("queues are not put into queues")
                .advise("name the job files that it holds")
        })
        .collect();
    if findings.is_empty() {
        Ok(queue)
    } else {
        Err((queue.sources, findings))
    }
}

/// The job file of an entry: relative paths start at the folder of the queue.
#[must_use]
pub fn job_of(queue: &Path, entry: &QueueEntry) -> PathBuf {
    let folder = queue.parent().unwrap_or(Path::new(""));
    let path = folder.join(&entry.job);
    if path.is_dir() {
        path.join(JOB_FILE)
    } else {
        path
    }
}

/// Changes a queue; one that is not there is made. It is never half there, and what somebody else changed meanwhile
/// stays.
///
/// # Errors
/// When it has mistakes before or after the change, or cannot be written.
pub fn edit_queue(disk: &dyn Disk, path: &Path, edit: &QueueEdit) -> Result<(), EditQueueError> {
    let old = match fs::read_to_string(path) {
        Ok(text) => Some(text),
        Err(error) if error.kind() == io::ErrorKind::NotFound => None,
        Err(error) => return Err(error.into()),
    };
    let text = old.as_deref().unwrap_or_default();
    let new = edit.apply(text).map_err(|error| match read(path, text) {
        // What cannot be read at all is shown with its place.
        Err((sources, findings)) if matches!(error, EditError::Unreadable(_)) => {
            EditQueueError::Mistakes(Box::new(sources), findings)
        }
        _ => error.into(),
    })?;
    if let Err((sources, findings)) = read(path, &new) {
        return Err(EditQueueError::Mistakes(Box::new(sources), findings));
    }
    match old {
        Some(old) if old == new => Ok(()),
        Some(old) => Ok(rewrite(disk, path, &old, &new)?),
        None => Ok(write_new(disk, path, new.as_bytes())?),
    }
}

/// Why a queue cannot be changed.
#[derive(Debug, thiserror::Error)]
pub enum EditQueueError {
    /// The change does not fit it.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// It has mistakes, or would have.
    #[error("the queue has mistakes")]
    Mistakes(Box<Sources>, Vec<Finding>),
    /// It cannot be read or written.
    #[error(transparent)]
    Disk(#[from] io::Error),
}
