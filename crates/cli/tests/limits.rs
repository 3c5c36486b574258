//! Small limits of the system: they are named, end with 3, cost nothing that is finished, and are never a panic or a signal.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::os::unix::fs::{PermissionsExt, chown};
use std::process::Command;

use common::{Called, Project, called, kiln};

/// A run under a limit, as `ulimit` takes it; as a user who is not the administrator where there is a number.
fn under(project: &Project, limit: &str, user: Option<u32>) -> Called {
    let run = project.command(&["run", "--jobs", "2"]);
    let line = format!("ulimit {limit}; exec \"$0\" \"$@\"");
    // Another user may not read where this one has its programs.
    let program = match user {
        Some(_) => project.path("truepath"),
        None => run.get_program().into(),
    };
    let mut command = match user {
        Some(user) => {
            let mut command = Command::new("setpriv");
            command.args([
                &format!("--reuid={user}"),
                &format!("--regid={user}"),
                "--clear-groups",
            ]);
            command.arg("bash");
            command
        }
        None => Command::new("bash"),
    };
    command
        .arg("-c")
        .arg(line)
        .arg(program)
        .args(run.get_args())
        .env("RUST_BACKTRACE", "0")
        .current_dir(project.path(""));
    called(command)
}

#[track_caller]
fn is_said(called: &Called, limit: &str) {
    let Called { code, out, err } = called;
    assert_eq!(*code, Some(3), "{limit}: {out}{err}");
    assert!(err.contains(&format!("`ulimit {limit}`")), "{err}");
    assert!(!err.contains("panicked"), "{err}");
}

#[test]
fn files_that_may_not_become_larger() {
    let project = kiln("1-8", "", "");
    project.call(&["run", "--frames", "1-2"]).ends(0);
    is_said(&under(&project, "-f 1", None), "-f");
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
}

#[test]
fn few_open_files() {
    let project = kiln("1-8", "", "");
    is_said(&under(&project, "-n 9", None), "-n");
    project.call(&["run"]).ends(0);
}

#[test]
fn little_memory() {
    let project = kiln("1-8", "", "");
    let mut ended = Vec::new();
    for megabytes in [120, 160, 200, 300, 500, 4000] {
        let run = under(&project, &format!("-v {}", megabytes * 1024), None);
        assert!(!run.err.contains("panicked"), "{}", run.err);
        // Where the memory is enough to begin, engines may have too little, and their frames fail.
        assert!(
            matches!(run.code, Some(0 | 1 | 3)),
            "{megabytes}: {:?} {}",
            run.code,
            run.err
        );
        if run.code == Some(3) {
            is_said(&run, "-v");
        }
        ended.push(run.code);
    }
    assert_eq!(ended.last(), Some(&Some(0)), "{ended:?}");
    project.call(&["audit"]).ends(0);
}

#[test]
fn few_processes() {
    // The limit does not hold for the administrator.
    let user = 12_077;
    let tried = Command::new("setpriv")
        .args([&format!("--reuid={user}"), "--clear-groups", "true"])
        .output();
    if !tried.is_ok_and(|tried| tried.status.success()) {
        common::left_out("users");
        return;
    }
    let project = kiln("1-8", "", "");
    let folder = project.path("");
    fs::set_permissions(&folder, fs::Permissions::from_mode(0o777)).unwrap();
    fs::copy(common::program(), project.path("truepath")).unwrap();
    for entry in fs::read_dir(&folder).unwrap().flatten() {
        chown(entry.path(), Some(user), Some(user)).unwrap();
    }
    for processes in [3, 6, 10] {
        let run = under(&project, &format!("-u {processes}"), Some(user));
        is_said(&run, "-u");
    }
    let run = under(&project, "-u 400", Some(user));
    assert_eq!(run.code, Some(0), "{}{}", run.out, run.err);
}
