//! Engines that write where their scene says: what is there already is held aside while they are at
//! work, and what they wrote is brought into the staging folder.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::template::PathPattern;

use crate::disk::{Disk, free_name, rename};
use crate::job_folders::Mark;
use crate::ledger::{HeldAside, Line};
use crate::publish::Publisher;
use crate::staging::{HELD, MARK};

/// A folder in which an engine writes on its own account.
pub(crate) struct Outside {
    folder: PathBuf,
    name: PathPattern,
    hold: PathBuf,
}

impl Outside {
    /// Holds aside what is there under the names that the engine writes.
    pub(crate) fn begin(
        disk: &dyn Disk,
        publisher: &Publisher,
        mark: &Mark,
        writes: &PathPattern,
    ) -> io::Result<Self> {
        let (folder, name) = writes.split();
        let folder = PathBuf::from(folder.path(0));
        disk.create_folders(&folder)?;
        let hold = free_name(&folder, HELD);
        let outside = Self { folder, name, hold };
        let there = outside.files()?;
        if !there.is_empty() {
            publisher.ledger().write(&[Line::Held(HeldAside {
                folder: outside.folder.display().to_string(),
                hold: outside.hold.display().to_string(),
            })])?;
            mark.make(disk, &outside.hold)?;
            for file in there {
                rename(disk, &outside.folder.join(&file), &outside.hold.join(&file))?;
            }
        }
        Ok(outside)
    }

    /// The files under the names that the engine writes.
    fn files(&self) -> io::Result<Vec<String>> {
        let mut names = Vec::new();
        for entry in fs::read_dir(&self.folder)? {
            let entry = entry?;
            if entry.file_type()?.is_file()
                && let Ok(name) = entry.file_name().into_string()
                && self.name.read(&name).is_some()
            {
                names.push(name);
            }
        }
        names.sort();
        Ok(names)
    }

    /// Brings what the engine wrote into the staging folder, and what was held back to its place.
    pub(crate) fn end(&self, disk: &dyn Disk, staging: &Path) -> io::Result<()> {
        for file in self.files()? {
            let (from, to) = (self.folder.join(&file), staging.join(&file));
            match rename(disk, &from, &to) {
                Err(error) if error.kind() == io::ErrorKind::CrossesDevices => {
                    disk.copy_new(&from, &to)?;
                    disk.remove_file(&from)?;
                }
                other => other?,
            }
        }
        give_back(disk, &self.folder, &self.hold)
    }
}

/// Brings held files back to their place; what took their names meanwhile is set aside.
pub(crate) fn give_back(disk: &dyn Disk, folder: &Path, hold: &Path) -> io::Result<()> {
    if !hold.is_dir() {
        return Ok(());
    }
    for entry in fs::read_dir(hold)? {
        let name = entry?.file_name();
        if name == MARK {
            continue;
        }
        let (from, to) = (hold.join(&name), folder.join(&name));
        if fs::symlink_metadata(&to).is_ok() {
            crate::staging::set_aside(disk, &to, folder, &name.to_string_lossy())?;
        }
        rename(disk, &from, &to)?;
    }
    disk.sync_folder(folder)?;
    disk.remove_tree(hold)
}
