//! The folders of the true names.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::FrameSet;

use super::RunError;
use super::context::RunContext;
use crate::disk::Disk;

/// Makes the folders of the true names, and sees that no link leads out of their places.
pub(super) fn make_folders(
    context: &RunContext<'_>,
    deliverables: &[&Deliverable],
    frames: &FrameSet,
) -> Result<PathBuf, RunError> {
    let mut first = None;
    for deliverable in deliverables {
        let root = Path::new(&*deliverable.root);
        for folder in deliverable.folders(frames) {
            let folder = PathBuf::from(folder);
            make_inside(context.disk, &folder, root)?;
            first.get_or_insert(folder);
        }
    }
    Ok(first.unwrap_or_default())
}

/// Makes a folder, unless a link leads it out of its place.
fn make_inside(disk: &dyn Disk, folder: &Path, root: &Path) -> Result<(), RunError> {
    disk.create_folders(root).map_err(RunError::disk(root))?;
    let there = folder
        .ancestors()
        .find(|above| above.is_dir())
        .unwrap_or(root);
    if !stays_inside(there, root).map_err(RunError::disk(there))? {
        return Err(RunError::Outside {
            folder: folder.display().to_string(),
            root: root.display().to_string(),
        });
    }
    disk.create_folders(folder).map_err(RunError::disk(folder))
}

/// Whether a folder, links followed, is still inside its place.
fn stays_inside(folder: &Path, root: &Path) -> io::Result<bool> {
    Ok(folder.canonicalize()?.starts_with(root.canonicalize()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_out_of_its_place_is_seen() {
        let folder = tempfile::tempdir().unwrap();
        let (place, other) = (folder.path().join("place"), folder.path().join("other"));
        std::fs::create_dir_all(place.join("renders")).unwrap();
        std::fs::create_dir(&other).unwrap();
        crate::system::symlink("../other", &place.join("link")).unwrap();
        assert!(stays_inside(&place.join("renders"), &place).unwrap());
        assert!(!stays_inside(&place.join("link"), &place).unwrap());
    }
}
