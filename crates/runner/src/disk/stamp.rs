//! Size and time of files: what is compared before bytes are read.

use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};

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
    use std::os::unix::fs::MetadataExt;
    match fs::symlink_metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
        Ok(meta) if !meta.is_file() => Err(io::Error::new(
            io::ErrorKind::AlreadyExists,
            "something else than a file has this name",
        )),
        Ok(meta) => Ok(Some(Stamp {
            size: meta.len(),
            modified: meta.mtime() * 1_000_000_000 + meta.mtime_nsec(),
        })),
    }
}
