//! What processes use: processor time and memory, by the system's own account.

use std::fs;
use std::io;
use std::mem::MaybeUninit;
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, ExitStatus};
use std::time::Duration;

use super::processes::Exit;

/// What a process and all that it started used.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Usage {
    /// Processor time of all of them together.
    pub(crate) cpu: Duration,
    /// Bytes of memory at most.
    pub(crate) memory: u64,
}

impl Usage {
    /// Takes in a later measure: what was used stays used.
    pub(crate) fn grow(&mut self, later: Self) {
        self.cpu = self.cpu.max(later.cpu);
        self.memory = self.memory.max(later.memory);
    }
}

/// Waits for a child, and gives how it ended and what it and the processes that it waited for used. Its memory is
/// that of the largest of them, getrusage(2).
pub(crate) fn wait_with_usage(child: &mut Child) -> io::Result<(Exit, Usage)> {
    let number = child.id().cast_signed();
    let mut status = 0;
    let mut usage = MaybeUninit::<libc::rusage>::zeroed();
    loop {
        // SAFETY: wait4 writes one whole number and one rusage, to which both pointers lead; every bit pattern is
        // a sound rusage, so that it is whole even where the call fails.
        #[allow(unsafe_code)]
        let waited = unsafe { libc::wait4(number, &raw mut status, 0, usage.as_mut_ptr()) };
        if waited == number {
            break;
        }
        let error = io::Error::last_os_error();
        if error.kind() != io::ErrorKind::Interrupted {
            // Somebody has waited for it: the standard library may know how it ended.
            return Ok((Exit::from(child.wait()?), Usage::default()));
        }
    }
    // SAFETY: zeroed above, and written by the call that has succeeded.
    #[allow(unsafe_code)]
    let usage = unsafe { usage.assume_init() };
    let cpu = duration(usage.ru_utime) + duration(usage.ru_stime);
    // Linux counts in kibibytes, macOS in bytes.
    let unit = if cfg!(target_os = "macos") { 1 } else { 1024 };
    let memory = u64::try_from(usage.ru_maxrss).unwrap_or(0) * unit;
    Ok((
        Exit::from(ExitStatus::from_raw(status)),
        Usage { cpu, memory },
    ))
}

fn duration(time: libc::timeval) -> Duration {
    let seconds = u64::try_from(time.tv_sec).unwrap_or(0);
    let micros = u64::try_from(time.tv_usec).unwrap_or(0);
    Duration::from_secs(seconds) + Duration::from_micros(micros)
}

/// What a process and all below it use at this moment; none where the system does not say, or where it has ended.
pub(crate) fn usage_of_tree(process: i32) -> Option<Usage> {
    let mut all = usage_of(process)?;
    let mut open = children(process);
    while let Some(child) = open.pop() {
        if let Some(usage) = usage_of(child) {
            all.cpu += usage.cpu;
            all.memory += usage.memory;
        }
        open.extend(children(child));
    }
    Some(all)
}

/// Of one process and of those that it has waited for: proc(5), `/proc/PID/stat`.
fn usage_of(process: i32) -> Option<Usage> {
    let text = fs::read_to_string(format!("/proc/{process}/stat")).ok()?;
    // The name is in brackets and may have brackets in it.
    let (_, fields) = text.rsplit_once(')')?;
    let fields: Vec<&str> = fields.split_ascii_whitespace().collect();
    // utime, stime, cutime, cstime are the fields 14 to 17 and rss is 24; the third comes right after the name.
    let ticks: u64 = (14..=17)
        .map(|field| {
            fields
                .get(field - 3)
                .and_then(|text| text.parse::<u64>().ok())
        })
        .sum::<Option<u64>>()?;
    let pages: u64 = fields.get(24 - 3)?.parse().ok()?;
    let per_second = rustix::param::clock_ticks_per_second().max(1);
    Some(Usage {
        cpu: Duration::from_secs_f64(ticks as f64 / per_second as f64),
        memory: pages * rustix::param::page_size() as u64,
    })
}

