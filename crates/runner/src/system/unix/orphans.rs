//! Processes that engines leave behind. A process that an engine starts in a session of its own is not in
//! the engine's process group. On Linux this program is the reaper of its whole tree: what loses its
//! parent becomes its own child, and is found and ended.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::sync::Mutex;
use std::thread;
use std::time::Duration;

use rustix::process::{Pid, WaitId, WaitIdOptions, getpgid, getpgrp, getpid, waitid};

use super::processes::Group;

use crate::lock::lock;

/// How long a process may take that is ended by force.
const PAUSE: Duration = Duration::from_millis(2);
const LONGEST: u32 = 500;

/// The engines at work, and what is known of processes beside them.
#[derive(Debug, Default)]
pub(crate) struct EngineRegistry {
    /// Numbers of engines that are not yet waited for: their process groups have the same.
    known: Mutex<BTreeSet<i32>>,
}

/// What marks the processes of one engine.
#[derive(Debug)]
pub(crate) struct ProcessMarks {
    /// A variable in their environment, as `NAME=VALUE`.
    pub(crate) variable: String,
    /// The pipe that they write to, as `/proc` calls it.
    pub(crate) pipe: String,
}

impl EngineRegistry {
    /// From now on what loses its parent becomes a child of this process.
    pub(crate) fn adopt_orphans() {
        #[cfg(target_os = "linux")]
        // A system that cannot do that ends what is in the group of the engine all the same.
        let _ = rustix::process::set_child_subreaper(Some(getpid()));
    }

    /// Starts an engine, and knows it.
    pub(crate) fn start<T>(
        &self,
        start: impl FnOnce() -> io::Result<T>,
        number: impl FnOnce(&T) -> u32,
    ) -> io::Result<T> {
        let mut known = lock(&self.known);
        let engine = start()?;
        known.insert(number(&engine).cast_signed());
        Ok(engine)
    }

    pub(crate) fn forget(&self, engine: Group) {
        lock(&self.known).remove(&engine.number());
    }

    /// Ends what an engine that has ended left behind; gives the names of those processes.
    pub(crate) fn end_orphans_of(&self, signs: &ProcessMarks) -> Vec<String> {
        let is_its_own = |process, others: bool| {
            is_of(process, signs) || (!others && !is_marked(process, &signs.variable))
        };
        self.end(&is_its_own)
    }

    /// Ends all that any engine left behind; gives the names of those processes.
    pub(crate) fn end_all_orphans(&self) -> Vec<String> {
        self.end(&|_, _| true)
    }

    fn end(&self, which: &dyn Fn(i32, bool) -> bool) -> Vec<String> {
        let known = lock(&self.known);
        let mut ended = Vec::new();
        for (process, group) in orphans(&known) {
            // One that has ended by itself is only taken out of the table of processes.
            if is_reaped(process) || !which(process, !known.is_empty()) {
                continue;
            }
            let name = fs::read_to_string(format!("/proc/{process}/comm")).unwrap_or_default();
            let Some(group) = Group::of_number(group) else {
                continue;
            };
            group.kill();
            // It is a child of this process by now, and stays in the table until it is waited for. What
            // hangs in the system itself cannot be ended by anybody.
            for _ in 0..LONGEST {
                if is_reaped(process) {
                    break;
                }
                thread::sleep(PAUSE);
            }
            ended.push(name.trim().to_owned());
        }
        ended
    }
}

/// Takes a child that has ended out of the table of processes; whether it had, or is no child.
fn is_reaped(process: i32) -> bool {
    let options = WaitIdOptions::EXITED | WaitIdOptions::NOHANG;
    let process = Pid::from_raw(process);
    process.is_none_or(|process| !matches!(waitid(WaitId::Pid(process), options), Ok(None)))
}

/// Children of this process that some engine has started, in groups of their own, with those groups.
fn orphans(known: &BTreeSet<i32>) -> Vec<(i32, i32)> {
    let own = getpid().as_raw_nonzero();
    // Only the children of the main thread: to it come those that lose their parents.
    let children = fs::read_to_string(format!("/proc/self/task/{own}/children"));
    let children = children.unwrap_or_default();
    let own_group = getpgrp().as_raw_nonzero().get();
    children
        .split_ascii_whitespace()
        .filter_map(|number| number.parse::<i32>().ok())
        .filter(|number| !known.contains(number))
        .filter_map(|number| {
            let group = getpgid(Pid::from_raw(number)).ok()?.as_raw_nonzero().get();
            // Helpers of this program are in its own group; those of an engine at work in that one's.
            let is_orphan = group != own_group && !known.contains(&group) && !is_supervisor(number);
            is_orphan.then_some((number, group))
        })
        .collect()
}

/// Whether a child is the supervisor of a run, which has a group of its own.
fn is_supervisor(process: i32) -> bool {
    let line = fs::read(format!("/proc/{process}/cmdline")).unwrap_or_default();
    line.split(|byte| *byte == 0).nth(1) == Some(b"supervise")
}

/// Whether a process has a variable of this name, with whatever value, in its environment.
fn is_marked(process: i32, variable: &str) -> bool {
    let (name, _) = variable.split_once('=').unwrap_or((variable, ""));
    let name = format!("{name}=");
    environment(process)
        .split(|byte| *byte == 0)
        .any(|one| one.starts_with(name.as_bytes()))
}

pub(super) fn is_of(process: i32, signs: &ProcessMarks) -> bool {
    let is_marked = || {
        environment(process)
            .split(|byte| *byte == 0)
            .any(|one| one == signs.variable.as_bytes())
    };
    let holds_pipe = || {
        let descriptors = fs::read_dir(format!("/proc/{process}/fd"));
        descriptors.into_iter().flatten().flatten().any(|one| {
            fs::read_link(one.path()).is_ok_and(|target| target.as_os_str() == signs.pipe.as_str())
        })
    };
    is_marked() || holds_pipe()
}

fn environment(process: i32) -> Vec<u8> {
    fs::read(format!("/proc/{process}/environ")).unwrap_or_default()
}
