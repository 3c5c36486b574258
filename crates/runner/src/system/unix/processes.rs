//! Process groups, signals, and how processes end.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::os::unix::process::{CommandExt, ExitStatusExt};
use std::process::{Child, Command, ExitStatus};

use rustix::process::{
    Pid, Signal, WaitId, WaitIdOptions, getpgid, getpid, kill_process, kill_process_group, waitid,
};

/// A process group that a process of this program leads: both have the same number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Group(Pid);

/// How a process ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// By itself, with this exit code.
    Code(i32),
    /// By a signal.
    Signal(i32),
}

impl From<ExitStatus> for Exit {
    fn from(status: ExitStatus) -> Self {
        match status.code() {
            Some(code) => Self::Code(code),
            None => Self::Signal(status.signal().unwrap_or(0)),
        }
    }
}

/// Lets other programs of this machine go first; all that is started inherits it.
///
/// # Errors
/// When the system refuses.
pub fn lower_priority() -> io::Result<()> {
    // The highest number is the lowest priority.
    rustix::process::nice(19)?;
    Ok(())
}

/// Lets a program lead a process group of its own.
pub fn in_own_group(command: &mut Command) -> &mut Command {
    command.process_group(0)
}

impl Group {
    /// The group that a child leads, which was started with [`in_own_group`].
    pub(crate) fn of(child: &Child) -> io::Result<Self> {
        Self::of_number(child.id().cast_signed())
            .ok_or_else(|| io::Error::other("a process without a number"))
    }

    /// The group with a number.
    pub(crate) fn of_number(number: i32) -> Option<Self> {
        Pid::from_raw(number).map(Self)
    }

    pub(crate) fn number(self) -> i32 {
        self.0.as_raw_nonzero().get()
    }

    /// Asks all processes of the group to end.
    pub(crate) fn terminate(self) {
        let _ = kill_process_group(self.0, Signal::TERM);
    }

    /// Ends all processes of the group, forcibly.
    pub(crate) fn kill(self) {
        let _ = kill_process_group(self.0, Signal::KILL);
    }

    /// Whether the leader has ended; it is not waited for, so that its number stays its own.
    pub(crate) fn has_ended(self) -> io::Result<bool> {
        let options = WaitIdOptions::EXITED | WaitIdOptions::NOWAIT | WaitIdOptions::NOHANG;
        Ok(waitid(WaitId::Pid(self.0), options)?.is_some())
    }

    /// Waits until the leader has ended, and leaves its number its own.
    pub(crate) fn wait_for_end(self) -> io::Result<()> {
        let options = WaitIdOptions::EXITED | WaitIdOptions::NOWAIT;
        waitid(WaitId::Pid(self.0), options)?;
        Ok(())
    }
}

/// What the system calls a pipe in its tables of open files.
pub(crate) fn pipe_name(pipe: &io::PipeWriter) -> io::Result<String> {
    Ok(format!("pipe:[{}]", rustix::fs::fstat(pipe)?.st_ino))
}

/// Ends this very process as `kill -9` does: nothing is flushed, nothing is cleaned up.
pub(crate) fn kill_this_process() {
    let _ = kill_process(getpid(), Signal::KILL);
}

/// The groups of processes with a variable in their environment, written `NAME=VALUE`; read from `/proc`,
/// so only on Linux.
pub(crate) fn groups_marked(variable: &str) -> BTreeSet<i32> {
    let own = std::process::id();
    let mut groups = BTreeSet::new();
    for entry in fs::read_dir("/proc").into_iter().flatten().flatten() {
        let Some(number) = entry
            .file_name()
            .to_str()
            .and_then(|name| name.parse::<i32>().ok())
        else {
            continue;
        };
        let environment = fs::read(entry.path().join("environ")).unwrap_or_default();
        let has_mark = environment
            .split(|byte| *byte == 0)
            .any(|one| one == variable.as_bytes());
        if has_mark
            && number.unsigned_abs() != own
            && let Some(process) = Pid::from_raw(number)
            && let Ok(group) = getpgid(Some(process))
        {
            groups.insert(group.as_raw_nonzero().get());
        }
    }
    groups
}

/// `signal 9 (SIGKILL)`; the numbers are those of POSIX systems.
pub(crate) fn signal_name(signal: i32) -> String {
    let name = match signal {
        1 => "SIGHUP",
        2 => "SIGINT",
        3 => "SIGQUIT",
        4 => "SIGILL",
        6 => "SIGABRT",
        8 => "SIGFPE",
        9 => "SIGKILL",
        11 => "SIGSEGV",
        13 => "SIGPIPE",
        14 => "SIGALRM",
        15 => "SIGTERM",
        _ => return format!("signal {signal}"),
    };
    format!("signal {signal} ({name})")
}
