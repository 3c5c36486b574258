//! The supervisor: one small process beside a run, which ends the process groups of all engines when
//! the run dies.
//!
//! The run starts it in a process group of its own and holds the writing end of its standard input.
//! When the run dies, however it dies, the system closes that end. It knows the groups by what the
//! run wrote, and what was started in the last instant by a mark in its environment.

use std::collections::BTreeSet;
use std::fs;
use std::io::{self, BufRead, Write};
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::time::Duration;

use rustix::process::{Pid, Signal, getpgid, kill_process_group};

use crate::lock::lock;
use crate::orphans::Engines;

/// A run's hold on its supervisor.
pub(crate) struct Warden {
    mark: String,
    pub(crate) engines: Engines,
    started: AtomicU32,
    /// Whether it was said that the supervisor is gone.
    is_missed: AtomicBool,
    supervisor: Mutex<(Child, Option<ChildStdin>)>,
}

impl Warden {
    /// The variable that every engine has in its environment.
    pub(crate) const MARK: &'static str = "TRUEPATH_RUN";

    /// Starts the supervisor, which is `this_program supervise`.
    pub(crate) fn start(this_program: &Path) -> io::Result<Self> {
        let mut supervisor = Command::new(this_program)
            .arg("supervise")
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .process_group(0)
            .spawn()?;
        let leash = supervisor.stdin.take();
        // Its number is no other's for as long as it lives, and it outlives the run.
        let mark = format!("{}-{}", std::process::id(), supervisor.id());
        let warden = Self {
            supervisor: Mutex::new((supervisor, leash)),
            mark,
            engines: Engines::default(),
            started: AtomicU32::new(0),
            is_missed: AtomicBool::new(false),
        };
        Engines::adopt_orphans();
        warden.tell(&format!("mark {}", warden.mark));
        Ok(warden)
    }

    /// What [`Warden::MARK`] is set to.
    pub(crate) fn mark(&self) -> &str {
        &self.mark
    }

    /// A mark for one more process, which no other has.
    pub(crate) fn mark_of_process(&self) -> String {
        let number = 1 + self.started.fetch_add(1, Ordering::Relaxed);
        format!("{}-{number}", self.mark)
    }

    /// Ends this process group when the run dies.
    pub(crate) fn watch(&self, group: Pid) {
        self.tell(&format!("watch {}", group.as_raw_nonzero()));
    }

    /// The group has ended.
    pub(crate) fn forget(&self, group: Pid) {
        self.tell(&format!("forget {}", group.as_raw_nonzero()));
    }

    /// A supervisor that somebody has killed is missed only if this run dies as well: that is no reason
    /// to stop.
    fn tell(&self, line: &str) {
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

impl Drop for Warden {
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
        let found = marked(&mark);
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
    if let Some(group) = Pid::from_raw(group) {
        let _ = kill_process_group(group, Signal::KILL);
    }
}

/// The groups of processes with the mark in their environment; told from `/proc`.
fn marked(mark: &str) -> BTreeSet<i32> {
    let wanted = format!("{}={mark}", Warden::MARK);
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
            .any(|variable| variable == wanted.as_bytes());
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
