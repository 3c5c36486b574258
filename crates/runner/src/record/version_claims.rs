//! Which settings a version belongs to, where a run goes on to the next version that is free: two runs that begin at once
//! with other settings must not share one.
//!
//! A claim is a file in the state folder for each deliverable, named by the pattern of its paths, which holds the
//! fingerprint of its pictures. It is written whole and only where there is none.

use std::io;
use std::path::{Path, PathBuf};

use sha2::{Digest, Sha256};
use truepath_core::hex::hex;

use crate::disk::{Disk, rename, unique_beside, write_new};
use truepath_media::{MOST_TEXT, read_regular};

/// The claims of the versions of a job.
pub(crate) struct VersionClaims<'d> {
    disk: &'d dyn Disk,
    folder: PathBuf,
    /// Those that this run has made.
    own: Vec<PathBuf>,
}

impl<'d> VersionClaims<'d> {
    /// Those in a folder.
    pub(crate) fn new(disk: &'d dyn Disk, folder: PathBuf) -> Self {
        Self {
            disk,
            folder,
            own: Vec::new(),
        }
    }

    /// Claims the files of a pattern for a fingerprint; gives whether they are its own.
    pub(crate) fn claim(&mut self, pattern: &str, fingerprint: &str) -> io::Result<bool> {
        let name = hex(&Sha256::digest(pattern.as_bytes())[..16]);
        let path = self.folder.join(name);
        self.disk.create_folders(&self.folder)?;
        let whole = unique_beside(&path);
        write_new(self.disk, &whole, fingerprint.as_bytes())?;
        match rename(self.disk, &whole, &path) {
            Ok(()) => {
                self.own.push(path);
                Ok(true)
            }
            Err(error) => {
                self.disk.remove_file(&whole)?;
                if error.kind() == io::ErrorKind::AlreadyExists {
                    is_for(&path, fingerprint)
                } else {
                    Err(error)
                }
            }
        }
    }

    /// Gives back what this run has claimed: nothing was made.
    pub(crate) fn give_back(&self) -> io::Result<()> {
        let mut own = self.own.iter();
        own.try_for_each(|path| self.disk.remove_file(path))
    }
}

fn is_for(path: &Path, fingerprint: &str) -> io::Result<bool> {
    Ok(read_regular(path, MOST_TEXT)? == fingerprint.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;

    #[test]
    fn a_version_belongs_to_the_settings_that_claimed_it_first() {
        let folder = tempfile::tempdir().unwrap();
        let of_run = || VersionClaims::new(&RealDisk, folder.path().join("versions"));
        let (mut one, mut other) = (of_run(), of_run());
        assert!(one.claim("r/dawn_v001.#.png", "aa").unwrap());
        assert!(!other.claim("r/dawn_v001.#.png", "bb").unwrap());
        assert!(other.claim("r/dawn_v001.#.png", "aa").unwrap());
        assert!(other.claim("r/dawn_v002.#.png", "bb").unwrap());
        // Only what a run has claimed itself is given back.
        other.give_back().unwrap();
        assert!(!other.claim("r/dawn_v001.#.png", "bb").unwrap());
        one.give_back().unwrap();
        assert!(other.claim("r/dawn_v001.#.png", "bb").unwrap());
        assert_eq!(
            crate::sample::names(&folder.path().join("versions")).len(),
            1
        );
    }
}
