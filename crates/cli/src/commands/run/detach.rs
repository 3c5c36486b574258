//! Goes on without the terminal.

use std::ffi::OsString;
use std::fs::{self, File};
use std::process::{Command, ExitCode, Stdio};

use truepath_runner::StateFolder;
use truepath_runner::system::in_own_group;

use crate::error::{CommandError, DONE};
use crate::show::print;
use crate::this_program;

/// Starts the same call again, without the terminal, and prints where it continues.
pub(super) fn detach(state: &StateFolder) -> Result<ExitCode, CommandError> {
    let folder = state.logs();
    let outside = || CommandError::outside(folder.display().to_string());
    fs::create_dir_all(&folder).map_err(outside())?;
    let mut number = 1;
    let (path, output) = loop {
        let path = folder.join(format!("detached-{number:04}.txt"));
        match File::create_new(&path) {
            Ok(file) => break (path, file),
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => number += 1,
            Err(error) => return Err(outside()(error)),
        }
    };
    let arguments: Vec<OsString> = std::env::args_os()
        .skip(1)
        .filter(|argument| argument != "--detach")
        .collect();
    let program = this_program::path().map_err(CommandError::outside("this program"))?;
    let mut command = Command::new(program);
    command
        .args(arguments)
        .stdin(Stdio::null())
        .stdout(output.try_clone().map_err(outside())?)
        .stderr(output);
    // What the terminal sends to those in front of it is not for this one.
    let child = in_own_group(&mut command)
        .spawn()
        .map_err(CommandError::outside("this program"))?;
    print(&format!(
        "it goes on as process {}, and what it says is in {}\n`truepath status --follow` shows how far it is; `kill -INT {}` stops it",
        child.id(),
        path.display(),
        child.id()
    ))?;
    Ok(ExitCode::from(DONE))
}
