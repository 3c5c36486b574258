//! Rewrites a text file that somebody may be editing.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

use crate::disk::unique_beside;

/// Puts a text in place of another, at once: it is written beside the file, synced, and renamed over
/// it. A file that is no longer what was read stays as it is.
///
/// # Errors
/// When the disk refuses, or the file was changed meanwhile.
pub fn rewrite(path: &Path, old: &str, new: &str) -> io::Result<()> {
    // The file itself, should the path be a link.
    let path = fs::canonicalize(path)?;
    if fs::read_to_string(&path)? != old {
        return Err(io::Error::other("it was changed meanwhile; check it again"));
    }
    let beside = unique_beside(&path);
    let written = File::create_new(&beside).and_then(|mut file| {
        file.write_all(new.as_bytes())?;
        file.set_permissions(fs::metadata(&path)?.permissions())?;
        file.sync_all()
    });
    let renamed = written.and_then(|()| fs::rename(&beside, &path));
    if renamed.is_err() {
        // What was written beside it is ours, and of no use.
        let _ = fs::remove_file(&beside);
    }
    renamed
}
