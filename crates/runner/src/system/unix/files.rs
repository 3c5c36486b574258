//! Files: names, locks, identities and times.

use std::ffi::OsStr;
use std::fs::{self, File, Metadata};
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{FileTypeExt, MetadataExt, PermissionsExt};
use std::path::Path;

use rustix::fs::{Access, CWD, FlockOperation, RenameFlags, flock, renameat_with, statvfs};
use rustix::io::Errno;

/// Renames a file and never replaces one.
pub(crate) fn rename_new(from: &Path, to: &Path) -> io::Result<()> {
    match renameat_with(CWD, from, CWD, to, RenameFlags::NOREPLACE) {
        Ok(()) => Ok(()),
        // A file system that knows no flags: a link never replaces either.
        Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
            fs::hard_link(from, to)?;
            fs::remove_file(from)
        }
        Err(error) => Err(error.into()),
    }
}

/// Lets two files change their names, atomically.
pub(crate) fn exchange(one: &Path, other: &Path) -> io::Result<()> {
    Ok(renameat_with(CWD, one, CWD, other, RenameFlags::EXCHANGE)?)
}

/// Lays a symbolic link.
pub(crate) fn symlink(target: &str, name: &Path) -> io::Result<()> {
    rustix::fs::symlink(target, name).map_err(io::Error::from)
}

/// Makes sure that the names in a folder stay.
pub(crate) fn sync_folder(folder: &Path) -> io::Result<()> {
    File::open(folder)?.sync_all()
}

/// What distinguishes a file from all others, whatever it is called: its device and its number there. Links are
/// not followed.
pub(crate) fn identity(path: &Path) -> io::Result<(u64, u64)> {
    let facts = fs::symlink_metadata(path)?;
    Ok((facts.dev(), facts.ino()))
}

/// The device that a folder lies on.
pub(crate) fn device(folder: &Path) -> io::Result<u64> {
    Ok(fs::metadata(folder)?.dev())
}

/// How many names a file has.
pub(crate) fn names(facts: &Metadata) -> u64 {
    facts.nlink()
}

/// What the file system calls a file or folder, whatever its path; 0 where it is not there.
pub(crate) fn file_number(path: &Path) -> u64 {
    fs::metadata(path).map_or(0, |facts| facts.ino())
}

/// When the content of a file last changed, as its last writer left it, in nanoseconds since 1970.
pub(crate) fn modified_at(facts: &Metadata) -> i128 {
    nanoseconds(facts.mtime(), facts.mtime_nsec())
}

/// When the content or the name of a file last changed, in nanoseconds since 1970: no program can set
/// that time back.
pub(crate) fn changed_at(facts: &Metadata) -> i128 {
    nanoseconds(facts.ctime(), facts.ctime_nsec())
}

fn nanoseconds(seconds: i64, nanoseconds: i64) -> i128 {
    i128::from(seconds) * 1_000_000_000 + i128::from(nanoseconds)
}

/// A name as the file system keeps it: any bytes.
pub(crate) fn bytes_of_name(name: &OsStr) -> &[u8] {
    name.as_bytes()
}

/// The name with these bytes.
pub(crate) fn name_of_bytes(bytes: &[u8]) -> &OsStr {
    OsStr::from_bytes(bytes)
}

/// Whether something is a named pipe.
#[must_use]
pub fn is_pipe(facts: &Metadata) -> bool {
    facts.file_type().is_fifo()
}

/// Whether a file may be started as a program.
pub(crate) fn is_executable(facts: &Metadata) -> bool {
    facts.permissions().mode() & 0o111 != 0
}

/// Whether this user may write in a folder.
pub(crate) fn is_writable(folder: &Path) -> bool {
    rustix::fs::access(folder, Access::WRITE_OK).is_ok()
}

/// Bytes that are free for this user on the disk of a folder.
pub(crate) fn free_space(folder: &Path) -> Option<u64> {
    let disk = statvfs(folder).ok()?;
    Some(disk.f_bavail * disk.f_frsize)
}

/// Locks a file for as long as it is open: the system lets go of it whatever becomes of this process.
pub(crate) fn lock_file(file: &File) -> io::Result<()> {
    flock(file, FlockOperation::NonBlockingLockExclusive).map_err(io::Error::from)
}

/// Whether another process has locked a file.
pub(crate) fn is_held_by_another(file: &File) -> io::Result<bool> {
    match flock(file, FlockOperation::NonBlockingLockShared) {
        Ok(()) => Ok(false),
        Err(Errno::WOULDBLOCK) => Ok(true),
        Err(error) => Err(error.into()),
    }
}