/// The children of a process, by all its threads.
pub(super) fn children(process: i32) -> Vec<i32> {
    let mut all = Vec::new();
    for task in fs::read_dir(format!("/proc/{process}/task"))
        .into_iter()
        .flatten()
        .flatten()
    {
        let text = fs::read_to_string(task.path().join("children")).unwrap_or_default();
        all.extend(
            text.split_ascii_whitespace()
                .filter_map(|one| one.parse::<i32>().ok()),
        );
    }
    all
}

/// For how long the cores of this machine stood idle since it was started, added up over all of them; none where the
/// system does not say. Waiting for disks counts: proc(5), `/proc/stat`.
pub(crate) fn idle_time() -> Option<Duration> {
    let text = fs::read_to_string("/proc/stat").ok()?;
    let line = text.lines().next()?.strip_prefix("cpu ")?;
    let times: Option<Vec<u64>> = line
        .split_ascii_whitespace()
        .map(|ticks| ticks.parse().ok())
        .collect();
    let times = times?;
    let ticks = times.get(3)? + times.get(4).unwrap_or(&0);
    let per_second = rustix::param::clock_ticks_per_second().max(1);
    Some(Duration::from_secs_f64(ticks as f64 / per_second as f64))
}

/// Bytes of memory that programs may still take on this machine without another one's giving way; none where the
/// system does not say. A limit on the group of processes that this one belongs to counts as well.
pub fn free_memory() -> Option<u64> {
    let text = fs::read_to_string("/proc/meminfo").ok()?;
    let line = text
        .lines()
        .find_map(|line| line.strip_prefix("MemAvailable:"))?;
    let kibibytes: u64 = line.trim().trim_end_matches("kB").trim().parse().ok()?;
    let free = kibibytes * 1024;
    Some(free_in_group().map_or(free, |in_group| free.min(in_group)))
}

/// Bytes below the nearest limit of this control group; none where there is no limit.
fn free_in_group() -> Option<u64> {
    let text = fs::read_to_string("/proc/self/cgroup").ok()?;
    let path = text.lines().find_map(|line| line.strip_prefix("0::"))?;
    let mut folder = std::path::PathBuf::from("/sys/fs/cgroup");
    folder.push(path.trim_start_matches('/'));
    let number = |name: &str, folder: &std::path::Path| -> Option<u64> {
        let text = fs::read_to_string(folder.join(name)).ok()?;
        text.trim().parse().ok()
    };
    let below = folder.ancestors().filter_map(|folder| {
        let limit = number("memory.max", folder)?;
        // Pages of files give way.
        let files = fs::read_to_string(folder.join("memory.stat")).unwrap_or_default();
        let files = files
            .lines()
            .find_map(|line| line.strip_prefix("inactive_file "))
            .and_then(|text| text.trim().parse().ok())
            .unwrap_or(0);
        let used = number("memory.current", folder)?.saturating_sub(files);
        Some(limit.saturating_sub(used))
    });
    below.min()
}

#[cfg(test)]
mod tests {
    use std::process::Command;

    use super::*;

    #[test]
    fn an_ended_process_is_accounted_for_with_those_it_waited_for() {
        let mut child = Command::new("sh")
            .args([
                "-c",
                "sh -c 'i=0; while [ $i -lt 60000 ]; do i=$((i+1)); done'; exit 3",
            ])
            .spawn()
            .unwrap();
        let (exit, usage) = wait_with_usage(&mut child).unwrap();
        assert_eq!(exit, Exit::Code(3));
        assert!(usage.cpu > Duration::ZERO, "{usage:?}");
        assert!(usage.memory > 100_000, "{usage:?}");
    }

    #[test]
    fn a_tree_at_work_has_the_memory_of_all_its_processes() {
        let mut child = Command::new("sh")
            .args(["-c", "read line | cat"])
            .stdin(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let number = child.id().cast_signed();
        // Both children are there once the shell waits for them.
        while children(number).len() < 2 {
            std::thread::yield_now();
        }
        // The children have memory of their own as soon as they have begun.
        let is_more = || {
            let tree = usage_of_tree(number).unwrap();
            tree.memory > usage_of(number).unwrap().memory
        };
        assert!((0..1_000_000).any(|_| is_more()));
        drop(child.stdin.take());
        child.wait().unwrap();
        assert_eq!(usage_of_tree(number), None);
        assert!(free_memory().is_some_and(|free| free > 1_000_000));
    }
}
