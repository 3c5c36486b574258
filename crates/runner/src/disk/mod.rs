//! The disk behind a trait: every operation that changes something goes through it.

#[cfg(test)]
pub(crate) mod faulty;
mod hash;
#[allow(clippy::disallowed_methods)]
mod real;
mod stamp;
mod surely;

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

pub(crate) use hash::{
    OUTLINE_IS_WHOLE, content_hash, has_content, hash_file, hash_of_record, hash_outline, recorded,
};
pub use real::RealDisk;
pub use stamp::{Stamp, stamp};
pub(crate) use stamp::{changed_at, modified_at};
pub(crate) use surely::{copy_new, create_folder, exchange, rename, rename_over, write_new};

/// A name beside a file that no other process uses, on whatever machine: what is written there gets its
/// name by renaming, and is never seen half.
pub(crate) fn unique_beside(path: &Path) -> PathBuf {
    use std::hash::{BuildHasher, RandomState};
    // Every such state is made of chance.
    let chance = RandomState::new().hash_one(std::process::id());
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    path.with_file_name(format!(".{name}.{chance:016x}.new"))
}

/// What a run does to the disk.
pub trait Disk: Sync {
    /// Makes a folder and all above it, and makes sure that they stay.
    ///
    /// # Errors
    /// When the disk refuses.
    fn create_folders(&self, folder: &Path) -> io::Result<()>;

    /// Makes a folder that must not be there yet.
    ///
    /// # Errors
    /// When it is there or the disk refuses.
    fn create_new_folder(&self, folder: &Path) -> io::Result<()>;

    /// Lays a symbolic link.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn link(&self, target: &str, name: &Path) -> io::Result<()>;

    /// Makes sure that the bytes of a file stay.
    ///
    /// # Errors
    /// When the disk refuses; then the bytes must be taken for lost.
    fn sync_file(&self, path: &Path) -> io::Result<()>;

    /// Makes sure that the names in a folder stay.
    ///
    /// # Errors
    /// When the disk refuses.
    fn sync_folder(&self, folder: &Path) -> io::Result<()>;

