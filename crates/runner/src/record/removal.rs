//! What a removal needs: that this very file, with these very bytes, is known to be the run's own or was named by the
//! user. Every file of a user's that is removed passes through here.

use std::io;
use std::path::{Path, PathBuf};

use sha2::{Digest, Sha256};
use truepath_core::hex::hex;
use truepath_media::HashKind;

use crate::disk::{Disk, content_hash, has_content, recorded, stamp};
use crate::system::{identity, is_open_for_writing};

/// Why a file stays.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stays {
    /// Its bytes are not those that are recorded.
    Changed,
    /// A program has it open for writing.
    Open,
    /// It is not a regular file.
    NoFile,
}

/// Removes a file if its bytes have this hash, as ledgers record it, and nobody writes it. One that is not there is
/// removed. Gives why it stays, if it does.
///
/// # Errors
/// When it cannot be read, or the disk refuses.
pub(crate) fn remove_if_same(
    disk: &dyn Disk,
    path: &Path,
    hash: &str,
) -> io::Result<Option<Stays>> {
    let before = match stamp(path) {
        Ok(None) => return Ok(None),
        Ok(Some(before)) => (before, identity(path)?),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            return Ok(Some(Stays::NoFile));
        }
        Err(error) => return Err(error),
    };
    if is_open_for_writing(path)? {
        return Ok(Some(Stays::Open));
    }
    if !has_content(path, hash)? {
        return Ok(Some(Stays::Changed));
    }
    // Between reading and removing nobody has put another file there, or written to this one.
    let now = stamp(path)?.map(|now| identity(path).map(|identity| (now, identity)));
    match now.transpose()? {
        None => Ok(None),
        Some(now) if now != before => Ok(Some(Stays::Changed)),
        Some(_) if is_open_for_writing(path)? => Ok(Some(Stays::Open)),
        Some(_) => disk.remove_file(path).map(|()| None),
    }
}

/// Removes folders that are empty, from one upwards, up to a folder that stays.
pub(crate) fn remove_empty_folders(disk: &dyn Disk, folder: &Path, up_to: &Path) {
    let mut above = Some(folder);
    let is_below = |folder: &&Path| *folder != up_to && folder.starts_with(up_to);
    while let Some(folder) = above.filter(is_below) {
        // Only an empty one goes.
        if disk.remove_folder(folder).is_err() {
            return;
        }
        above = folder.parent();
    }
}

/// The hash of what lies under a path: of a file its bytes, of a folder the names and bytes of all in it, of a link where
/// it leads.
///
/// # Errors
/// When something cannot be read.
pub(crate) fn hash_of_all(path: &Path) -> io::Result<String> {
    let facts = path.symlink_metadata()?;
    if facts.is_file() {
        return content_hash(path);
    }
    let mut hasher = Sha256::new();
    if facts.is_symlink() {
        hasher.update(b"link\0");
        hasher.update(path.read_link()?.as_os_str().as_encoded_bytes());
    } else if facts.is_dir() {
        hasher.update(b"folder\0");
        let entries = path.read_dir()?.map(|entry| Ok(entry?.path()));
        let mut entries: Vec<PathBuf> = entries.collect::<io::Result<_>>()?;
        entries.sort();
        for entry in entries {
            let name = entry.file_name().unwrap_or_default();
            hasher.update(name.as_encoded_bytes());
            hasher.update(b"\0");
            hasher.update(hash_of_all(&entry)?.as_bytes());
        }
    } else {
        hasher.update(b"other\0");
    }
    Ok(recorded(HashKind::Sha256, &hex(&hasher.finalize())))
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;
    use crate::disk::RealDisk;

    #[test]
    fn only_the_very_bytes_are_removed() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("kiln.0001.png");
        fs::write(&path, "frame").unwrap();
        let hash = content_hash(&path).unwrap();
        // As long and as old as before, and another picture.
        let time = fs::metadata(&path).unwrap().modified().unwrap();
        fs::write(&path, "edits").unwrap();
        let file = fs::File::options().write(true).open(&path).unwrap();
        file.set_modified(time).unwrap();
        let removed = || remove_if_same(&RealDisk, &path, &hash).unwrap();
        assert_eq!(removed(), Some(Stays::Open));
        drop(file);
        assert_eq!(removed(), Some(Stays::Changed));
        fs::write(&path, "frame").unwrap();
        assert_eq!(removed(), None);
        assert!(!path.exists());
        // What is gone is removed; a link or a folder is nobody's to remove.
        assert_eq!(removed(), None);
        crate::system::symlink("elsewhere", &path).unwrap();
        assert_eq!(removed(), Some(Stays::NoFile));
    }

    #[test]
    fn a_folder_is_known_by_all_that_is_in_it() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("left");
        fs::create_dir_all(path.join("b")).unwrap();
        fs::write(path.join("a"), "1").unwrap();
        let first = hash_of_all(&path).unwrap();
        assert_eq!(hash_of_all(&path).unwrap(), first);
        fs::write(path.join("b/notes"), "").unwrap();
        assert_ne!(hash_of_all(&path).unwrap(), first);
    }

    #[test]
    fn empty_folders_go_up_to_the_one_that_stays() {
        let folder = tempfile::tempdir().unwrap();
        let (root, deep) = (folder.path().join("r"), folder.path().join("r/a/b"));
        fs::create_dir_all(&deep).unwrap();
        fs::write(root.join("mine"), "").unwrap();
        remove_empty_folders(&RealDisk, &deep, &root);
        assert!(!root.join("a").exists() && root.exists());
    }
}
