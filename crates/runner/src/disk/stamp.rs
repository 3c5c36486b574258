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

/// FAT keeps times of last change in steps of two seconds, rounded down (Microsoft, FAT32 File System Specification, 6.3), and
/// systems show the exact one until the file is read anew.
const FAT_STEP: i64 = 2_000_000_000;

impl Stamp {
    /// Whether a file with this recorded stamp may show that one now: the same, or the same as FAT keeps it.
    pub(crate) fn may_show(self, found: Self) -> bool {
        let is_rounded = found.modified % FAT_STEP == 0
            && (0..FAT_STEP).contains(&self.modified.saturating_sub(found.modified));
        self.size == found.size && (self.modified == found.modified || is_rounded)
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_in_steps_of_two_seconds_are_those_that_were_recorded() {
        let recorded = Stamp {
            size: 7,
            modified: 1_700_000_001_500_000_000,
        };
        for (size, modified, is_it) in [
            (7, 1_700_000_001_500_000_000, true),
            (7, 1_700_000_000_000_000_000, true),
            (7, 1_700_000_001_000_000_000, false),
            (7, 1_700_000_002_000_000_000, false),
            (7, 1_699_999_998_000_000_000, false),
            (8, 1_700_000_000_000_000_000, false),
        ] {
            assert_eq!(
                recorded.may_show(Stamp { size, modified }),
                is_it,
                "{modified}"
            );
        }
    }
}
