//! What still works on pictures after the engine that started it has ended: a wrapper script that starts a renderer in the
//! background ends before that does. Read from `/proc`, so only on Linux.

use std::fs;
use std::path::Path;

use rustix::process::{Pid, getpgid, getpid};

use super::orphans::{ProcessMarks, is_of};
use super::processes::Group;
use super::usage::children;

/// The name of a process that an engine which has ended left behind, and that still works on files in a folder: it is
/// started with a path in it, has a file in it open, or works in it. `is_start` says that the engine itself was started
/// in the folder: then the last one means nothing.
pub(crate) fn works_on(
    folder: &Path,
    is_start: bool,
    engine: Group,
    signs: &ProcessMarks,
) -> Option<String> {
    let own = getpid().as_raw_nonzero();
    // What has lost its parent is a child of this process by now.
    let mut left: Vec<i32> = children(own.get());
    left.retain(|process| {
        let group = getpgid(Pid::from_raw(*process)).map(|group| group.as_raw_nonzero().get());
        let is_in_group = group.is_ok_and(|group| group == engine.number());
        *process != engine.number() && (is_in_group || is_of(*process, signs))
    });
    while let Some(process) = left.pop() {
        if is_at_work(process, folder, is_start) {
            let name = fs::read_to_string(format!("/proc/{process}/comm")).unwrap_or_default();
            return Some(name.trim().to_owned());
        }
        left.extend(children(process));
    }
    None
}

fn is_at_work(process: i32, folder: &Path, is_start: bool) -> bool {
    let path = folder.as_os_str().as_encoded_bytes();
    let line = fs::read(format!("/proc/{process}/cmdline")).unwrap_or_default();
    if line.windows(path.len().max(1)).any(|part| part == path) {
        return true;
    }
    let is_below = |link: &Path| fs::read_link(link).is_ok_and(|target| target.starts_with(folder));
    let descriptors = fs::read_dir(format!("/proc/{process}/fd"));
    let mut descriptors = descriptors.into_iter().flatten().flatten();
    descriptors.any(|one| is_below(&one.path()))
        || (!is_start && is_below(Path::new(&format!("/proc/{process}/cwd"))))
}
