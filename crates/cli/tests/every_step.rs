//! A run of three frames and two passes, stopped after its n-th operation on the disk, and with each
//! kind of error at each of them: nothing is lost, nothing is half, nothing is made twice.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU8, AtomicU64, Ordering};

use common::{Project, program, scene, wrote};
use truepath_core::deliverable::{Expansion, Selection, expand};
use truepath_runner::disk::{Append, Disk, RealDisk, Rewriter};
use truepath_runner::run::{Event, Observer, Options, Policy, Report, RunError, run};
use truepath_runner::when::When;
use truepath_runner::{Loaded, load};

/// What happens at an operation.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Fault {
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
struct FaultyDisk {
    count: Arc<AtomicU64>,
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
    fn new(at: u64, fault: Fault) -> Self {
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

fn project(existing: &str) -> Project {
    let project = Project::new(&format!(
        "{existing}scene = \"kiln.toml\"\nframes = \"1-3\"\nengine = \"understudy\"\nsize = \"16x8\"\n\
         passes = [\"beauty\", \"depth\"]\nretries = 0\npath = \"renders/{{pass}}/{{shot}}.{{frame:04}}.png\"\n"
    ));
    project.write("kiln.toml", &scene(""));
    project
}

fn loaded(project: &Project) -> (Loaded, Expansion) {
    let profiles = [(
        "understudy",
        include_str!("../../../engines/understudy.toml"),
    )];
    let path = project.path("truepath.toml");
    let loaded = load(&path, &[], &profiles, When::Next, None).unwrap();
    let expansion = expand(&loaded.job, &loaded.surroundings, &Selection::default());
    (loaded, expansion)
}

fn render(project: &Project, disk: &dyn Disk, policy: Policy) -> Result<Report, RunError> {
    render_with(project, disk, policy, 1)
}

fn render_with(
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
        jobs,
        until: None,
        policy,
    };
    run(&loaded, &expansion, &options, &mut Nobody)
}

fn bytes(project: &Project) -> BTreeMap<String, Vec<u8>> {
    let names = project.files("renders");
    let names = names.into_iter().filter(|name| !name.contains("set-aside"));
    names
        .map(|name| {
            let bytes = fs::read(project.path(&format!("renders/{name}"))).unwrap();
            (name, bytes)
        })
        .collect()
}

/// Staging folders below the folder of the frames.
fn staging_folders(project: &Project) -> Vec<String> {
    let mut found = Vec::new();
    for pass in ["beauty", "depth"] {
        let entries = fs::read_dir(project.path(&format!("renders/{pass}")));
        for entry in entries.into_iter().flatten().flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with('.') {
                found.push(name);
            }
        }
    }
    found
}

/// What an undisturbed run makes, and how many operations it takes.
fn undisturbed() -> (BTreeMap<String, Vec<u8>>, u64) {
    let project = project("");
    let disk = FaultyDisk::new(0, Fault::Once(io::ErrorKind::Other));
    assert!(
        render(&project, &disk, Policy::default())
            .unwrap()
            .is_complete()
    );
    let made = bytes(&project);
    assert_eq!(made.len(), 6);
    (made, disk.count.load(Ordering::SeqCst))
}

/// Disturbs a run at one operation, looks at what is there, and lets the next run go on.
fn disturbed(whole: &BTreeMap<String, Vec<u8>>, at: u64, fault: Fault) {
    let shown = format!("{fault:?} at operation {at}");
    let project = project("");
    let first = render(&project, &FaultyDisk::new(at, fault), Policy::default());
    if fault == Fault::AskedTwice {
        let first = first.as_ref();
        assert!(first.is_ok_and(Report::is_complete), "{shown}: {first:?}");
    }
    let between = bytes(&project);
    for (name, bytes) in &between {
        assert_eq!(bytes, &whole[name], "{shown}: {name} is not whole");
    }
    let report = render(&project, &RealDisk, Policy::default());
    let report = report.unwrap_or_else(|error| panic!("{shown}, then: {error}; first {first:?}"));
    assert!(report.is_complete(), "{shown}: {report:?}");
    assert_eq!(&bytes(&project), whole, "{shown}");
    assert_eq!(staging_folders(&project), [""; 0], "{shown}");
    // What had its true name was never rendered again, nor what was finished and could be taken.
    let mut times: BTreeMap<String, u32> = BTreeMap::new();
    for line in wrote(&project) {
        *times.entry(line).or_default() += 1;
    }
    if matches!(fault, Fault::Stop | Fault::AskedTwice) {
        for (line, times) in times {
            assert_eq!(times, 1, "{shown}: {line} more than once");
        }
    }
    assert!(!project.path(".truepath/claims").exists(), "{shown}");
}

