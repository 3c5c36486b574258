//! The file of a queue on the disk.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::finding::Finding;
use truepath_core::queue::{EditError, Queue, QueueEdit, QueueEntry, is_queue, read_queue};
use truepath_core::source::Sources;

use crate::disk::{Disk, rename, unique_beside, write_new};
use crate::hand_over::rewrite::rewrite;
use crate::load::{JOB_FILE, LoadError};
use crate::system;
use truepath_media::{open_regular, read_text};

/// Whether a file is a queue.
#[must_use]
pub fn is_queue_file(path: &Path) -> bool {
    let is_toml = path.extension().is_some_and(|end| end == "toml");
    is_toml && read_text(path).is_ok_and(|text| is_queue(&text))
}

/// Reads a queue.
///
/// # Errors
/// When it cannot be read, has mistakes, or holds itself or another queue in place of a job.
pub fn load_queue(path: &Path) -> Result<Queue, LoadError> {
    let text = read_text(path).map_err(|error| LoadError::Unreadable {
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

/// Changes a queue; one that is not there is made. It is never half there. Who changes it waits for others that do, and
/// what these changed stays.
///
/// # Errors
/// When it has mistakes before or after the change, or cannot be written.
pub fn edit_queue(disk: &dyn Disk, path: &Path, edit: &QueueEdit) -> Result<(), EditQueueError> {
    loop {
        let file = match open_regular(path) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                let new = edited(path, "", edit)?;
                match create_whole(disk, path, &new) {
                    // Somebody else was faster.
                    Err(error) if error.kind() == io::ErrorKind::AlreadyExists => continue,
                    created => return Ok(created?),
                }
            }
            Err(error) => return Err(error.into()),
        };
        file.lock()?;
        // Whoever had it before has put another file in its place.
        if !is_same_file(&file, path)? {
            continue;
        }
        let old = io::read_to_string(&file)?;
        let new = edited(path, &old, edit)?;
        if old != new {
            rewrite(disk, path, &old, &new)?;
        }
        return Ok(());
    }
}

/// The text of a queue with a change.
fn edited(path: &Path, text: &str, edit: &QueueEdit) -> Result<String, EditQueueError> {
    let new = edit.apply(text).map_err(|error| match read(path, text) {
        // What cannot be read at all is shown with its place.
        Err((sources, findings)) if matches!(error, EditError::Unreadable(_)) => {
            EditQueueError::Mistakes(Box::new(sources), findings)
        }
        _ => error.into(),
    })?;
    match read(path, &new) {
        Ok(_) => Ok(new),
        Err((sources, findings)) => Err(EditQueueError::Mistakes(Box::new(sources), findings)),
    }
}

/// Makes a file that must not be there yet, and is never seen half.
fn create_whole(disk: &dyn Disk, path: &Path, text: &str) -> io::Result<()> {
    let beside = unique_beside(path);
    let created = write_new(disk, &beside, text.as_bytes())
        .and_then(|()| disk.sync_file(&beside))
        .and_then(|()| rename(disk, &beside, path));
    if created.is_err() {
        // What was written beside it is of no use.
        let _ = disk.remove_file(&beside);
    }
    created
}

/// Whether a path still leads to a file that was opened.
fn is_same_file(file: &File, path: &Path) -> io::Result<bool> {
    match path.metadata() {
        Ok(now) => Ok(system::is_same_file(&file.metadata()?, &now)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(error),
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
