//! How files are opened that came from outside: only regular ones, without waiting for a writer, and up to a size. A
//! named pipe, a device or an endless link in a stranger's folder costs an error, not a night.

use std::fs::{File, OpenOptions};
use std::io::{self, ErrorKind, Read};
use std::path::Path;

/// Text that people and programs write (jobs, profiles, lists, records) has so many bytes at most.
pub const MOST_TEXT: u64 = 64 << 20;
/// Lists of files have so many bytes at most: some ten million lines.
pub const MOST_LIST: u64 = 2 << 30;

/// Opens a regular file to read it; a link is followed.
///
/// # Errors
/// When there is none, it may not be read, or it is something else, such as a folder, a named pipe or a device.
pub fn open_regular(path: &Path) -> io::Result<File> {
    let mut options = OpenOptions::new();
    options.read(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        // Opening a pipe waits for its writer. On a regular file the flag has no effect (POSIX, open).
        options.custom_flags(rustix::fs::OFlags::NONBLOCK.bits().cast_signed());
    }
    let file = options.open(path)?;
    let kind = file.metadata()?.file_type();
    if kind.is_file() {
        return Ok(file);
    }
    Err(if kind.is_dir() {
        io::Error::new(ErrorKind::IsADirectory, "it is a folder, not a file")
    } else {
        io::Error::new(
            ErrorKind::InvalidInput,
            "it is a pipe, a device or a socket, not a file",
        )
    })
}

/// All bytes of a regular file.
///
/// # Errors
/// As [`open_regular`]; when it has more than `most` bytes, now or while it is read.
pub fn read_regular(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    read_up_to_most(open_regular(path)?, most)
}

/// The text of a regular file.
///
/// # Errors
/// As [`open_regular`]; when it has more than [`MOST_TEXT`] bytes or is not UTF-8, with the line.
pub fn read_text(path: &Path) -> io::Result<String> {
    text_of(read_regular(path, MOST_TEXT)?)
}

/// Bytes from a reader up to a limit, such as standard input.
///
/// # Errors
/// When there are more, or they cannot be read.
pub fn read_up_to_most(reader: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    reader.take(most + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        let limit = most >> 20;
        return Err(io::Error::new(
            ErrorKind::FileTooLarge,
            format!("it has more than {limit} MiB, the limit of such files"),
        ));
    }
    Ok(bytes)
}

/// Bytes as text.
///
/// # Errors
/// When they are not UTF-8, with the line.
pub fn text_of(bytes: Vec<u8>) -> io::Result<String> {
    String::from_utf8(bytes).map_err(|error| {
        let before = &error.as_bytes()[..error.utf8_error().valid_up_to()];
        let line = 1 + before.iter().filter(|byte| **byte == b'\n').count();
        io::Error::new(
            ErrorKind::InvalidData,
            format!("line {line} is not UTF-8 text; save the file as UTF-8"),
        )
    })
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    #[test]
    fn only_regular_files_up_to_a_size_are_read() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("list");
        fs::write(&path, b"one\ntwo \xe9\n").unwrap();
        assert_eq!(read_regular(&path, 10).unwrap().len(), 10);
        let error = read_regular(&path, 9).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::FileTooLarge);
        let error = read_text(&path).unwrap_err();
        assert!(
            error.to_string().starts_with("line 2 is not UTF-8"),
            "{error}"
        );
        let error = open_regular(folder.path()).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::IsADirectory);
        let error = open_regular(&folder.path().join("none")).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::NotFound);
    }

    #[cfg(unix)]
    #[test]
    fn devices_and_pipes_are_no_files() {
        let folder = tempfile::tempdir().unwrap();
        let pipe = folder.path().join("pipe");
        let made = std::process::Command::new("mkfifo").arg(&pipe).status();
        assert!(made.unwrap().success());
        let link = folder.path().join("link");
        std::os::unix::fs::symlink("/dev/zero", &link).unwrap();
        for path in [pipe, link] {
            let error = open_regular(&path).unwrap_err();
            assert_eq!(error.kind(), ErrorKind::InvalidInput, "{}", path.display());
        }
    }
}
