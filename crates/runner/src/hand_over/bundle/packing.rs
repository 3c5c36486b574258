//! The folder in which bundles are made until they get their names. It is locked for as long as that takes: what a call
//! that was killed has left is known by its lock, which nobody holds, and is removed by the next call.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use crate::disk::{Disk, is_empty, unique_beside};
use crate::record::state_folder::OWN;
use crate::system::is_held_by_another;
use truepath_media::{MOST_TEXT, open_regular, read_regular};

/// The file in it that is locked.
const LOCK: &str = "lock";
/// The words in that file: by them the folder is known to be ours.
const WORDS: &[u8] = b"True Path packs bundles here\n";

/// A folder in which bundles are made.
pub(super) struct Packing<'d> {
    disk: &'d dyn Disk,
    folder: PathBuf,
    _lock: File,
}

impl<'d> Packing<'d> {
    /// Makes one below a folder, and removes those that calls have left that were killed.
    pub(super) fn begin(disk: &'d dyn Disk, to: &Path) -> io::Result<Self> {
        for entry in fs::read_dir(to)? {
            let entry = entry?;
            let name = entry.file_name();
            if name.to_string_lossy().starts_with(&prefix()) && entry.file_type()?.is_dir() {
                remove_left(disk, &entry.path())?;
            }
        }
        loop {
            let folder = unique_beside(&to.join(prefix().trim_start_matches('.')));
            disk.create_new_folder(&folder)?;
            match disk.create_locked(&folder.join(LOCK), WORDS) {
                // Another call has taken it for one that was left, since it was empty.
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                lock => {
                    let lock = lock?;
                    return Ok(Self {
                        disk,
                        folder,
                        _lock: lock,
                    });
                }
            }
        }
    }

    /// The folder.
    pub(super) fn folder(&self) -> &Path {
        &self.folder
    }

    /// Removes it.
    pub(super) fn end(self) -> io::Result<()> {
        self.disk.remove_tree(&self.folder)
    }
}

/// What the names of these folders begin with.
fn prefix() -> String {
    format!("{OWN}-pack")
}

/// Removes a folder that is one of ours and whose call has ended. One that is empty is nobody's work.
fn remove_left(disk: &dyn Disk, folder: &Path) -> io::Result<()> {
    if is_empty(folder)? {
        return disk.remove_folder(folder);
    }
    for entry in fs::read_dir(folder)? {
        let lock = entry?.path();
        // It has another name until it is locked.
        let is_lock = lock.file_name().is_some_and(|name| {
            let name = name.to_string_lossy();
            name == LOCK || name.starts_with(&format!(".{LOCK}."))
        });
        if is_lock && lock.symlink_metadata().is_ok_and(|facts| facts.is_file()) {
            let is_ours = WORDS.starts_with(&read_regular(&lock, MOST_TEXT)?);
            if is_ours && !is_held_by_another(&open_regular(&lock)?)? {
                return disk.remove_tree(folder);
            }
        }
    }
    Ok(())
}