    /// Renames a file and never replaces one.
    ///
    /// # Errors
    /// `AlreadyExists` when the name is taken, or what the disk says.
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Renames a file or folder of our own; a file of our own that has the name gives way.
    ///
    /// # Errors
    /// When the disk refuses.
    fn rename_over(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Copies a file to a name that is free, and makes sure that the bytes stay.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn copy_new(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Opens a new file to append to.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn create_log(&self, path: &Path) -> io::Result<Box<dyn Append>>;

    /// Lets two files change their names, each atomically taking the other's place.
    ///
    /// # Errors
    /// When one is not there, or the file system cannot do it.
    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()>;

    /// Gives a file of our own a second name, which must be free.
    ///
    /// # Errors
    /// `AlreadyExists` when the name is taken, or what the disk says.
    fn second_name(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Writes a small file of our own whole, in place of what has the name.
    ///
    /// # Errors
    /// When the disk refuses.
    fn write_whole(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;

    /// Writes a small file of our own whose name must be free.
    ///
    /// # Errors
    /// When the name is taken or the disk refuses.
    fn write_new(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;

    /// Writes a small file of our own whole, which stays locked for as long as what is given back is
    /// open.
    ///
    /// # Errors
    /// When the disk refuses.
    fn create_locked(&self, path: &Path, bytes: &[u8]) -> io::Result<File>;

    /// What writes a small file of our own again and again, from another thread. It is opened and closed
    /// each time, since file servers send on what is closed.
    fn rewriter(&self, path: &Path) -> Rewriter;

    /// Gives a file of our own the permissions of another.
    ///
    /// # Errors
    /// When the disk refuses.
    fn copy_permissions(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Removes a folder of our own, if it is empty.
    ///
    /// # Errors
    /// When something is in it, or the disk refuses.
    fn remove_folder(&self, folder: &Path) -> io::Result<()>;

    /// Removes a file; one that is not there is removed.
    ///
    /// # Errors
    /// When the disk refuses.
    fn remove_file(&self, path: &Path) -> io::Result<()>;

    /// Removes a folder of our own with all that is in it; one that is not there is removed.
    ///
    /// # Errors
    /// When the disk refuses.
    fn remove_tree(&self, folder: &Path) -> io::Result<()>;
}

/// Writes a small file, each time in place of what stood in it.
pub type Rewriter = Box<dyn FnMut(&[u8]) -> io::Result<()> + Send>;

/// A file that lines are appended to.
pub trait Append: Send {
    /// Appends bytes; with `sync` they stay once this returns.
    ///
    /// # Errors
    /// When the disk refuses.
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()>;
}

/// A name in a folder that is free: `name`, `name.2`, `name.3` …
pub(crate) fn free_name(folder: &Path, name: &str) -> PathBuf {
    let mut path = folder.join(name);
    let mut number = 2;
    while fs::symlink_metadata(&path).is_ok() {
        path = folder.join(format!("{name}.{number}"));
        number += 1;
    }
    path
}

/// Makes a folder under a name that is free; others may look for one at the same time.
pub(crate) fn create_free_folder(
    disk: &dyn Disk,
    folder: &Path,
    name: &str,
) -> io::Result<PathBuf> {
    loop {
        let path = free_name(folder, name);
        match disk.create_new_folder(&path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            created => return created.map(|()| path),
        }
    }
}

/// Writes a small file of our own whole, in place of what has the name, and makes sure that it stays.
pub(crate) fn write_durably(disk: &dyn Disk, path: &Path, bytes: &[u8]) -> io::Result<()> {
    let new = unique_beside(path);
    let written = write_new(disk, &new, bytes)
        .and_then(|()| disk.sync_file(&new))
        .and_then(|()| rename_over(disk, &new, path));
    if let Err(error) = written {
        // What was written beside it is of no use.
        let _ = disk.remove_file(&new);
        return Err(error);
    }
    match path.parent() {
        Some(folder) => disk.sync_folder(folder),
        None => Ok(()),
    }
}

/// Whether nothing at all is in a folder.
pub(crate) fn is_empty(folder: &Path) -> io::Result<bool> {
    Ok(fs::read_dir(folder)?.next().is_none())
}

#[cfg(test)]
mod tests {
    use super::faulty::{Fault, FaultyDisk};
    use super::*;
    use crate::sample::names;

    #[test]
    fn a_file_that_is_written_durably_is_new_or_as_it_was() {
        for operation in ["write_new", "sync_file", "rename_over"] {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join("run.json");
            fs::write(&path, "before").unwrap();
            let disk = FaultyDisk::at(operation, Fault::Refused(io::ErrorKind::StorageFull));
            let written = write_durably(&disk, &path, b"after");
            assert_eq!(written.unwrap_err().kind(), io::ErrorKind::StorageFull);
            assert_eq!(fs::read(&path).unwrap(), b"before", "{operation}");
            assert_eq!(names(folder.path()), ["run.json"], "{operation}");

            let disk = FaultyDisk::at(operation, Fault::Done(io::ErrorKind::TimedOut));
            // Whatever it says then, it is one of both.
            let _ = write_durably(&disk, &path, b"after");
            let found = fs::read(&path).unwrap();
            assert!(
                found == b"before" || found == b"after",
                "{operation}: {found:?}"
            );
            assert_eq!(names(folder.path()), ["run.json"], "{operation}");
        }
    }

    #[test]
    fn what_is_written_durably_is_synced_before_it_has_its_name() {
        let folder = tempfile::tempdir().unwrap();
        let disk = FaultyDisk::new(|_, _| None);
        write_durably(&disk, &folder.path().join("run.json"), b"after").unwrap();
        assert_eq!(
            disk.asked(),
            ["write_new", "sync_file", "rename_over", "sync_folder"]
        );
    }

    #[test]
    fn a_free_name_is_nobody_elses() {
        let folder = tempfile::tempdir().unwrap();
        let name = |number: &str| folder.path().join(format!("dawn.0001.png{number}"));
        assert_eq!(free_name(folder.path(), "dawn.0001.png"), name(""));
        fs::write(name(""), "one").unwrap();
        // A link that leads nowhere takes a name too.
        crate::system::symlink("nowhere", &name(".2")).unwrap();
        assert_eq!(free_name(folder.path(), "dawn.0001.png"), name(".3"));
    }

    #[test]
    fn threads_that_look_for_a_folder_at_once_get_one_each() {
        let folder = tempfile::tempdir().unwrap();
        let made = std::thread::scope(|scope| {
            let make = || create_free_folder(&RealDisk, folder.path(), "prepared").unwrap();
            let threads: Vec<_> = (0..8).map(|_| scope.spawn(make)).collect();
            let made = threads.into_iter().map(|thread| thread.join().unwrap());
            made.collect::<std::collections::BTreeSet<_>>()
        });
        assert_eq!(made.len(), 8);
    }

    #[test]
    fn folders_are_made_with_all_above_them_and_each_is_synced_into_its_own() {
        let folder = tempfile::tempdir().unwrap();
        let deep = folder.path().join("a/b/c");
        RealDisk.create_folders(&deep).unwrap();
        RealDisk.create_folders(&deep).unwrap();
        assert!(deep.is_dir());
        // A file in the way is an error, and stays.
        fs::write(folder.path().join("a/file"), "mine").unwrap();
        assert!(
            RealDisk
                .create_folders(&folder.path().join("a/file/d"))
                .is_err()
        );
        assert_eq!(fs::read(folder.path().join("a/file")).unwrap(), b"mine");
    }

    #[test]
    fn renaming_to_a_new_name_never_replaces() {
        let folder = tempfile::tempdir().unwrap();
        let (one, other) = (folder.path().join("one"), folder.path().join("other"));
        fs::write(&one, "one").unwrap();
        fs::write(&other, "other").unwrap();
        let refused = RealDisk.rename_new(&one, &other).unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        let refused = RealDisk.copy_new(&one, &other).unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        let refused = RealDisk.write_new(&other, b"new").unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        assert!(RealDisk.create_log(&other).is_err());
        assert_eq!(fs::read(&one).unwrap(), b"one");
        assert_eq!(fs::read(&other).unwrap(), b"other");
    }

    #[test]
    fn what_is_gone_counts_as_removed_and_what_is_full_does_not() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("file");
        RealDisk.remove_file(&path).unwrap();
        RealDisk.remove_tree(&path).unwrap();
        fs::create_dir(&path).unwrap();
        fs::write(path.join("frame"), "mine").unwrap();
        assert!(RealDisk.remove_folder(&path).is_err());
        assert!(path.join("frame").exists());
        RealDisk.remove_tree(&path).unwrap();
        assert!(!path.exists());
    }

    #[test]
    fn a_stamp_is_of_a_regular_file_alone() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("frame.png");
        assert_eq!(stamp(&path).unwrap(), None);
        fs::write(&path, "12345").unwrap();
        assert_eq!(stamp(&path).unwrap().unwrap().size, 5);
        let link = folder.path().join("link.png");
        crate::system::symlink("frame.png", &link).unwrap();
        for path in [&link, folder.path()] {
            let refused = stamp(path).unwrap_err();
            assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        }
    }

    #[test]
    fn a_long_file_is_known_by_its_length_and_its_ends() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("cache");
        let file = File::create(&path).unwrap();
        file.set_len((1 << 26) + 10).unwrap();
        let hash = hash_outline(&path).unwrap();
        assert_ne!(hash, hash_file(&path).unwrap());
        file.set_len((1 << 26) + 11).unwrap();
        assert_ne!(hash, hash_outline(&path).unwrap());
        let short = folder.path().join("short");
        fs::write(&short, "frame").unwrap();
        assert_eq!(hash_outline(&short).unwrap(), hash_file(&short).unwrap());
    }
}
