//! Windows as Wine plays it.
#![allow(dead_code, unreachable_pub, clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::OnceLock;

use super::Project;

/// Where Wine has its settings: one place for all tests. Setting it up goes on in the background after
/// its first program has begun, and programs that are started meanwhile are not always found; so it is
/// waited for.
pub fn wine_prefix() -> &'static Path {
    static PREFIX: OnceLock<PathBuf> = OnceLock::new();
    PREFIX.get_or_init(|| {
        let prefix = Path::new(env!("CARGO_TARGET_TMPDIR")).join("wine");
        for line in [["wineboot", "--init"], ["wineserver", "--wait"]] {
            let status = wine(&prefix, line[0]).arg(line[1]).output().unwrap().status;
            assert!(status.success(), "{line:?}: {status}");
        }
        prefix
    })
}

pub fn wine(prefix: &Path, program: &str) -> Command {
    let mut command = Command::new(program);
    command.env("WINEDEBUG", "-all").env("WINEPREFIX", prefix);
    command
}

/// The folder of a project as Wine sees it.
pub fn windows_folder(project: &Project) -> String {
    let folder = format!("Z:{}", project.path("").display()).replace('/', "\\");
    folder.trim_end_matches('\\').to_owned()
}

/// Runs a batch file in a folder.
pub fn run_batch(folder: &Path, file: &str) -> String {
    let output = wine(wine_prefix(), "wine")
        .args(["cmd", "/c", file])
        .current_dir(folder)
        .output()
        .unwrap();
    let printed = [&output.stdout[..], &output.stderr].concat();
    String::from_utf8_lossy(&printed).into_owned()
}
