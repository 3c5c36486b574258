//! State folders of other versions: one of the first format is read for good, one of a newer format is refused.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::path::Path;
use std::time::{Duration, UNIX_EPOCH};

use common::{Project, kiln};
use serde_json::Value;

/// Copies a tree.
fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap().flatten() {
        let name = entry.file_name();
        // In the repository the state folder has a name that is not hidden.
        let name = if name == "state" {
            ".truepath".into()
        } else {
            name
        };
        if entry.file_type().unwrap().is_dir() {
            copy(&entry.path(), &to.join(name));
        } else {
            fs::copy(entry.path(), to.join(name)).unwrap();
        }
    }
}

/// Gives the files of a project the times that its ledgers record: a checkout has its own.
fn set_times(project: &Project) {
    let folder = project.path("").display().to_string();
    for ledger in fs::read_dir(project.path(".truepath/ledger")).unwrap() {
        let text = fs::read_to_string(ledger.unwrap().path()).unwrap();
        for line in text.lines() {
            let line: Value = serde_json::from_str(line).unwrap();
            for kind in ["published", "intent"] {
                let record = &line["line"][kind]["record"];
                let (Some(path), Some(time)) =
                    (record["path"].as_str(), record["modified"].as_u64())
                else {
                    continue;
                };
                let path = path.replace("{place.job}/", &folder);
                let file = fs::File::options().write(true).open(path).unwrap();
                let time = UNIX_EPOCH + Duration::from_nanos(time);
                file.set_modified(time).unwrap();
            }
        }
    }
}

/// A project with frames, layers, a movie, stills, a file that was set aside, and a run that was killed between a rename
/// and its ledger line: all as the first format has it.
fn of_format_1() -> Project {
    let project = Project::empty();
    let fixture = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/state-1");
    copy(&fixture, &project.path(""));
    set_times(&project);
    project
}

#[test]
fn a_state_folder_of_the_first_format_is_read_for_good() {
    let project = of_format_1();
    let audit = project.call(&["audit"]).ends(0);
    assert!(
        audit.out.contains("complete: all 15 files are valid"),
        "{}",
        audit.out
    );
    let north = ("TRUEPATH_MACHINE", "north");
    let status = project.call_with(&["status"], north).ends(0);
    assert!(status.out.contains("dead    run 3"), "{}", status.out);
    // The killed run is recovered, and no file is made again.
    let run = project.call_with(&["run"], north).ends(0);
    assert!(run.out.contains("kept           15"), "{}", run.out);
    assert!(!run.out.contains("rendered"), "{}", run.out);
    assert!(run.out.contains("set aside: 1 file"), "{}", run.out);
    // From now on an older version, which would misread what this one writes, refuses it.
    assert_eq!(project.read(".truepath/format"), "2\n");
    // A second one has nothing to do.
    let again = project.call(&["run"]).ends(0);
    assert!(again.out.contains("kept"), "{}", again.out);
    let status = project.call_with(&["status"], north).ends(0);
    assert!(!status.out.contains("dead"), "{}", status.out);
    project.call(&["audit"]).ends(0);
    let why = project.call(&["why", "t/kiln.0002.exr"]).ends(0);
    assert!(why.out.contains("rendered 2026-11-30"), "{}", why.out);
}

#[test]
fn files_of_the_first_format_become_stale_by_what_makes_them() {
    let project = of_format_1();
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("24x16", "12x8"));
    let audit = project.call(&["audit"]).ends(1);
    assert!(
        audit.out.contains("0 of 15 files are valid: 15 stale"),
        "{}",
        audit.out
    );
}

#[test]
fn a_newer_format_is_refused_by_every_command_that_reads_the_state() {
    let project = kiln("1-2", "", "");
    project.call(&["run"]).ends(0);
    project.write(".truepath/format", "3\n");
    for arguments in [
        &["run"][..],
        &["run", "--dry-run"],
        &["status"],
        &["audit"],
        &["why", "renders/kiln.0001.png"],
        &["manifest"],
        &["check"],
        &["clean"],
        &["report", "--to", "page.html"],
    ] {
        let called = project.call(arguments).ends(3);
        assert!(called.err.contains("is of format 3"), "{}", called.err);
    }
    // What it does not read stays as it is.
    assert_eq!(project.files("renders").len(), 2);
    assert_eq!(project.files(".truepath/ledger").len(), 1);
}
