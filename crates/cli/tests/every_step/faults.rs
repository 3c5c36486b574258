//! The real disk with a fault at one operation, and runs on it.

use std::fs;
use std::io;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU8, AtomicU64, Ordering};

use truepath_core::deliverable::{Expansion, Selection, expand};
use truepath_runner::disk::{Append, Disk, RealDisk, Rewriter};
use truepath_runner::make::run::{Event, Observer, Options, Policy, Report, RunError, run};
use truepath_runner::record::run_record::When;
use truepath_runner::{Loaded, load};

use crate::common::{Project, program};

/// What happens at an operation.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Fault {
    /// It is the last one that reaches the disk.
    Stop,
    /// It fails, and all others go well.
    Once(io::ErrorKind),
    /// It fails, and all after it.
    FromThere(io::ErrorKind),
    /// It is done, and fails all the same.
    Done(io::ErrorKind),
    /// Its answer is lost, so it is asked for once more: what a client of a file server does.
    AskedTwice,
    /// The program has a mistake there.
    Panic,
}

/// The real disk, with a fault at one operation.
pub(crate) struct FaultyDisk {
    pub(crate) count: Arc<AtomicU64>,
    at: u64,
    fault: Fault,
}

/// Does an operation, unless it meets its fault.
fn act<T>(
    count: &AtomicU64,
    at: u64,
    fault: Fault,
    operation: &mut dyn FnMut() -> io::Result<T>,
) -> io::Result<T> {
    let number = count.fetch_add(1, Ordering::SeqCst) + 1;
    match fault {
        Fault::Stop if number > at => Err(io::Error::other("stopped")),
        Fault::Once(kind) if number == at => Err(kind.into()),
        Fault::FromThere(kind) if number >= at => Err(kind.into()),
        Fault::Done(kind) if number == at => operation().and(Err(kind.into())),
        Fault::AskedTwice if number == at => operation().and_then(|_| operation()),
        Fault::Panic if number == at => panic!("a mistake at operation {at}"),
        _ => operation(),
    }
}

impl FaultyDisk {
    pub(crate) fn new(at: u64, fault: Fault) -> Self {
        let count = Arc::default();
        Self { count, at, fault }
    }

    fn act<T>(&self, mut operation: impl FnMut() -> io::Result<T>) -> io::Result<T> {
        act(&self.count, self.at, self.fault, &mut operation)
    }
}

impl Disk for FaultyDisk {
    fn create_folders(&self, folder: &Path) -> io::Result<()> {
        self.act(|| RealDisk.create_folders(folder))
    }
    fn create_new_folder(&self, folder: &Path) -> io::Result<()> {
        self.act(|| RealDisk.create_new_folder(folder))
    }
    fn link(&self, target: &str, name: &Path) -> io::Result<()> {
        self.act(|| RealDisk.link(target, name))
    }
    fn sync_file(&self, path: &Path) -> io::Result<()> {
        self.act(|| RealDisk.sync_file(path))
    }
    fn sync_folder(&self, folder: &Path) -> io::Result<()> {
        self.act(|| RealDisk.sync_folder(folder))
    }
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.act(|| RealDisk.rename_new(from, to))
    }
    fn rename_over(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.act(|| RealDisk.rename_over(from, to))
    }
    fn create_locked(&self, path: &Path, bytes: &[u8]) -> io::Result<fs::File> {
        self.act(|| RealDisk.create_locked(path, bytes))
    }
    /// Goes on by itself, as often as the clock says: it is no step of a run.
    fn rewriter(&self, path: &Path) -> Rewriter {
        RealDisk.rewriter(path)
    }
    fn copy_permissions(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.act(|| RealDisk.copy_permissions(from, to))
    }
    fn remove_folder(&self, folder: &Path) -> io::Result<()> {
        self.act(|| RealDisk.remove_folder(folder))
    }
    fn copy_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.act(|| RealDisk.copy_new(from, to))
    }
    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        self.act(|| RealDisk.exchange(one, other))
    }
    fn second_name(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.act(|| RealDisk.second_name(from, to))
    }
    fn write_whole(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.act(|| RealDisk.write_whole(path, bytes))
    }
    fn write_new(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.act(|| RealDisk.write_new(path, bytes))
    }
    fn create_log(&self, path: &Path) -> io::Result<Box<dyn Append>> {
        Ok(Box::new(FaultyLog {
            log: self.act(|| RealDisk.create_log(path))?,
            count: Arc::clone(&self.count),
            at: self.at,
            fault: self.fault,
        }))
    }
    fn remove_file(&self, path: &Path) -> io::Result<()> {
        self.act(|| RealDisk.remove_file(path))
    }
    fn remove_tree(&self, folder: &Path) -> io::Result<()> {
        self.act(|| RealDisk.remove_tree(folder))
    }
}

struct FaultyLog {
    log: Box<dyn Append>,
    count: Arc<AtomicU64>,
    at: u64,
    fault: Fault,
}

impl Append for FaultyLog {
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()> {
        let mut done = false;
        let log = &mut self.log;
        let appended = act(&self.count, self.at, self.fault, &mut || {
            // What is written to a place in a file may be asked for twice.
            if std::mem::replace(&mut done, true) {
                return Ok(());
            }
            log.append(bytes, sync)
        });
        if !done {
            // A full disk takes half a line.
            self.log.append(&bytes[..bytes.len() / 2], false)?;
        }
        appended
    }
}

struct Nobody;

impl Observer for Nobody {
    fn see(&mut self, _: &Event<'_>) {}
}

pub(crate) fn loaded(project: &Project) -> (Loaded, Expansion) {
    let profiles = [("understudy", include_str!("../../engines/understudy.toml"))];
    let path = project.path("truepath.toml");
    let loaded = load(&path, &[], &profiles, When::Next, None).unwrap();
    let expansion = expand(&loaded.job, &loaded.surroundings, &Selection::default());
    (loaded, expansion)
}

pub(crate) fn render(
    project: &Project,
    disk: &dyn Disk,
    policy: Policy,
) -> Result<Report, RunError> {
    render_with(project, disk, policy, 1)
}

pub(crate) fn render_with(
    project: &Project,
    disk: &dyn Disk,
    policy: Policy,
    jobs: usize,
) -> Result<Report, RunError> {
    let (loaded, expansion) = loaded(project);
    let options = Options {
        this_program: Path::new(program()),
        interrupt: &AtomicU8::new(0),
        whole: true,
        disk,
        jobs: truepath_runner::make::run::Jobs::Fixed(jobs),
        machine: truepath_runner::make::run::Machine {
            cores: 2,
            memory: None,
        },
        until: None,
        stop_when: &|| None,
        policy,
    };
    run(&loaded, &expansion, &options, &mut Nobody)
}
