//! What runs set aside beside the frames: what was in the way, not asked for, broken, replaced, or not proven.
//!
//! A run that moves a file into a folder `set-aside` writes down beside it what it moved there: bytes, hash, why and when.
//! Only what is recorded so, and is still the same, is ever removed. All else in such a folder is somebody's own.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use serde::{Deserialize, Serialize};
use truepath_core::deliverable::Expansion;

use crate::clock::timestamp;
use crate::disk::{Disk, free_name, rename, write_new};
use crate::record::removal::{hash_of_all, remove_if_same};
use truepath_media::{MOST_TEXT, read_regular};

/// The folder beside the frames that takes what was in the way or not asked for.
pub(crate) const ASIDE: &str = "set-aside";
/// What the record of a file is called, with the name of the file behind it.
const RECORD: &str = ".truepath-aside-";

/// Of failed tries of one frame so many stay.
const MOST_TRIES: usize = 3;

/// What a run has written down of a file that it set aside.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AsideRecord {
    /// Where it was.
    pub from: String,
    /// The hash of its bytes; of a folder, of all that is in it.
    pub hash: String,
    /// Why it was moved, as a sentence.
    pub why: String,
    /// When, as RFC 3339, by the clock of the machine that did it.
    pub time: String,
}

/// So often the folder is made again, should others remove it, empty, each time.
const MOST_MADE_AGAIN: usize = 100;

/// Renames a file or folder into the folder for what is not wanted; never replaces anything there.
pub(crate) fn set_aside(
    disk: &dyn Disk,
    path: &Path,
    folder: &Path,
    name: &str,
    why: &str,
) -> io::Result<PathBuf> {
    let aside = folder.join(ASIDE);
    let mut left = MOST_MADE_AGAIN;
    loop {
        let made = disk.create_folders(&aside);
        match made.and_then(|()| set_aside_in(disk, path, &aside, name, why)) {
            // Another thread or machine has removed what lay there, and then the folder.
            Err(error)
                if error.kind() == io::ErrorKind::NotFound
                    && left > 0
                    && fs::symlink_metadata(path).is_ok() =>
            {
                left -= 1;
            }
            moved => return moved,
        }
    }
}

fn set_aside_in(
    disk: &dyn Disk,
    path: &Path,
    aside: &Path,
    name: &str,
    why: &str,
) -> io::Result<PathBuf> {
    let to = free_name(aside, &shortened(name));
    // Written first: a run that dies in between has recorded a file that is not there, and never moved one unrecorded.
    // What cannot be read is moved all the same, and stays there until somebody names it.
    if let Ok(hash) = hash_of_all(path) {
        let record = AsideRecord {
            from: path.display().to_string(),
            hash,
            why: why.to_owned(),
            time: timestamp(),
        };
        // One that is left of a file which is gone gives way.
        disk.remove_file(&record_of(&to))?;
        write_new(disk, &record_of(&to), &serde_json::to_vec(&record)?)?;
    }
    rename(disk, path, &to)?;
    disk.sync_folder(aside)?;
    Ok(to)
}

/// The same of what a failed try of a frame left: of several tries only the newest stay.
pub(crate) fn set_try_aside(
    disk: &dyn Disk,
    path: &Path,
    folder: &Path,
    name: &str,
    why: &str,
) -> io::Result<PathBuf> {
    let aside = folder.join(ASIDE);
    let name = shortened(name);
    let tries = || {
        let first = aside.join(&name);
        let more = (2..).map(|number| aside.join(format!("{name}.{number}")));
        std::iter::once(first).chain(more)
    };
    let there: Vec<PathBuf> = tries()
        .take_while(|path| fs::symlink_metadata(path).is_ok())
        .collect();
    if there.len() >= MOST_TRIES {
        // The oldest one gives way, and the others move up.
        let entry = AsideEntry::of(there[0].clone())?;
        if entry.remove(disk)?.is_none() {
            for (from, to) in there[1..].iter().zip(&there) {
                rename(disk, from, to)?;
                if record_of(from).exists() {
                    disk.rename_over(&record_of(from), &record_of(to))?;
                }
            }
        }
    }
    set_aside(disk, path, folder, &name, why)
}

