//! Finds programs the way a shell does.

use std::env;
use std::fs;
use std::path::{Path, PathBuf};

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

fn is_program(path: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt;
    fs::metadata(path).is_ok_and(|meta| meta.is_file() && meta.permissions().mode() & 0o111 != 0)
}
