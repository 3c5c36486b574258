//! Where this program is, for starting it again and for writing it into command lines.

use std::io;
use std::path::{Path, PathBuf};

/// The program's file.
pub(crate) fn path() -> io::Result<PathBuf> {
    std::env::current_exe()
}

/// How it is called in a command line: by its name where the `PATH` finds this very file.
pub(crate) fn word() -> io::Result<String> {
    let path = path()?;
    let by_name = truepath_runner::find_program("truepath", Path::new("/"))
        .and_then(|found| found.canonicalize().ok());
    if by_name.is_some() && by_name == path.canonicalize().ok() {
        return Ok("truepath".to_owned());
    }
    Ok(path.display().to_string())
}
