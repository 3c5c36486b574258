//! One error at each operation of a run on the disk: it ends the run only where its own state cannot be written or nothing
//! has begun; else it costs the frames of one process, and all others are published by the same run.

use std::io;
use std::sync::atomic::Ordering;

use truepath_runner::disk::RealDisk;
use truepath_runner::make::run::{Policy, RunError};

use crate::common::Project;
use crate::faults::{Fault, FaultyDisk, render};
use crate::{bytes, project};

/// Six files by six processes.
fn one_by_one() -> Project {
    let project = project("chunk = 1\n");
    assert_eq!(bytes(&project).len(), 0);
    project
}

#[test]
fn an_error_costs_the_frames_of_one_process() {
    let fault = Fault::Once(io::ErrorKind::Other);
    let first = one_by_one();
    let disk = FaultyDisk::new(0, fault);
    assert!(
        render(&first, &disk, Policy::default())
            .unwrap()
            .is_complete()
    );
    let operations = disk.count.load(Ordering::SeqCst);
    let whole = bytes(&first);
    let mut went_on = 0;
    for at in 1..=operations {
        let shown = format!("at operation {at}");
        let project = one_by_one();
        let state = project.path(".truepath").display().to_string();
        match render(&project, &FaultyDisk::new(at, fault), Policy::default()) {
            Ok(_) => {
                let made = bytes(&project).len();
                assert!(made >= 5, "{shown}: {made} of 6");
                went_on += 1;
            }
            Err(RunError::Disk { path, error }) => {
                assert!(path.starts_with(&state), "{shown}: {path}: {error}");
            }
            Err(RunError::Session(_)) => {}
            Err(error) => panic!("{shown}: {error}"),
        }
        let report = render(&project, &RealDisk, Policy::default()).unwrap();
        assert!(report.is_complete(), "{shown}");
        assert_eq!(bytes(&project), whole, "{shown}");
    }
    assert!(went_on > operations / 4, "{went_on} of {operations}");
}
