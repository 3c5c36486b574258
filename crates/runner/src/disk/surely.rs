//! Names that are changed where answers get lost: a client of a file server that hears nothing asks once
//! more, and is reported that it cannot be done, since it is done. So after an error it is looked at what is
//! there before anything is decided.

use std::fs;
use std::io;
use std::path::Path;

use super::{Disk, hash_file, is_empty};
use crate::system::identity;

/// Makes a folder whose name nobody else uses.
pub(crate) fn create_folder(disk: &dyn Disk, folder: &Path) -> io::Result<()> {
    match disk.create_new_folder(folder) {
        Err(_) if is_empty(folder).unwrap_or(false) => Ok(()),
        created => created,
    }
}

/// Renames a file and never replaces one.
pub(crate) fn rename(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    let file = identity(from)?;
    let renamed = disk.rename_new(from, to);
    if renamed.is_ok() || identity(to).ok() != Some(file) {
        return renamed;
    }
    // By a second name, of which the first is still there.
    if identity(from).ok() == Some(file) {
        disk.remove_file(from)
    } else {
        Ok(())
    }
}

/// Renames a file or folder of our own over one that has the name.
pub(crate) fn rename_over(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    let file = identity(from)?;
    let renamed = disk.rename_over(from, to);
    if identity(to).ok() == Some(file) {
        Ok(())
    } else {
        renamed
    }
}

/// Writes a small file under a name that nobody else uses.
pub(crate) fn write_new(disk: &dyn Disk, path: &Path, bytes: &[u8]) -> io::Result<()> {
    match disk.write_new(path, bytes) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            if fs::read(path).is_ok_and(|found| found == bytes) {
                Ok(())
            } else {
                Err(error)
            }
        }
        written => written,
    }
}

/// Copies a file to a name that nobody else uses.
pub(crate) fn copy_new(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    match disk.copy_new(from, to) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            if hash_file(from)? == hash_file(to)? {
                Ok(())
            } else {
                Err(error)
            }
        }
        copied => copied,
    }
}

/// Lets two files change their names.
pub(crate) fn exchange(disk: &dyn Disk, one: &Path, other: &Path) -> io::Result<()> {
    let file = identity(one)?;
    let exchanged = disk.exchange(one, other);
    match (exchanged, identity(other)?) {
        (_, now) if now == file => Ok(()),
        // Asked twice, and exchanged twice.
        (Ok(()), _) => Err(io::Error::other(
            "the file system said that it exchanged two files and did not",
        )),
        (refused, _) => refused,
    }
}
