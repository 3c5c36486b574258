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
        Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => match fs::hard_link(from, to) {
            Err(error) if has_no_links(&error) => rename_over_placeholder(from, to),
            linked => {
                linked?;
                fs::remove_file(from)
            }
        },
        Err(error) => Err(error.into()),
    }
}

/// Whether an error says that a file system knows no second names of files.
pub(crate) fn has_no_links(error: &io::Error) -> bool {
    matches!(
        error.kind(),
        io::ErrorKind::PermissionDenied | io::ErrorKind::Unsupported
    )
}

/// Takes a name by an empty file, which only one process can create, and renames over that while it is still the same
/// and empty. Killed in between, an empty file has the name, which the next run removes.
fn rename_over_placeholder(from: &Path, to: &Path) -> io::Result<()> {
    if fs::symlink_metadata(from)?.is_dir() {
        // A folder takes the place of an empty one only.
        fs::create_dir(to)?;
        return fs::rename(from, to);
    }
    let placeholder = File::create_new(to)?;
    let is_still_there = || -> io::Result<bool> {
        let facts = fs::symlink_metadata(to)?;
        Ok(facts.len() == 0 && is_same_file(&facts, &placeholder.metadata()?))
    };
    if !is_still_there()? {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    // An open file that loses its name keeps another one on some of these file systems.
    drop(placeholder);
    fs::rename(from, to).inspect_err(|_| {
        if fs::symlink_metadata(to).is_ok_and(|facts| facts.is_file() && facts.len() == 0) {
            let _ = fs::remove_file(to);
        }
    })
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

/// Opens a file of our own to be written; what is a link by now is none.
pub(crate) fn open_own(path: &Path) -> io::Result<File> {
    use std::os::unix::fs::OpenOptionsExt;
    let no_link = rustix::fs::OFlags::NOFOLLOW.bits();
    File::options()
        .write(true)
        .custom_flags(no_link.cast_signed())
        .open(path)
}

/// Whether new files in a folder belong to its group.
pub(crate) fn is_of_group(folder: &Path) -> bool {
    fs::metadata(folder).is_ok_and(|facts| facts.permissions().mode() & 0o2000 != 0)
}

/// Lets nobody but this user into a folder.
pub(crate) fn make_private(folder: &Path) -> io::Result<()> {
    fs::set_permissions(folder, fs::Permissions::from_mode(0o700))
}

/// Whether two are of one file.
pub(crate) fn is_same_file(one: &Metadata, other: &Metadata) -> bool {
    (one.dev(), one.ino()) == (other.dev(), other.ino())
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

/// Where data comes next in a file, from a place on: what is before that is a hole. Its length where there is no more; none
/// where the file system does not say it.
pub(crate) fn next_data(file: &File, from: u64) -> Option<u64> {
    #[cfg(target_os = "linux")]
    {
        match rustix::fs::seek(file, rustix::fs::SeekFrom::Data(from)) {
            Ok(data) => Some(data),
            Err(Errno::NXIO) => Some(file.metadata().ok()?.len()),
            Err(_) => None,
        }
    }
    #[cfg(not(target_os = "linux"))]
    {
        let _ = (file, from);
        None
    }
}

/// The name of the file system of a folder, where it is one that knows no links: FAT or exFAT (their numbers are those of
/// the Linux header `linux/magic.h`). One that a program of the user's serves is not known.
pub(crate) fn file_system_without_links(folder: &Path) -> Option<String> {
    #[cfg(target_os = "linux")]
    {
        let name = match rustix::fs::statfs(folder).ok()?.f_type {
            0x4d44 => "FAT",
            0x2011_bab0 => "exFAT",
            _ => return None,
        };
        Some(name.to_owned())
    }
    #[cfg(not(target_os = "linux"))]
    {
        let _ = folder;
        None
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_that_is_taken_by_an_empty_file_goes_to_one_and_replaces_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        for round in 0..20 {
            let to = path(&format!("frame.{round}"));
            let won: usize = std::thread::scope(|scope| {
                let to = &to;
                let threads: Vec<_> = (0..4)
                    .map(|number| {
                        let from = path(&format!("staged.{number}"));
                        fs::write(&from, number.to_string()).unwrap();
                        scope.spawn(move || rename_over_placeholder(&from, to).is_ok())
                    })
                    .collect();
                let ended = threads.into_iter().map(|thread| thread.join().unwrap());
                ended.filter(|won| *won).count()
            });
            assert_eq!(won, 1, "round {round}");
            assert_eq!(fs::read(&to).unwrap().len(), 1);
        }
        fs::write(path("one"), "one").unwrap();
        fs::write(path("other"), "other").unwrap();
        let refused = rename_over_placeholder(&path("one"), &path("other")).unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(fs::read(path("other")).unwrap(), b"other");
        // One that is not there leaves no empty file behind.
        assert!(rename_over_placeholder(&path("nothing"), &path("new")).is_err());
        assert!(!path("new").exists());
        fs::create_dir(path("folder")).unwrap();
        fs::write(path("folder/frame"), "x").unwrap();
        rename_over_placeholder(&path("folder"), &path("moved")).unwrap();
        assert_eq!(fs::read(path("moved/frame")).unwrap(), b"x");
        fs::create_dir(path("folder")).unwrap();
        assert!(rename_over_placeholder(&path("folder"), &path("moved")).is_err());
    }
}
