//! Size and time of files: what is compared before bytes are read.

use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};

use crate::system;

/// Size and time of last change of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// Bytes.
    pub size: u64,
    /// Nanoseconds since 1970.
    pub modified: i64,
}

/// The stamp of a regular file; `None` where there is no file of any kind.
///
/// # Errors
/// When the disk refuses, or something else than a regular file stands there.
pub fn stamp(path: &Path) -> io::Result<Option<Stamp>> {
    match fs::symlink_metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
        Ok(meta) if !meta.is_file() => Err(io::Error::new(
            io::ErrorKind::AlreadyExists,
            "something else than a file has this name",
        )),
        Ok(meta) => Ok(Some(Stamp {
            size: meta.len(),
            modified: i64::try_from(system::modified_at(&meta)).unwrap_or(i64::MAX),
        })),
    }
}

/// When the content or the name of a file last changed, in nanoseconds since 1970 by its file system:
/// no program can set that time back. None where there is no file.
pub(crate) fn changed_at(path: &Path) -> io::Result<Option<i128>> {
    time_of(path, system::changed_at)
}

/// When the content of a file last changed, in nanoseconds since 1970, as its last writer left it. None
/// where there is no file.
pub(crate) fn modified_at(path: &Path) -> io::Result<Option<i128>> {
    time_of(path, system::modified_at)
}

fn time_of(path: &Path, time: fn(&fs::Metadata) -> i128) -> io::Result<Option<i128>> {
    match fs::symlink_metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
        Ok(meta) => Ok(Some(time(&meta))),
    }
}
