//! The disk behind a trait: every operation that changes something goes through it.

mod hash;
mod real;
mod stamp;
mod surely;

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

pub(crate) use hash::hash_file;
pub(crate) use hash::hash_outline;
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
