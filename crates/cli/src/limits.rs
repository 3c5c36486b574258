//! Limits of the system that this program runs under (`ulimit`): each is named where it is the reason of an error, and no
//! limit ends the program by a signal or with a panic.

use std::alloc::{GlobalAlloc, Layout, System};
use std::io::{self, Write};
use std::panic::PanicHookInfo;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use rustix::process::{Resource, getrlimit};

use crate::error::{CommandError, OUTSIDE};

/// Below so many bytes of address space nothing works.
const LEAST_MEMORY: u64 = 64 << 20;
/// Threads of a run besides those that it has for each core and each process.
const OWN_THREADS: u64 = 12;

/// Prepares for limits, and refuses to begin under one that leaves no room for anything.
pub(crate) fn begin() -> Result<(), CommandError> {
    // With a handler that does nothing, what writes beyond the limit gets an error; engines have the usual one.
    let _ = signal_hook::flag::register(
        signal_hook::consts::SIGXFSZ,
        Arc::new(AtomicBool::new(false)),
    );
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if is_about_threads(info) {
            // A thread needs memory for its stack.
            let resource = limit(Resource::As).map_or(Resource::Nproc, |_| Resource::As);
            end(&format!(
                "error: no more threads can be started{}; all that is finished is kept\n",
                named(resource)
            ));
        }
        usual(info);
    }));
    match limit(Resource::As) {
        Some(bytes) if bytes < LEAST_MEMORY => Err(CommandError::Limit(format!(
            "{} kB of memory are allowed (`ulimit -v`), and this program needs at least {} kB",
            bytes / 1024,
            LEAST_MEMORY / 1024
        ))),
        _ => Ok(()),
    }
}

/// Whether a run with so many processes at once fits under the limit on the processes of this user.
pub(crate) fn check_processes(cores: usize, processes: usize) -> Result<(), CommandError> {
    // The limit does not hold for the administrator.
    let Some(allowed) = limit(Resource::Nproc).filter(|_| !rustix::process::getuid().is_root())
    else {
        return Ok(());
    };
    // Of each process: itself, a thread that reads it, and one that looks after it.
    let needed = OWN_THREADS + cores as u64 * 2 + processes as u64 * 3;
    // Most limits are far above, and counting takes a moment.
    if allowed > needed * 100 {
        return Ok(());
    }
    let at_work = threads_of_this_user();
    if at_work + needed <= allowed {
        return Ok(());
    }
    Err(CommandError::Limit(format!(
        "{allowed} processes and threads of this user are allowed (`ulimit -u`), {at_work} are at work, and this run needs about {needed} more; raise the limit, or take fewer processes with --jobs"
    )))
}

/// The limit behind an error, as a sentence to be added; nothing where it has none.
pub(crate) fn behind(error: &io::Error) -> String {
    let resource = match error.kind() {
        io::ErrorKind::FileTooLarge => Resource::Fsize,
        io::ErrorKind::WouldBlock => Resource::Nproc,
        io::ErrorKind::OutOfMemory => Resource::As,
        _ if error.raw_os_error() == Some(rustix::io::Errno::MFILE.raw_os_error()) => {
            Resource::Nofile
        }
        _ => return String::new(),
    };
    named(resource)
}

/// A limit with its name and value, behind a colon; nothing where there is none.
fn named(resource: Resource) -> String {
    let Some(value) = limit(resource) else {
        return String::new();
    };
    match resource {
        Resource::Fsize => format!(": files may have {} kB (`ulimit -f`)", value / 1024),
        Resource::Nofile => format!(": {value} files may be open (`ulimit -n`)"),
        Resource::As => format!(": {} kB of memory are allowed (`ulimit -v`)", value / 1024),
        _ => format!(": {value} processes and threads of this user are allowed (`ulimit -u`)"),
    }
}

fn limit(resource: Resource) -> Option<u64> {
    getrlimit(resource).current
}

/// Threads of all processes of this user, as far as the system shows them.
fn threads_of_this_user() -> u64 {
    let own = rustix::process::getuid().as_raw();
    let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    let threads = processes.filter_map(|process| {
        let facts = process.metadata().ok()?;
        if std::os::unix::fs::MetadataExt::uid(&facts) != own {
            return None;
        }
        let tasks = std::fs::read_dir(process.path().join("task")).ok()?;
        Some(tasks.count() as u64)
    });
    threads.sum()
}

fn is_about_threads(info: &PanicHookInfo<'_>) -> bool {
    let payload = info.payload();
    let message = payload
        .downcast_ref::<String>()
        .map(String::as_str)
        .or_else(|| payload.downcast_ref::<&str>().copied())
        .unwrap_or_default();
    message.contains("failed to spawn thread") || message.contains("ThreadPoolBuildError")
}

/// Ends the program; a run that is ended at any moment loses nothing.
fn end(message: &str) -> ! {
    // Neither memory nor locks may be needed for it.
    let _ = io::stderr().write_all(message.as_bytes());
    std::process::exit(OUTSIDE.into())
}

/// The allocator of the system. Where that has no memory left, the program says so and ends with an exit code of its own;
/// by itself it would be aborted by a signal.
pub(crate) struct Memory;

// Each call goes on to the allocator of the system as it is.
#[allow(unsafe_code)]
unsafe impl GlobalAlloc for Memory {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        given(unsafe { System.alloc(layout) })
    }

    unsafe fn alloc_zeroed(&self, layout: Layout) -> *mut u8 {
        given(unsafe { System.alloc_zeroed(layout) })
    }

    unsafe fn realloc(&self, memory: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        given(unsafe { System.realloc(memory, layout, size) })
    }

    unsafe fn dealloc(&self, memory: *mut u8, layout: Layout) {
        unsafe { System.dealloc(memory, layout) }
    }
}

fn given(memory: *mut u8) -> *mut u8 {
    if memory.is_null() {
        end(
            "error: there is no more memory (`ulimit -v`, or the machine's); all that is finished is kept\n",
        );
    }
    memory
}
