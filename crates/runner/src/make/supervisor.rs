//! The supervisor: one small process beside a run, which ends the process groups of all engines when
//! the run dies.
//!
//! The run starts it in a process group of its own and holds the writing end of its standard input.
//! When the run dies, however it dies, the system closes that end. It knows the groups by what the
//! run wrote, and what was started in the last instant by a mark in its environment.

use std::collections::BTreeSet;
use std::io::{self, BufRead, Write};
use std::path::Path;
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::time::Duration;

use crate::lock::lock;
use crate::system::{EngineRegistry, Group, groups_marked, in_own_group};

/// A run's hold on its supervisor.
pub(crate) struct Supervisor {
    mark: String,
    pub(crate) engines: EngineRegistry,
    started: AtomicU32,
    /// Whether it was reported that the supervisor is gone.
    is_missed: AtomicBool,
    supervisor: Mutex<(Child, Option<ChildStdin>)>,
}

impl Supervisor {
    /// The variable that every engine has in its environment.
    pub(crate) const MARK: &'static str = "TRUEPATH_RUN";

    /// Starts the supervisor, which is `this_program supervise`.
    pub(crate) fn start(this_program: &Path) -> io::Result<Self> {
        let mut command = Command::new(this_program);
        command
            .arg("supervise")
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null());
        let mut supervisor = in_own_group(&mut command).spawn()?;
        let leash = supervisor.stdin.take();
        // Its number is no other's for as long as it lives, and it outlives the run.
        let mark = format!("{}-{}", std::process::id(), supervisor.id());
        let supervisor = Self {
            supervisor: Mutex::new((supervisor, leash)),
            mark,
            engines: EngineRegistry::default(),
            started: AtomicU32::new(0),
            is_missed: AtomicBool::new(false),
        };
        EngineRegistry::adopt_orphans();
        supervisor.send(&format!("mark {}", supervisor.mark));
        Ok(supervisor)
    }

    /// What [`Supervisor::MARK`] is set to.
    pub(crate) fn mark(&self) -> &str {
        &self.mark
    }

    /// A mark for one more process, which no other has.
    pub(crate) fn mark_of_process(&self) -> String {
        let number = 1 + self.started.fetch_add(1, Ordering::Relaxed);
        format!("{}-{number}", self.mark)
    }

    /// Ends this process group when the run dies.
    pub(crate) fn watch(&self, group: Group) {
        self.send(&format!("watch {}", group.number()));
    }

    /// The group has ended.
    pub(crate) fn forget(&self, group: Group) {
        self.send(&format!("forget {}", group.number()));
    }

    /// A supervisor that somebody has killed is missed only if this run dies as well: that is no reason
    /// to stop.
    fn send(&self, line: &str) {
        let mut supervisor = lock(&self.supervisor);
        if let Some(leash) = &mut supervisor.1 {
            let _ = leash.write_all(format!("{line}\n").as_bytes());
        }
    }

    /// Whether somebody has ended the supervisor; true once.
    pub(crate) fn is_just_gone(&self) -> bool {
        let is_gone = !matches!(lock(&self.supervisor).0.try_wait(), Ok(None));
        is_gone && !self.is_missed.swap(true, Ordering::Relaxed)
    }
}

impl Drop for Supervisor {
    fn drop(&mut self) {
        let mut supervisor = lock(&self.supervisor);
        drop(supervisor.1.take());
        let _ = supervisor.0.wait();
    }
}

/// What the supervisor does: remembers process groups, and ends those that are left when its input
/// closes.
pub fn supervise() {
    let (mut groups, mut mark) = (BTreeSet::new(), String::new());
    for line in io::stdin().lock().lines() {
        let Ok(line) = line else {
            break;
        };
        let (word, rest) = line.split_once(' ').unwrap_or((&line, ""));
        match (word, rest.parse::<i32>()) {
            ("watch", Ok(group)) => drop(groups.insert(group)),
            ("forget", Ok(group)) => drop(groups.remove(&group)),
            ("mark", _) => rest.clone_into(&mut mark),
            _ => {}
        }
    }
    for group in groups {
        end(group);
    }
    // Others may be started by those that are being ended: until none is found. What hangs in the
    // system itself cannot be ended by anybody.
    for _ in 0..LONGEST {
        let found = groups_marked(&format!("{}={mark}", Supervisor::MARK));
        if mark.is_empty() || found.is_empty() {
            break;
        }
        found.into_iter().for_each(end);
        std::thread::sleep(PAUSE);
    }
}

const PAUSE: Duration = Duration::from_millis(20);
const LONGEST: u32 = 1000;

fn end(group: i32) {
    if let Some(group) = Group::of_number(group) {
        group.kill();
    }
}
