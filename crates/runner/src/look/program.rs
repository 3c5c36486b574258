//! Finds programs the way a shell does.

use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use truepath_core::profile::Profile;

use crate::system::is_executable;

/// Where a program is: a name without a separator is looked for on the `PATH`, any other is taken
/// from `folder`.
#[must_use]
pub fn find_program(name: &str, folder: &Path) -> Option<PathBuf> {
    if name.is_empty() {
        return None;
    }
    if name.contains('/') {
        let path = folder.join(name);
        return is_program(&path).then_some(path);
    }
    env::split_paths(&env::var_os("PATH")?)
        .map(|one| one.join(name))
        .find(|path| is_program(path))
}

/// Where the program of an engine is: this program for a part of True Path itself.
pub(crate) fn program_of_engine(name: &str, this_program: &Path, folder: &Path) -> Option<PathBuf> {
    if name == Profile::THIS_PROGRAM {
        return Some(this_program.to_owned());
    }
    find_program(name, folder)
}

fn is_program(path: &Path) -> bool {
    fs::metadata(path).is_ok_and(|meta| meta.is_file() && is_executable(&meta))
}