/// Most file systems take names of 255 bytes; words before and numbers behind need room.
const LONGEST_NAME: usize = 200;

/// A name that has room for more, with its extension.
fn shortened(name: &str) -> String {
    if name.len() <= LONGEST_NAME {
        return name.to_owned();
    }
    // With the frame before it, as in `.0001.png`.
    let last = name.rfind('.').filter(|dot| name.len() - dot <= 16);
    let before = last.and_then(|last| name[..last].rfind('.'));
    let before = before.filter(|dot| name.len() - dot <= 32);
    let extension = before.or(last).map_or("", |dot| &name[dot..]);
    let mut end = LONGEST_NAME - extension.len();
    while !name.is_char_boundary(end) {
        end -= 1;
    }
    [&name[..end], extension].concat()
}

/// The record of a file in a folder of what was set aside.
fn record_of(file: &Path) -> PathBuf {
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    file.with_file_name(format!("{RECORD}{name}"))
}

/// A file or folder that lies in a folder of what was set aside.
#[derive(Debug, Clone)]
pub struct AsideEntry {
    /// Where it is.
    pub path: PathBuf,
    /// What the run that moved it has recorded; none of what is somebody's own, or was moved before there were records.
    pub record: Option<AsideRecord>,
    /// Files in it, 1 of a file.
    pub files: u64,
    /// Bytes of those.
    pub bytes: u64,
    /// When the last of them changed.
    pub changed: Option<SystemTime>,
}

impl AsideEntry {
    pub(crate) fn of(path: PathBuf) -> io::Result<Self> {
        let record = match read_regular(&record_of(&path), MOST_TEXT) {
            Ok(bytes) => serde_json::from_slice(&bytes).ok(),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(error),
        };
        let mut entry = Self {
            record,
            files: 0,
            bytes: 0,
            changed: None,
            path: path.clone(),
        };
        entry.count(&path)?;
        Ok(entry)
    }

    fn count(&mut self, path: &Path) -> io::Result<()> {
        let facts = path.symlink_metadata()?;
        if facts.is_dir() {
            for below in path.read_dir()? {
                self.count(&below?.path())?;
            }
            return Ok(());
        }
        self.files += 1;
        self.bytes += facts.len();
        self.changed = self.changed.max(facts.modified().ok());
        Ok(())
    }

    /// Removes it, if a run has recorded that it moved this very file there; gives why it stays, if it does.
    ///
    /// # Errors
    /// When it cannot be read, or the disk refuses.
    pub fn remove(&self, disk: &dyn Disk) -> io::Result<Option<&'static str>> {
        let Some(record) = &self.record else {
            return Ok(Some("no run has recorded that it moved it there"));
        };
        let facts = self.path.symlink_metadata()?;
        if facts.is_file() {
            if remove_if_same(disk, &self.path, &record.hash)?.is_some() {
                return Ok(Some("it has changed since a run moved it there"));
            }
        } else {
            if hash_of_all(&self.path)? != record.hash {
                return Ok(Some("it has changed since a run moved it there"));
            }
            if facts.is_dir() {
                disk.remove_tree(&self.path)?;
            } else {
                disk.remove_file(&self.path)?;
            }
        }
        self.forget(disk)?;
        Ok(None)
    }

    /// Removes it because a user has named it, whatever is recorded.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn remove_by_name(&self, disk: &dyn Disk) -> io::Result<()> {
        if self.path.symlink_metadata()?.is_dir() {
            disk.remove_tree(&self.path)?;
        } else {
            disk.remove_file(&self.path)?;
        }
        self.forget(disk)
    }

    /// Removes the record, and the folder if nothing is left in it.
    fn forget(&self, disk: &dyn Disk) -> io::Result<()> {
        disk.remove_file(&record_of(&self.path))?;
        if let Some(folder) = self.path.parent() {
            // Only an empty one goes.
            let _ = disk.remove_folder(folder);
        }
        Ok(())
    }
}

