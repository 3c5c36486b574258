//! Renames that are stopped at any step, or whose answers are lost: every file is there under one name, and the next
//! call finishes them or takes them back.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::atomic::Ordering;

use truepath_core::renaming::Rename;
use truepath_runner::disk::{Disk, RealDisk};
use truepath_runner::hand_over::renaming::{Journal, JournalError, Outcome, prepare};

use crate::common::Project;
use crate::faults::{Fault, FaultyDisk};

/// A chain, a swap, a folder that is not there yet, and a name that stays.
const NAMES: [(&str, &str); 6] = [
    ("a.1.png", "a.2.png"),
    ("a.2.png", "a.3.png"),
    ("a.3.png", "new/deep/a.4.png"),
    ("left.png", "right.png"),
    ("right.png", "left.png"),
    ("b.png", "new/b.png"),
];

fn project() -> Project {
    let project = Project::empty();
    for (from, _) in NAMES {
        project.write(from, &format!("picture {from}"));
    }
    project.write("bystander.png", "a picture of somebody else");
    project
}

fn renames(project: &Project) -> Vec<Rename> {
    let path = |name: &str| project.path(name).display().to_string();
    NAMES
        .iter()
        .map(|(from, to)| Rename {
            from: path(from),
            to: path(to),
        })
        .collect()
}

/// The content of all files, by name; of hidden ones what is no journal.
fn contents(project: &Project) -> BTreeMap<String, String> {
    let files = project.files("").into_iter();
    files
        .map(|name| (name.clone(), project.read(&name)))
        .collect()
}

fn before() -> BTreeMap<String, String> {
    let names = NAMES.iter().map(|(from, _)| *from);
    let mut all: BTreeMap<String, String> = names
        .map(|name| (name.to_owned(), format!("picture {name}")))
        .collect();
    all.insert(
        "bystander.png".to_owned(),
        "a picture of somebody else".to_owned(),
    );
    all
}

fn after() -> BTreeMap<String, String> {
    let mut all: BTreeMap<String, String> = NAMES
        .iter()
        .map(|(from, to)| ((*to).to_owned(), format!("picture {from}")))
        .collect();
    all.insert(
        "bystander.png".to_owned(),
        "a picture of somebody else".to_owned(),
    );
    all
}

fn rename_on(disk: &dyn Disk, project: &Project) -> Result<Outcome, JournalError> {
    let plan = prepare(&renames(project)).unwrap();
    Journal::open(disk, &project.path(""), &project.path(".lists"))?.rename(&plan)
}

/// Every content is there once, under whatever name.
fn nothing_is_lost(project: &Project) {
    let hidden = |folder: &Path| -> Vec<String> {
        let entries = fs::read_dir(folder).unwrap().flatten();
        let files = entries.filter(|entry| entry.file_type().unwrap().is_file());
        files
            .map(|entry| fs::read_to_string(entry.path()).unwrap())
            .collect()
    };
    let mut all: Vec<String> = contents(project).into_values().collect();
    // A temporary name is hidden.
    let seen = hidden(&project.path(""));
    all.extend(seen.into_iter().filter(|one| one.starts_with("picture")));
    all.sort();
    all.dedup();
    assert_eq!(all.len(), NAMES.len() + 1, "{all:?}");
}

/// How many operations it takes.
fn operations() -> u64 {
    let disk = FaultyDisk::new(u64::MAX, Fault::Stop);
    let project = project();
    assert_eq!(
        rename_on(&disk, &project).unwrap(),
        Outcome::Renamed(NAMES.len())
    );
    assert_eq!(contents(&project), after());
    disk.count.load(Ordering::SeqCst)
}

#[test]
fn renames_that_are_stopped_at_any_step_are_finished_or_taken_back() {
    let all = operations();
    assert!(all > 12, "{all}");
    for at in 0..all {
        for undoes in [false, true] {
            let project = project();
            assert!(rename_on(&FaultyDisk::new(at, Fault::Stop), &project).is_err());
            nothing_is_lost(&project);
            let journal =
                Journal::open(&RealDisk, &project.path(""), &project.path(".lists")).unwrap();
            let outcome = if undoes {
                journal.undo().map(Some)
            } else {
                journal.finish()
            };
            match outcome {
                // It had not begun, or only the last sync and the note were missing.
                Ok(None) | Err(JournalError::Nothing) => {
                    let now = contents(&project);
                    assert!(now == before() || (at + 2 >= all && now == after()), "{at}");
                }
                Ok(Some(Outcome::Renamed(_))) => assert_eq!(contents(&project), after(), "{at}"),
                Ok(Some(Outcome::Undone { .. })) => {
                    assert_eq!(contents(&project), before(), "{at}");
                    assert!(!project.path("new").exists(), "{at}");
                }
                Err(error) => panic!("{at}: {error}"),
            }
        }
    }
}

#[test]
fn taking_back_that_is_stopped_at_any_step_is_finished() {
    let undo = |disk: &dyn Disk, project: &Project| {
        Journal::open(disk, &project.path(""), &project.path(".lists"))?.undo()
    };
    let counted = FaultyDisk::new(u64::MAX, Fault::Stop);
    let whole = project();
    rename_on(&RealDisk, &whole).unwrap();
    undo(&counted, &whole).unwrap();
    assert_eq!(contents(&whole), before());
    let all = counted.count.load(Ordering::SeqCst);
    for at in 0..all {
        let project = project();
        rename_on(&RealDisk, &project).unwrap();
        assert!(undo(&FaultyDisk::new(at, Fault::Stop), &project).is_err());
        nothing_is_lost(&project);
        let journal = Journal::open(&RealDisk, &project.path(""), &project.path(".lists")).unwrap();
        match journal.finish().unwrap() {
            Some(Outcome::Undone { .. }) => assert_eq!(contents(&project), before(), "{at}"),
            _ => {
                let now = contents(&project);
                assert!(now == after() || (at + 2 >= all && now == before()), "{at}");
            }
        }
    }
}

#[test]
fn answers_that_are_lost_lose_no_file() {
    for fault in [
        Fault::AskedTwice,
        Fault::Done(io::ErrorKind::TimedOut),
        Fault::Once(io::ErrorKind::StorageFull),
    ] {
        for at in 1..=operations() {
            let project = project();
            let _ = rename_on(&FaultyDisk::new(at, fault), &project);
            nothing_is_lost(&project);
            let journal =
                Journal::open(&RealDisk, &project.path(""), &project.path(".lists")).unwrap();
            journal.finish().unwrap();
            let now = contents(&project);
            assert!(now == after() || now == before(), "{fault:?} {at}: {now:?}");
        }
    }
}