#[test]
fn stopped_after_every_operation() {
    let (whole, operations) = undisturbed();
    assert!(operations > 30, "{operations}");
    for at in 0..=operations {
        disturbed(&whole, at, Fault::Stop);
    }
}

#[test]
fn every_operation_fails_for_every_reason() {
    let (whole, operations) = undisturbed();
    for at in 1..=operations {
        for kind in [
            io::ErrorKind::StorageFull,
            io::ErrorKind::PermissionDenied,
            io::ErrorKind::Other,
        ] {
            disturbed(&whole, at, Fault::Once(kind));
        }
        disturbed(&whole, at, Fault::FromThere(io::ErrorKind::StorageFull));
    }
}

#[test]
fn lost_answers_do_no_harm() {
    let (whole, operations) = undisturbed();
    for at in 1..=operations {
        disturbed(&whole, at, Fault::Done(io::ErrorKind::Other));
        disturbed(&whole, at, Fault::AskedTwice);
    }
}

#[test]
fn a_mistake_of_the_program_ends_the_run_and_loses_nothing() {
    let (whole, operations) = undisturbed();
    let mut ended = 0;
    for at in 1..=operations {
        let project = project("");
        let disk = FaultyDisk::new(at, Fault::Panic);
        let first = catch_unwind(AssertUnwindSafe(|| {
            render_with(&project, &disk, Policy::default(), 2)
        }));
        ended += u64::from(first.is_err());
        let report = render(&project, &RealDisk, Policy::default()).unwrap();
        assert!(report.is_complete(), "at {at}: {report:?}");
        assert_eq!(bytes(&project), whole, "at {at}");
        assert_eq!(staging_folders(&project), [""; 0], "at {at}");
    }
    assert!(ended > operations / 2, "{ended}");
}

#[test]
fn a_replacing_run_disturbed_at_every_operation_keeps_one_or_the_other() {
    let policy = Policy {
        rerender_stale: true,
        ..Policy::default()
    };
    let before = |project: &Project| {
        render(project, &RealDisk, Policy::default()).unwrap();
        let old = bytes(project);
        project.write(
            "kiln.toml",
            &scene("").replace("radius = 0.2", "radius = 0.3"),
        );
        old
    };
    let first = project("");
    before(&first);
    let disk = FaultyDisk::new(0, Fault::Once(io::ErrorKind::Other));
    assert!(render(&first, &disk, policy).unwrap().is_complete());
    let new = bytes(&first);
    for at in 0..=disk.count.load(Ordering::SeqCst) {
        for fault in [
            Fault::Stop,
            Fault::Done(io::ErrorKind::Other),
            Fault::AskedTwice,
        ] {
            let shown = format!("{fault:?} at operation {at}");
            let project = project("");
            let old = before(&project);
            let _ = render(&project, &FaultyDisk::new(at, fault), policy);
            for (name, bytes) in bytes(&project) {
                assert!(
                    bytes == old[&name] || bytes == new[&name],
                    "{shown}: {name}"
                );
            }
            assert_eq!(bytes(&project).len(), 6, "{shown}");
            let report = render(&project, &RealDisk, policy).unwrap();
            assert!(report.is_complete(), "{shown}");
            assert_eq!(bytes(&project), new, "{shown}");
            assert_eq!(staging_folders(&project), [""; 0], "{shown}");
        }
    }
}
