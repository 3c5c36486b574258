//! How a file gets its true name: never over another one, and by an exchange where one is replaced.

use std::io;
use std::path::{Path, PathBuf};

use super::PublishError;
use crate::disk::{Disk, exchange, free_name, rename, stamp};
use crate::record::aside::set_aside;
use crate::record::ledger::{Intent, Replaces};
use crate::record::removal::remove_if_same;

/// Why a file is set aside that had the name.
const REPLACED: &str = "another file took its name";

/// Gives a file its true name.
pub(super) fn take_name(disk: &dyn Disk, intent: &Intent) -> Result<(), PublishError> {
    let (staged, to) = (Path::new(&intent.staged), Path::new(&intent.record.path));
    if intent.replaces.is_some() {
        match exchange(disk, staged, to) {
            Ok(()) => return Ok(()),
            // Nothing to replace any more.
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            // On another file system, or on one that cannot do it: the old one is set aside first.
            Err(error)
                if matches!(
                    error.kind(),
                    io::ErrorKind::CrossesDevices
                        | io::ErrorKind::InvalidInput
                        | io::ErrorKind::Unsupported
                ) =>
            {
                let folder = to.parent().unwrap_or(Path::new("/"));
                let name = to.file_name().unwrap_or_default().to_string_lossy();
                set_aside(disk, to, folder, &name, REPLACED)?;
            }
            Err(error) => return Err(error.into()),
        }
    }
    match rename(disk, staged, to) {
        Ok(()) => Ok(()),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            Err(PublishError::Taken(to.display().to_string()))
        }
        Err(error) if error.kind() == io::ErrorKind::CrossesDevices => carry_over(disk, staged, to),
        Err(error) => Err(error.into()),
    }
}

/// After an exchange the staging name is that of the file that was replaced. Gives where it is where it is
/// kept aside.
pub(super) fn clear_replaced(disk: &dyn Disk, intent: &Intent) -> io::Result<Option<PathBuf>> {
    let (staged, to) = (Path::new(&intent.staged), Path::new(&intent.record.path));
    let (Some(replaces), Some(_)) = (intent.replaces, stamp(staged)?) else {
        return Ok(None);
    };
    // Somebody may have edited it, or put another file there: only the very bytes that were published go.
    if let (Replaces::Remove, Some(hash)) = (replaces, &intent.removed_hash)
        && remove_if_same(disk, staged, hash)?.is_none()
    {
        return Ok(None);
    }
    let folder = to.parent().unwrap_or(Path::new("/"));
    let name = to.file_name().unwrap_or_default().to_string_lossy();
    set_aside(disk, staged, folder, &name, REPLACED).map(Some)
}

/// From one file system to another: a copy beside the true name first, so that no half of it is
/// ever seen there.
fn carry_over(disk: &dyn Disk, staged: &Path, to: &Path) -> Result<(), PublishError> {
    let folder = to.parent().unwrap_or(Path::new("/"));
    let name = to.file_name().unwrap_or_default().to_string_lossy();
    let copy = free_name(folder, &format!(".truepath-copy-{name}"));
    let copied = disk
        .copy_new(staged, &copy)
        .and_then(|()| rename(disk, &copy, to));
    match copied {
        Ok(()) => Ok(disk.remove_file(staged)?),
        Err(error) => {
            // Half a copy is of no use to anybody.
            let _ = disk.remove_file(&copy);
            if error.kind() == io::ErrorKind::AlreadyExists {
                Err(PublishError::Taken(to.display().to_string()))
            } else {
                Err(error.into())
            }
        }
    }
}
