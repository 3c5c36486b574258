//! Staging folders: where engines write, inside the folder of the true names.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use crate::disk::{Disk, free_name, rename};

/// What staging folders are called; a leading dot keeps them out of listings.
const PREFIX: &str = ".truepath-";
/// The folder beside the frames that takes what was in the way or not asked for.
pub(crate) const ASIDE: &str = "set-aside";

/// A name for a new staging folder in a folder. The owner tells a state folder from all others: runs of
/// several jobs may bring their files to one folder.
pub(crate) fn name(folder: &Path, owner: &str, session: u32, count: u32) -> PathBuf {
    free_name(folder, &format!("{PREFIX}{owner}-{session:04}-{count:04}"))
}

/// The regular files in a staging folder, by name; links and folders are not listed.
pub(crate) fn files(staging: &Path) -> io::Result<Vec<String>> {
    let mut names = Vec::new();
    for entry in fs::read_dir(staging)? {
        let entry = entry?;
        if entry.file_type()?.is_file()
            && let Ok(name) = entry.file_name().into_string()
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
fn leftovers(staging: &Path) -> io::Result<Vec<String>> {
    let mut names = Vec::new();
    for entry in fs::read_dir(staging)? {
        let entry = entry?;
        if !entry.file_type()?.is_symlink() {
            names.push(entry.file_name().to_string_lossy().into_owned());
        }
    }
    names.sort();
    Ok(names)
}

/// Renames a file or folder into the folder for what is not wanted; never replaces anything there.
pub(crate) fn set_aside(
    disk: &dyn Disk,
    path: &Path,
    folder: &Path,
    name: &str,
) -> io::Result<PathBuf> {
    let aside = folder.join(ASIDE);
    disk.create_folders(&aside)?;
    let to = free_name(&aside, name);
    rename(disk, path, &to)?;
    disk.sync_folder(&aside)?;
    Ok(to)
}

/// Removes a staging folder; what is left in it is set aside first, under `name` and its own name,
/// but for what was given to the engine. Gives what was set aside.
pub(crate) fn clear(
    disk: &dyn Disk,
    staging: &Path,
    name: &str,
    given: &[String],
) -> io::Result<Vec<PathBuf>> {
    let folder = staging.parent().unwrap_or(Path::new("/"));
    let mut aside = Vec::new();
    for file in leftovers(staging)? {
        if given.contains(&file) {
            continue;
        }
        let path = staging.join(&file);
        aside.push(set_aside(disk, &path, folder, &format!("{name}-{file}"))?);
    }
    disk.remove_tree(staging)?;
    Ok(aside)
}

/// Whether a process has a file in this folder open for writing, or works in it; told from
/// `/proc`, so only on Linux and only for processes of this user.
pub(crate) fn writers(staging: &Path, file: Option<&str>) -> bool {
    let Ok(staging) = staging.canonicalize() else {
        return false;
    };
    let wanted = file.map(|file| staging.join(file));
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
        .any(|process| holds(&process.path(), &staging, wanted.as_deref()))
}

fn holds(process: &Path, staging: &Path, wanted: Option<&Path>) -> bool {
    let Ok(descriptors) = fs::read_dir(process.join("fd")) else {
        return false;
    };
    descriptors.flatten().any(|descriptor| {
        let path = descriptor.path();
        let ours = fs::read_link(&path).is_ok_and(|target| match wanted {
            Some(wanted) => target == wanted,
            None => target.starts_with(staging),
        });
        ours && open_for_writing(&process.join("fdinfo").join(descriptor.file_name()))
    })
}

/// The access mode is in the last octal digit of `flags` (proc(5)): 0 is reading only.
fn open_for_writing(info: &Path) -> bool {
    fs::read_to_string(info).is_ok_and(|text| {
        text.lines()
            .find_map(|line| line.strip_prefix("flags:"))
            .and_then(|flags| flags.trim().chars().last())
            .is_some_and(|last| last.to_digit(8).is_some_and(|mode| mode & 3 != 0))
    })
}
