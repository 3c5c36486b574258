//! Engines that write where their scene says: what is there already is held aside while they are at
//! work, and what they wrote is brought into the staging folder.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::template::PathPattern;

use crate::disk::{Disk, free_name, rename};
use crate::make::job_folders::Mark;
use crate::make::publish::Publisher;
use crate::make::staging::{HELD, MARK};
use crate::record::aside::set_aside;
use crate::record::ledger::{HeldAside, Line};

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
            let why = "a file was put in its place while an engine wrote there";
            set_aside(disk, &to, folder, &name.to_string_lossy(), why)?;
        }
        rename(disk, &from, &to)?;
    }
    disk.sync_folder(folder)?;
    disk.remove_tree(hold)
}

#[cfg(test)]
mod tests {
    use truepath_core::template::{FrameField, Piece};

    use super::*;
    use crate::disk::RealDisk;
    use crate::disk::faulty::{Fault, FaultyDisk};
    use crate::record::ledger::{Ledger, LedgerWriter};
    use crate::sample::names;

    struct Folders {
        folder: tempfile::TempDir,
    }

    impl Folders {
        fn new() -> Self {
            let folder = tempfile::tempdir().unwrap();
            for name in ["out", "staging", "ledger"] {
                fs::create_dir(folder.path().join(name)).unwrap();
            }
            fs::write(folder.path().join("out/dawn.0001.png"), "before").unwrap();
            fs::write(folder.path().join("out/notes.txt"), "mine").unwrap();
            Self { folder }
        }

        fn path(&self, relative: &str) -> PathBuf {
            self.folder.path().join(relative)
        }

        fn begin(&self, disk: &dyn Disk) -> io::Result<Outside> {
            let ledger = LedgerWriter::create(&RealDisk, &self.path("ledger/0001.jsonl"))?;
            let before = format!("{}/dawn.", self.path("out").display());
            let writes = PathPattern::new([
                Piece::Text(before.into()),
                Piece::Frame(FrameField::Digits(4)),
                Piece::Text(".png".into()),
            ]);
            let mark = Mark::of(&self.path("ledger"));
            Outside::begin(disk, &Publisher::new(ledger), &mark, &writes)
        }
    }

    #[test]
    fn what_is_there_is_held_while_the_engine_writes_and_given_back() {
        let folders = Folders::new();
        let outside = folders.begin(&RealDisk).unwrap();
        assert_eq!(names(&folders.path("out")), [HELD, "notes.txt"]);
        // It is on record before anything moves.
        let ledger = Ledger::read(&folders.path("ledger")).unwrap();
        assert_eq!(ledger.sessions[&1].held.len(), 1);
        fs::write(folders.path("out/dawn.0001.png"), "rendered").unwrap();
        fs::write(folders.path("out/dawn.0002.png"), "rendered").unwrap();
        outside.end(&RealDisk, &folders.path("staging")).unwrap();
        assert_eq!(
            names(&folders.path("staging")),
            ["dawn.0001.png", "dawn.0002.png"]
        );
        assert_eq!(names(&folders.path("out")), ["dawn.0001.png", "notes.txt"]);
        assert_eq!(
            fs::read(folders.path("out/dawn.0001.png")).unwrap(),
            b"before"
        );
    }

    #[test]
    fn from_another_disk_it_is_copied() {
        let folders = Folders::new();
        let outside = folders.begin(&RealDisk).unwrap();
        fs::write(folders.path("out/dawn.0002.png"), "rendered").unwrap();
        let disk = FaultyDisk::new(|operation, path| {
            let is_it = operation == "rename_new" && path.ends_with("out/dawn.0002.png");
            is_it.then_some(Fault::Refused(io::ErrorKind::CrossesDevices))
        });
        outside.end(&disk, &folders.path("staging")).unwrap();
        assert_eq!(names(&folders.path("staging")), ["dawn.0002.png"]);
        assert_eq!(names(&folders.path("out")), ["dawn.0001.png", "notes.txt"]);
    }

    #[test]
    fn what_took_a_held_name_is_set_aside_and_nothing_is_lost_in_between() {
        let folders = Folders::new();
        let outside = folders.begin(&RealDisk).unwrap();
        fs::write(folders.path("out/dawn.0001.png"), "somebody's").unwrap();
        // Refused half way, it can be done once more.
        let refused = Fault::Refused(io::ErrorKind::PermissionDenied);
        let out = folders.path("out");
        assert!(give_back(&FaultyDisk::at("rename_new", refused), &out, &outside.hold).is_err());
        give_back(&RealDisk, &out, &outside.hold).unwrap();
        give_back(&RealDisk, &out, &outside.hold).unwrap();
        assert_eq!(fs::read(out.join("dawn.0001.png")).unwrap(), b"before");
        let aside = fs::read(out.join("set-aside/dawn.0001.png")).unwrap();
        assert_eq!(aside, b"somebody's");
    }

    #[test]
    fn nothing_is_held_where_nothing_is_in_the_way() {
        let folders = Folders::new();
        fs::remove_file(folders.path("out/dawn.0001.png")).unwrap();
        let outside = folders.begin(&RealDisk).unwrap();
        assert!(!outside.hold.exists());
        outside.end(&RealDisk, &folders.path("staging")).unwrap();
        assert_eq!(names(&folders.path("out")), ["notes.txt"]);
    }
}
