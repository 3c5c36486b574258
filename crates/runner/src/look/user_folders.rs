//! Folders of the user: for what can be made again, and for what makes this program act and must therefore never come with a
//! project.

use std::env;
use std::path::PathBuf;

/// The folder in the cache of the user for things of a kind; none where the user has no such folder.
pub(crate) fn user_cache(kind: &str) -> Option<PathBuf> {
    let usual = if cfg!(target_os = "macos") {
        "Library/Caches"
    } else {
        ".cache"
    };
    let named = named("XDG_CACHE_HOME").or_else(|| named("LOCALAPPDATA"));
    of_user(named, usual, kind)
}

/// The folder in the state of the user for things of a kind; none where the user has no such folder.
#[must_use]
pub fn user_state(kind: &str) -> Option<PathBuf> {
    of_user(named("XDG_STATE_HOME"), ".local/state", kind)
}

fn named(name: &str) -> Option<PathBuf> {
    let folder = env::var_os(name).filter(|folder| !folder.is_empty());
    folder
        .map(PathBuf::from)
        .filter(|folder| folder.is_absolute())
}

fn of_user(named_folder: Option<PathBuf>, usual: &str, kind: &str) -> Option<PathBuf> {
    let of_home = || Some(named("HOME")?.join(usual));
    Some(named_folder.or_else(of_home)?.join("truepath").join(kind))
}
