//! Staging folders: where engines write, inside the folder of the true names.

use std::ffi::OsString;
use std::fs::{self, DirEntry, ReadDir};
use std::io;
use std::path::{Path, PathBuf};

use crate::disk::{Disk, free_name};
use crate::record::aside::set_try_aside;

/// What staging folders are called; a leading dot keeps them out of listings.
const PREFIX: &str = ".truepath-";
/// Folders in which files are held while an engine writes in their folder.
pub(crate) const HELD: &str = ".truepath-held";
/// The file in each folder that a run makes which says whose it is.
pub(crate) const MARK: &str = ".truepath-mark";

/// What the copies are called by that are made of pictures which an engine has saved before they are finished.
pub(crate) const SAVED: &str = ".truepath-saved-";

/// A name for a new staging folder in a folder. The owner distinguishes a state folder from all others: runs of
/// several jobs may bring their files to one folder.
pub(crate) fn name(folder: &Path, owner: &str, session: u32, count: u32) -> PathBuf {
    free_name(folder, &format!("{PREFIX}{owner}-{session:04}-{count:04}"))
}

/// Whether a folder is called as those are that runs make.
pub(crate) fn has_own_name(folder: &Path) -> bool {
    let Some(name) = folder.file_name().and_then(|name| name.to_str()) else {
        return false;
    };
    let is_staging = || {
        let mut parts = name.strip_prefix(PREFIX)?.split('-');
        let (owner, session, count) = (parts.next()?, parts.next()?, parts.next()?);
        let are_digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
        let is_owner = owner.len() == 8 && owner.bytes().all(|byte| byte.is_ascii_hexdigit());
        let is_session = session.len() >= 4 && are_digits(session);
        Some(
            is_owner
                && is_session
                && count.len() >= 4
                && count.starts_with(|one: char| one.is_ascii_digit()),
        )
    };
    name.starts_with(HELD) || is_staging().unwrap_or(false)
}

/// Whether a staging folder is still there and can be read: engines may remove it, move it, close it, or
/// put something else in its place.
pub(crate) fn is_there(staging: &Path) -> bool {
    opened(staging).is_some()
}

/// What is in a staging folder, as far as it is there; nothing of what took its place.
fn entries(staging: &Path) -> impl Iterator<Item = io::Result<DirEntry>> {
    opened(staging).into_iter().flatten()
}

/// The folder itself, opened for listing; never by way of a link.
fn opened(staging: &Path) -> Option<ReadDir> {
    let is_folder = fs::symlink_metadata(staging).is_ok_and(|facts| facts.is_dir());
    is_folder.then(|| fs::read_dir(staging).ok()).flatten()
}

/// Whether a folder that a run has made is there, and nothing but the mark is in it.
pub(crate) fn is_empty(folder: &Path) -> io::Result<bool> {
    let Some(entries) = opened(folder) else {
        return Ok(false);
    };
    for entry in entries {
        if entry?.file_name() != MARK {
            return Ok(false);
        }
    }
    Ok(true)
}

/// The regular files in a staging folder, by name; links and folders are not listed.
pub(crate) fn files(staging: &Path) -> io::Result<Vec<String>> {
    let mut names = Vec::new();
    for entry in entries(staging) {
        let entry = entry?;
        if entry.file_type()?.is_file()
            && let Ok(name) = entry.file_name().into_string()
            && name != MARK
            && !name.starts_with(SAVED)
        {
            names.push(name);
        }
    }
    names.sort();
    Ok(names)
}

/// The regular files in a staging folder of another machine: what that wrote last may not be in the
/// listing yet. Debug builds let `TRUEPATH_LISTING_LAG` say for how long, in milliseconds.
pub(crate) fn files_of_another(staging: &Path) -> io::Result<Vec<String>> {
    #[cfg(debug_assertions)]
    if let Some(lag) = std::env::var("TRUEPATH_LISTING_LAG")
        .ok()
        .and_then(|text| text.parse().ok())
    {
        let lag = std::time::Duration::from_millis(lag);
        let mut names = files(staging)?;
        names.retain(|name| {
            let changed = fs::metadata(staging.join(name)).and_then(|facts| facts.modified());
            changed.is_ok_and(|time| time.elapsed().is_ok_and(|age| age > lag))
        });
        return Ok(names);
    }
    files(staging)
}

