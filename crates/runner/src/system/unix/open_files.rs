//! Whether any process has a file open for writing.

use std::fs::{self, File};
use std::io;
use std::os::fd::AsRawFd;
use std::path::Path;

/// Whether any process has this file open for writing, as far as the system shows: Linux gives a lease
/// on a file to read only where nobody has. File systems without leases are asked by way of `/proc`,
/// which knows the processes of this user alone.
pub(crate) fn is_open_for_writing(path: &Path) -> io::Result<bool> {
    let file = File::open(path)?;
    match lease(&file) {
        Lease::Given => Ok(false),
        Lease::Refused => Ok(true),
        Lease::Unknown => {
            let folder = path.parent().unwrap_or(Path::new("/"));
            let name = path.file_name().and_then(|name| name.to_str());
            Ok(is_written_in(folder, name))
        }
    }
}

enum Lease {
    Given,
    Refused,
    Unknown,
}

/// Chooses the signal of a file's lease; Linux, `asm-generic/fcntl.h`.
#[cfg(target_os = "linux")]
const F_SETSIG: libc::c_int = 10;

/// Takes a lease and gives it back at once. See fcntl(2), `F_SETLEASE`.
#[cfg(target_os = "linux")]
fn lease(file: &File) -> Lease {
    let descriptor = file.as_raw_fd();
    // Should somebody open the file to write in this very instant, the system sends a signal, which
    // must be one that is ignored unless somebody asks for it.
    // SAFETY: fcntl with these commands takes whole numbers and touches no memory of this process; the
    // descriptor is open for as long as `file` is borrowed.
    #[allow(unsafe_code)]
    let taken = unsafe {
        if libc::fcntl(descriptor, F_SETSIG, libc::SIGURG) != 0 {
            return Lease::Unknown;
        }
        libc::fcntl(descriptor, libc::F_SETLEASE, libc::F_RDLCK)
    };
    if taken != 0 {
        return match io::Error::last_os_error().raw_os_error() {
            Some(libc::EAGAIN) => Lease::Refused,
            _ => Lease::Unknown,
        };
    }
    // SAFETY: as above.
    #[allow(unsafe_code)]
    unsafe {
        libc::fcntl(descriptor, libc::F_SETLEASE, libc::F_UNLCK);
    }
    Lease::Given
}

#[cfg(not(target_os = "linux"))]
fn lease(_: &File) -> Lease {
    Lease::Unknown
}

/// Whether a process has a file in this folder open for writing, or works in it; read from
/// `/proc`, so only on Linux and only for processes of this user.
pub(crate) fn is_written_in(folder: &Path, file: Option<&str>) -> bool {
    let Ok(folder) = folder.canonicalize() else {
        return false;
    };
    let wanted = file.map(|file| folder.join(file));
    let Ok(processes) = fs::read_dir("/proc") else {
        return false;
    };
    processes
        .flatten()
        .filter(|entry| {
            entry
                .file_name()
                .as_encoded_bytes()
                .first()
                .is_some_and(u8::is_ascii_digit)
        })
        .any(|process| holds(&process.path(), &folder, wanted.as_deref()))
}

fn holds(process: &Path, folder: &Path, wanted: Option<&Path>) -> bool {
    let Ok(descriptors) = fs::read_dir(process.join("fd")) else {
        return false;
    };
    descriptors.flatten().any(|descriptor| {
        let path = descriptor.path();
        let ours = fs::read_link(&path).is_ok_and(|target| match wanted {
            Some(wanted) => target == wanted,
            None => target.starts_with(folder),
        });
        ours && has_write_flag(&process.join("fdinfo").join(descriptor.file_name()))
    })
}

/// The access mode is in the last octal digit of `flags` (proc(5)): 0 is reading only.
fn has_write_flag(info: &Path) -> bool {
    fs::read_to_string(info).is_ok_and(|text| {
        text.lines()
            .find_map(|line| line.strip_prefix("flags:"))
            .and_then(|flags| flags.trim().chars().last())
            .is_some_and(|last| last.to_digit(8).is_some_and(|mode| mode & 3 != 0))
    })
}

/// Whether the file system of a folder says who has files open; for tests.
#[cfg(test)]
fn gives_leases(folder: &Path) -> bool {
    let path = folder.join("asked");
    let is_given = std::fs::write(&path, "x").is_ok()
        && File::open(&path).is_ok_and(|file| matches!(lease(&file), Lease::Given));
    let _ = std::fs::remove_file(&path);
    is_given
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_open_for_writing_until_it_is_closed() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("picture.png");
        let writer = File::create(&path).unwrap();
        assert!(is_open_for_writing(&path).unwrap());
        let reader = File::open(&path).unwrap();
        drop(writer);
        // A program that another test starts right now holds the file until it runs.
        let mut looks = std::iter::repeat_with(|| is_open_for_writing(&path).unwrap());
        assert!(looks.by_ref().take(100_000).any(|is_open| !is_open));
        drop(reader);
        // Either way of asking gives the same here.
        let name = path.file_name().and_then(|name| name.to_str());
        let writer = File::options().append(true).open(&path).unwrap();
        assert!(is_written_in(folder.path(), name));
        assert!(is_open_for_writing(&path).unwrap() || !gives_leases(folder.path()));
        drop(writer);
        assert!(!is_written_in(folder.path(), name));
    }
}