/// What lies in the folders `set-aside` beside the frames of a job, by path. Links are not followed.
///
/// # Errors
/// When a folder cannot be read.
pub fn aside_entries(all: &Expansion) -> io::Result<Vec<AsideEntry>> {
    let folders = all
        .deliverables
        .iter()
        .flat_map(|one| one.folders(&one.common.frames.files.value))
        .map(|folder| Path::new(&folder).join(ASIDE));
    let folders: BTreeSet<PathBuf> = folders
        .filter(|folder| fs::symlink_metadata(folder).is_ok_and(|facts| facts.is_dir()))
        .collect();
    let mut entries = Vec::new();
    for folder in folders {
        let mut paths: Vec<PathBuf> = Vec::new();
        for entry in folder.read_dir()? {
            let entry = entry?;
            if !entry.file_name().to_string_lossy().starts_with(RECORD) {
                paths.push(entry.path());
            }
        }
        paths.sort();
        for path in paths {
            entries.push(AsideEntry::of(path)?);
        }
    }
    Ok(entries)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;

    fn names(folder: &Path) -> Vec<String> {
        let names = crate::sample::names(folder).into_iter();
        names.filter(|name| !name.starts_with(RECORD)).collect()
    }

    #[test]
    fn what_is_recorded_and_the_same_is_removed_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("kiln.0001.png");
        fs::write(&file, "broken").unwrap();
        let to = set_aside(&RealDisk, &file, folder.path(), "kiln.0001.png", "a test").unwrap();
        let own = to.with_file_name("notes.txt");
        fs::write(&own, "mine").unwrap();
        let removed = |path: &Path| {
            let entry = AsideEntry::of(path.to_owned()).unwrap();
            entry.remove(&RealDisk).unwrap().is_none()
        };
        assert!(!removed(&own));
        fs::write(&to, "edited").unwrap();
        assert!(!removed(&to));
        fs::write(&to, "broken").unwrap();
        assert!(removed(&to));
        assert_eq!(names(to.parent().unwrap()), ["notes.txt"]);
    }

    #[test]
    fn what_others_remove_meanwhile_is_not_in_the_way() {
        let folder = tempfile::tempdir().unwrap();
        // Each removes what it has set aside, and with the last file the folder.
        let move_and_remove = |thread: usize| {
            for number in 0..300 {
                let name = format!("kiln-{thread}.{number}.png");
                let file = folder.path().join(&name);
                fs::write(&file, "broken").unwrap();
                let to = set_aside(&RealDisk, &file, folder.path(), &name, "a test").unwrap();
                let entry = AsideEntry::of(to).unwrap();
                assert!(entry.remove(&RealDisk).unwrap().is_none());
            }
        };
        std::thread::scope(|scope| {
            for thread in 0..4 {
                scope.spawn(move || move_and_remove(thread));
            }
        });
        assert!(!folder.path().join(ASIDE).exists());
    }

    #[test]
    fn of_failed_tries_the_newest_stay() {
        let folder = tempfile::tempdir().unwrap();
        for number in 1..=6 {
            let file = folder.path().join("p1.png");
            fs::write(&file, number.to_string()).unwrap();
            set_try_aside(
                &RealDisk,
                &file,
                folder.path(),
                "unfinished-p1.png",
                "a test",
            )
            .unwrap();
        }
        let aside = folder.path().join(ASIDE);
        let kept = ["", ".2", ".3"]
            .map(|end| fs::read_to_string(aside.join(format!("unfinished-p1.png{end}"))).unwrap());
        assert_eq!(kept, ["4", "5", "6"]);
        assert_eq!(names(&aside).len(), 3);
    }

    #[test]
    fn long_names_get_room_and_keep_their_extension() {
        assert_eq!(shortened("dawn.0001.png"), "dawn.0001.png");
        let long = format!("{}.0001.png", "n".repeat(240));
        let short = shortened(&long);
        assert_eq!(short.len(), LONGEST_NAME);
        assert!(short.starts_with("nnn") && short.ends_with(".0001.png"));
        // Letters of several bytes are never cut apart.
        let marks = shortened(&format!("{}.exr", "é".repeat(120)));
        assert!(
            marks.len() <= LONGEST_NAME && marks.ends_with(".exr"),
            "{marks}"
        );
        // A dot far from the end begins no extension.
        let dotted = shortened(&format!("a.{}", "x".repeat(240)));
        assert_eq!(dotted.len(), LONGEST_NAME);
    }
}
