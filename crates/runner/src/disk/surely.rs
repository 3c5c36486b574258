//! Names that are changed where answers get lost: a client of a file server that hears nothing asks once
//! more, and is reported that it cannot be done, since it is done. So after an error it is looked at what is
//! there before anything is decided.

use std::io;
use std::path::Path;

use super::{Disk, content_hash, is_empty};
use crate::system::identity;
use truepath_media::read_regular;

/// Makes a folder whose name nobody else uses.
pub(crate) fn create_folder(disk: &dyn Disk, folder: &Path) -> io::Result<()> {
    match disk.create_new_folder(folder) {
        Err(_) if is_empty(folder).unwrap_or(false) => Ok(()),
        created => created,
    }
}

/// Renames a file and never replaces one.
pub(crate) fn rename(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    let file = identity(from)?;
    let renamed = disk.rename_new(from, to);
    if renamed.is_ok() || identity(to).ok() != Some(file) {
        return renamed;
    }
    // By a second name, of which the first is still there.
    if identity(from).ok() == Some(file) {
        disk.remove_file(from)
    } else {
        Ok(())
    }
}

/// Renames a file or folder of our own over one that has the name.
pub(crate) fn rename_over(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    let file = identity(from)?;
    let renamed = disk.rename_over(from, to);
    if identity(to).ok() == Some(file) {
        Ok(())
    } else {
        renamed
    }
}

/// Writes a small file under a name that nobody else uses.
pub(crate) fn write_new(disk: &dyn Disk, path: &Path, bytes: &[u8]) -> io::Result<()> {
    match disk.write_new(path, bytes) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            if read_regular(path, bytes.len() as u64).is_ok_and(|found| found == bytes) {
                Ok(())
            } else {
                Err(error)
            }
        }
        written => written,
    }
}

/// Copies a file to a name that nobody else uses.
pub(crate) fn copy_new(disk: &dyn Disk, from: &Path, to: &Path) -> io::Result<()> {
    match disk.copy_new(from, to) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            if content_hash(from)? == content_hash(to)? {
                Ok(())
            } else {
                Err(error)
            }
        }
        copied => copied,
    }
}

/// Lets two files change their names.
pub(crate) fn exchange(disk: &dyn Disk, one: &Path, other: &Path) -> io::Result<()> {
    let file = identity(one)?;
    let exchanged = disk.exchange(one, other);
    match (exchanged, identity(other)?) {
        (_, now) if now == file => Ok(()),
        // Asked twice, and exchanged twice.
        (Ok(()), _) => Err(io::Error::other(
            "the file system said that it exchanged two files and did not",
        )),
        (refused, _) => refused,
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use std::path::PathBuf;

    use super::super::RealDisk;
    use super::super::faulty::{Fault, FaultyDisk};
    use super::*;

    /// What a client of a file server is answered when the first answer got lost.
    const LOST: [Fault; 2] = [Fault::Twice, Fault::Done(io::ErrorKind::TimedOut)];
    const REFUSED: Fault = Fault::Refused(io::ErrorKind::PermissionDenied);

    struct Files {
        _folder: tempfile::TempDir,
        one: PathBuf,
        other: PathBuf,
    }

    /// Two paths, of which the first is a file.
    fn files() -> Files {
        let folder = tempfile::tempdir().unwrap();
        let (one, other) = (folder.path().join("one"), folder.path().join("other"));
        fs::write(&one, "one").unwrap();
        Files {
            _folder: folder,
            one,
            other,
        }
    }

    #[test]
    fn a_rename_is_done_though_its_answer_is_lost() {
        for fault in LOST {
            let files = files();
            let disk = FaultyDisk::at("rename_new", fault);
            rename(&disk, &files.one, &files.other).unwrap();
            assert!(!files.one.exists());
            assert_eq!(fs::read(&files.other).unwrap(), b"one");

            fs::write(&files.one, "new").unwrap();
            let disk = FaultyDisk::at("rename_over", fault);
            rename_over(&disk, &files.one, &files.other).unwrap();
            assert_eq!(fs::read(&files.other).unwrap(), b"new");
        }
    }

    #[test]
    fn a_rename_by_a_second_name_loses_the_first_in_the_end() {
        // The file has both names when the answer comes: what a link made was not undone.
        let files = files();
        fs::hard_link(&files.one, &files.other).unwrap();
        let disk = FaultyDisk::at("rename_new", Fault::Refused(io::ErrorKind::AlreadyExists));
        rename(&disk, &files.one, &files.other).unwrap();
        assert!(!files.one.exists());
        assert_eq!(fs::read(&files.other).unwrap(), b"one");
    }

    #[test]
    fn a_rename_that_is_refused_changes_nothing() {
        let files = files();
        let disk = FaultyDisk::new(|_, _| Some(REFUSED));
        assert!(rename(&disk, &files.one, &files.other).is_err());
        assert!(rename_over(&disk, &files.one, &files.other).is_err());
        fs::write(&files.other, "other").unwrap();
        let refused = rename(&RealDisk, &files.one, &files.other).unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(fs::read(&files.one).unwrap(), b"one");
        assert_eq!(fs::read(&files.other).unwrap(), b"other");
    }

    #[test]
    fn files_are_written_and_copied_once_and_never_over_others() {
        let files = files();
        let disk = FaultyDisk::new(|_, _| Some(Fault::Twice));
        write_new(&disk, &files.other, b"new").unwrap();
        fs::remove_file(&files.other).unwrap();
        copy_new(&disk, &files.one, &files.other).unwrap();
        assert_eq!(fs::read(&files.other).unwrap(), b"one");
        // What somebody else has written there is not ours.
        fs::write(&files.other, "two").unwrap();
        for refused in [
            write_new(&disk, &files.other, b"new"),
            copy_new(&disk, &files.one, &files.other),
        ] {
            assert_eq!(refused.unwrap_err().kind(), io::ErrorKind::AlreadyExists);
        }
        assert_eq!(fs::read(&files.other).unwrap(), b"two");
    }

    #[test]
    fn a_folder_that_is_made_twice_is_one_and_a_full_one_is_not_ours() {
        let files = files();
        let disk = FaultyDisk::at("create_new_folder", Fault::Twice);
        create_folder(&disk, &files.other).unwrap();
        fs::write(files.other.join("frame"), "mine").unwrap();
        assert!(create_folder(&RealDisk, &files.other).is_err());
    }

    #[test]
    fn two_files_that_are_exchanged_twice_are_reported() {
        let files = files();
        fs::write(&files.other, "other").unwrap();
        let disk = FaultyDisk::at("exchange", Fault::Done(io::ErrorKind::TimedOut));
        exchange(&disk, &files.one, &files.other).unwrap();
        assert_eq!(fs::read(&files.one).unwrap(), b"other");
        let disk = FaultyDisk::at("exchange", Fault::Twice);
        let error = exchange(&disk, &files.one, &files.other).unwrap_err();
        assert!(error.to_string().contains("did not"), "{error}");
        assert_eq!(fs::read(&files.one).unwrap(), b"other");
        let disk = FaultyDisk::at("exchange", REFUSED);
        assert!(exchange(&disk, &files.one, &files.other).is_err());
        assert_eq!(fs::read(&files.other).unwrap(), b"one");
    }
}
