//! Rewrites a text file that somebody may be editing.

use std::fs;
use std::io;
use std::path::Path;

use crate::disk::{Disk, rename_over, unique_beside, write_new};
use truepath_media::read_text;

/// Puts a text in place of another, at once: it is written beside the file, synced, and renamed over
/// it. A file that is no longer what was read stays as it is.
///
/// # Errors
/// When the disk refuses, or the file was changed meanwhile.
pub fn rewrite(disk: &dyn Disk, path: &Path, old: &str, new: &str) -> io::Result<()> {
    // The file itself, should the path be a link.
    let path = fs::canonicalize(path)?;
    if read_text(&path)? != old {
        return Err(io::Error::other("it was changed meanwhile; check it again"));
    }
    let beside = unique_beside(&path);
    let written = write_new(disk, &beside, new.as_bytes())
        .and_then(|()| disk.copy_permissions(&path, &beside))
        .and_then(|()| disk.sync_file(&beside))
        .and_then(|()| rename_over(disk, &beside, &path));
    if written.is_err() {
        // What was written beside it is ours, and of no use.
        let _ = disk.remove_file(&beside);
    }
    written
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;

    #[test]
    fn a_file_is_replaced_whole_or_stays_as_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("truepath.toml");
        fs::write(&path, "version = 1\n").unwrap();
        rewrite(&RealDisk, &path, "version = 1\n", "version = 2\n").unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "version = 2\n");
        let refused = rewrite(&RealDisk, &path, "version = 1\n", "version = 3\n");
        assert!(
            refused
                .unwrap_err()
                .to_string()
                .contains("changed meanwhile")
        );
        assert_eq!(fs::read_to_string(&path).unwrap(), "version = 2\n");
        // Nothing is left beside it.
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
    }

    #[test]
    fn the_file_behind_a_link_is_rewritten() {
        let folder = tempfile::tempdir().unwrap();
        let (path, link) = (folder.path().join("real.toml"), folder.path().join("link"));
        fs::write(&path, "a").unwrap();
        crate::system::symlink("real.toml", &link).unwrap();
        rewrite(&RealDisk, &link, "a", "b").unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "b");
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
    }
}
