//! A run of three frames and two passes, stopped after its n-th operation on the disk, and with each
//! kind of error at each of them: nothing is lost, nothing is half, nothing is made twice.
#![allow(clippy::unwrap_used, clippy::panic)]

#[path = "../common/mod.rs"]
mod common;
mod engines;
mod faults;
mod one_error;
mod recoveries;
mod renaming;

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::Ordering;

use common::{Project, scene, wrote};
use faults::{Fault, FaultyDisk, render, render_with};
use truepath_runner::disk::RealDisk;
use truepath_runner::make::run::{Policy, Report};

fn project(existing: &str) -> Project {
    let project = Project::new(&format!(
        "{existing}scene = \"kiln.toml\"\nframes = \"1-3\"\nengine = \"understudy\"\nsize = \"16x8\"\n\
         passes = [\"beauty\", \"depth\"]\nretries = 0\npath = \"renders/{{pass}}/{{shot}}.{{frame:04}}.png\"\n"
    ));
    project.write("kiln.toml", &scene(""));
    project
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

/// Lets each operation fail in turn.
fn every_operation(fault: Fault) {
    let (whole, operations) = undisturbed();
    for at in 1..=operations {
        disturbed(&whole, at, fault);
    }
}

#[test]
fn every_operation_finds_the_disk_full_once() {
    every_operation(Fault::Once(io::ErrorKind::StorageFull));
}

#[test]
fn every_operation_is_denied_once() {
    every_operation(Fault::Once(io::ErrorKind::PermissionDenied));
}

#[test]
fn every_operation_fails_once() {
    every_operation(Fault::Once(io::ErrorKind::Other));
}

#[test]
fn the_disk_is_full_from_every_operation_on() {
    every_operation(Fault::FromThere(io::ErrorKind::StorageFull));
}

#[test]
fn every_operation_is_done_and_says_that_it_failed() {
    every_operation(Fault::Done(io::ErrorKind::Other));
}

#[test]
fn every_operation_is_asked_for_twice() {
    every_operation(Fault::AskedTwice);
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

/// Disturbs a run that replaces stale files at each of its operations: each file is the old one or the new one.
fn every_operation_of_a_replacing_run(fault: Fault) {
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

#[test]
fn a_replacing_run_is_stopped_at_every_operation() {
    every_operation_of_a_replacing_run(Fault::Stop);
}

#[test]
fn every_operation_of_a_replacing_run_is_done_and_says_that_it_failed() {
    every_operation_of_a_replacing_run(Fault::Done(io::ErrorKind::Other));
}

#[test]
fn every_operation_of_a_replacing_run_is_asked_for_twice() {
    every_operation_of_a_replacing_run(Fault::AskedTwice);
}
