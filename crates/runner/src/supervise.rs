//! The supervisor: stands between a run and an engine, and ends the engine's whole process group
//! when the run dies.
//!
//! The run starts it as the leader of a new process group and holds the writing end of its
//! standard input. When the run dies, however it dies, the system closes that end.

use std::ffi::OsString;
use std::io::{self, Read};
use std::os::unix::process::ExitStatusExt;
use std::process::{Command, Stdio};

/// The exit code when the program cannot be started, as in POSIX shells.
pub const NOT_STARTED: i32 = 127;

/// Starts a program and waits for it; gives its exit code, or 128 and the signal's number.
#[must_use]
pub fn supervise(program: &OsString, arguments: &[OsString]) -> i32 {
    let child = Command::new(program)
        .args(arguments)
        .stdin(Stdio::null())
        .spawn();
    let mut child = match child {
        Ok(child) => child,
        Err(error) => {
            eprintln!("error: {} cannot be started: {error}", program.display());
            return NOT_STARTED;
        }
    };
    std::thread::spawn(|| {
        let mut buffer = [0];
        loop {
            match io::stdin().read(&mut buffer) {
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Ok(0) | Err(_) => end_own_group(),
                Ok(_) => {}
            }
        }
    });
    match child.wait() {
        Ok(status) => status
            .code()
            .unwrap_or_else(|| 128 + status.signal().unwrap_or(0)),
        Err(_) => NOT_STARTED,
    }
}

fn end_own_group() -> ! {
    let group = rustix::process::getpgrp();
    let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
    std::process::exit(NOT_STARTED)
}