/// Everything in a staging folder but the links that were laid, by name.
fn leftovers(staging: &Path) -> io::Result<Vec<OsString>> {
    let mut names = Vec::new();
    for entry in entries(staging) {
        let entry = entry?;
        let name = entry.file_name();
        let is_own = name == MARK || name.to_string_lossy().starts_with(SAVED);
        if !entry.file_type()?.is_symlink() && !is_own {
            names.push(name);
        }
    }
    names.sort();
    Ok(names)
}

/// Why what is left in a staging folder is set aside.
const LEFT_OVER: &str = "it was not asked for, or is not whole";

/// So many files are set aside one by one; more stay together in their folder.
const MOST_ONE_BY_ONE: usize = 100;

/// Removes a staging folder; what is left in it is set aside first, under `name` and its own name,
/// but for what was given to the engine. Gives what was set aside.
pub(crate) fn clear(
    disk: &dyn Disk,
    staging: &Path,
    name: &str,
    given: &[String],
) -> io::Result<Vec<PathBuf>> {
    let folder = staging.parent().unwrap_or(Path::new("/"));
    // What an engine has put in its place.
    if !is_there(staging) {
        let is_something = fs::symlink_metadata(staging).is_ok();
        let why = "it lay in the place of a staging folder";
        let aside = |()| set_try_aside(disk, staging, folder, &format!("{name}-folder"), why);
        return is_something.then_some(()).map(aside).into_iter().collect();
    }
    let is_given = |file: &OsString| given.iter().any(|one| **one == **file);
    let mut left = leftovers(staging)?;
    left.retain(|file| !is_given(file));
    if left.len() > MOST_ONE_BY_ONE {
        let to = set_try_aside(disk, staging, folder, &format!("{name}-folder"), LEFT_OVER)?;
        return Ok(vec![to]);
    }
    let mut aside = Vec::new();
    for file in left {
        let as_name = format!("{name}-{}", file.to_string_lossy());
        let file = staging.join(&file);
        aside.push(set_try_aside(disk, &file, folder, &as_name, LEFT_OVER)?);
    }
    disk.remove_tree(staging)?;
    Ok(aside)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;
    use crate::disk::faulty::{Fault, FaultyDisk};
    use crate::sample::names;

    /// A folder of frames with an empty staging folder.
    fn staging() -> (tempfile::TempDir, PathBuf) {
        let folder = tempfile::tempdir().unwrap();
        let staging = name(folder.path(), "0a1b2c3d", 7, 12);
        fs::create_dir(&staging).unwrap();
        fs::write(staging.join(MARK), "{}").unwrap();
        (folder, staging)
    }

    #[test]
    fn only_names_that_runs_give_are_theirs() {
        let (folder, staging) = staging();
        assert!(staging.ends_with(".truepath-0a1b2c3d-0007-0012"));
        let next = name(folder.path(), "0a1b2c3d", 7, 12);
        assert!(next.ends_with(".truepath-0a1b2c3d-0007-0012.2"));
        for own in [
            ".truepath-0a1b2c3d-0007-0012",
            ".truepath-0a1b2c3d-0007-0012.2",
            ".truepath-0a1b2c3d-10000-20000",
            ".truepath-held",
            ".truepath-held.3",
        ] {
            assert!(has_own_name(Path::new(own)), "{own}");
        }
        for other in [
            "renders",
            ".truepath",
            ".truepath-",
            ".truepath-notes",
            ".truepath-0a1b2c3d",
            ".truepath-0a1b2c3d-0007",
            ".truepath-0a1b2c3x-0007-0012",
            ".truepath-0a1b2c3d-007-0012",
            ".truepath-0a1b2c3d-0007-copy",
            "truepath-0a1b2c3d-0007-0012",
        ] {
            assert!(!has_own_name(Path::new(other)), "{other}");
        }
    }

    #[test]
    fn regular_files_are_listed_and_nothing_else() {
        let (_folder, staging) = staging();
        assert!(is_empty(&staging).unwrap() && is_there(&staging));
        fs::write(staging.join("b.png"), "").unwrap();
        fs::write(staging.join("a.png"), "").unwrap();
        fs::create_dir(staging.join("c.png")).unwrap();
        crate::system::symlink("a.png", &staging.join("d.png")).unwrap();
        assert_eq!(files(&staging).unwrap(), ["a.png", "b.png"]);
        assert_eq!(leftovers(&staging).unwrap(), ["a.png", "b.png", "c.png"]);
        assert!(!is_empty(&staging).unwrap());
    }

    #[test]
    fn what_took_the_place_of_a_staging_folder_is_never_looked_into() {
        let (folder, staging) = staging();
        let other = folder.path().join("other");
        fs::create_dir(&other).unwrap();
        fs::write(other.join("dawn.0001.png"), "mine").unwrap();
        fs::rename(&staging, folder.path().join("moved")).unwrap();
        crate::system::symlink("other", &staging).unwrap();
        assert!(!is_there(&staging) && !is_empty(&staging).unwrap());
        assert_eq!(files(&staging).unwrap(), [""; 0]);
        let aside = clear(&RealDisk, &staging, "unfinished", &[]).unwrap();
        // The link itself is moved away, and what it leads to stays.
        assert_eq!(aside, [folder.path().join("set-aside/unfinished-folder")]);
        assert!(fs::symlink_metadata(&aside[0]).unwrap().is_symlink());
        assert_eq!(names(&other), ["dawn.0001.png"]);
    }

    #[test]
    fn what_is_left_is_set_aside_but_for_what_was_given() {
        let (folder, staging) = staging();
        for name in ["list.txt", "dawn.0001.png", "core"] {
            fs::write(staging.join(name), name).unwrap();
        }
        let given = ["list.txt".to_owned()];
        let aside = clear(&RealDisk, &staging, "unfinished", &given).unwrap();
        assert_eq!(aside.len(), 2);
        assert!(!staging.exists());
        let kept = folder.path().join("set-aside");
        let kept_names = || -> Vec<String> {
            let all = names(&kept).into_iter();
            all.filter(|name| !name.starts_with('.')).collect()
        };
        assert_eq!(
            kept_names(),
            ["unfinished-core", "unfinished-dawn.0001.png"]
        );
        // Once more under the same names: nothing there gives way.
        fs::create_dir(&staging).unwrap();
        fs::write(staging.join("core"), "another").unwrap();
        let aside = clear(&RealDisk, &staging, "unfinished", &[]).unwrap();
        assert_eq!(aside, [kept.join("unfinished-core.2")]);
        assert_eq!(fs::read(kept.join("unfinished-core")).unwrap(), b"core");
    }

    #[test]
    fn very_many_leftovers_stay_together() {
        let (folder, staging) = staging();
        for number in 0..=MOST_ONE_BY_ONE {
            fs::write(staging.join(format!("f{number}")), "").unwrap();
        }
        let aside = clear(&RealDisk, &staging, "unfinished", &[]).unwrap();
        assert_eq!(aside, [folder.path().join("set-aside/unfinished-folder")]);
        // With the mark.
        assert_eq!(names(&aside[0]).len(), MOST_ONE_BY_ONE + 2);
        assert!(!staging.exists());
    }

    #[test]
    fn a_folder_with_something_that_cannot_be_set_aside_stays() {
        let (_folder, staging) = staging();
        fs::write(staging.join("dawn.0001.png"), "whole").unwrap();
        let disk = FaultyDisk::at(
            "rename_new",
            Fault::Refused(io::ErrorKind::PermissionDenied),
        );
        assert!(clear(&disk, &staging, "unfinished", &[]).is_err());
        assert_eq!(files(&staging).unwrap(), ["dawn.0001.png"]);
    }
}
