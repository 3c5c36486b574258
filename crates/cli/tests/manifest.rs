//! Lists of hashes of what is handed over, checked by the usual programs and by this one.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::process::Command;

use common::{Project, kiln, needs};

fn rendered() -> Project {
    let project = kiln("1-6", "", "");
    project.call(&["run"]).ends(0);
    project
}

#[test]
fn the_usual_programs_check_the_lists() {
    let project = rendered();
    let line = [
        "manifest", "--hash", "sha256", "--hash", "md5", "--hash", "blake3", "--to", "files",
    ];
    project.call(&line).ends(0);
    for (program, list) in [
        ("sha256sum", "files.sha256"),
        ("md5sum", "files.md5"),
        ("b3sum", "files.b3"),
    ] {
        if !needs(program) {
            continue;
        }
        let check = |code: i32| {
            let checked = Command::new(program)
                .args(["-c", "--quiet", list])
                .current_dir(project.path(""))
                .output()
                .unwrap();
            assert_eq!(checked.status.code(), Some(code), "{program}: {checked:?}");
        };
        check(0);
        let path = project.path("renders/kiln.0003.png");
        let bytes = fs::read(&path).unwrap();
        fs::write(&path, "another").unwrap();
        check(1);
        fs::write(&path, bytes).unwrap();
    }
    // Once more under the same name: what is there stays.
    let before = project.read("files.md5");
    let again = project.call(&line).ends(2);
    assert!(again.err.contains("is not replaced"), "{}", again.err);
    assert_eq!(project.read("files.md5"), before);
}

#[test]
fn a_list_is_verified_without_its_job() {
    let project = rendered();
    project
        .call(&[
            "manifest", "--hash", "blake3", "--hash", "md5", "--to", "list",
        ])
        .ends(0);
    let other = Project::empty();
    fs::create_dir(other.path("delivery")).unwrap();
    fs::rename(project.path("renders"), other.path("delivery/renders")).unwrap();
    for list in ["list.b3", "list.md5"] {
        fs::copy(project.path(list), other.path(&format!("delivery/{list}"))).unwrap();
        let called = other
            .call(&["manifest", "--verify", &format!("delivery/{list}")])
            .ends(0);
        assert_eq!(called.out, "complete: all 6 files are as the list says\n");
    }
    let frame = |number: u32| other.path(&format!("delivery/renders/kiln.{number:04}.png"));
    fs::remove_file(frame(2)).unwrap();
    fs::write(frame(5), "another").unwrap();
    let called = other
        .call(&["manifest", "--verify", "delivery/list.b3"])
        .ends(1);
    assert_eq!(
        called.out,
        "missing delivery/renders/kiln.0002.png\nchanged delivery/renders/kiln.0005.png\n\
         not complete: 4 of 6 files are as the list says\n"
    );
}

#[test]
fn names_of_every_kind_come_back() {
    let project = Project::empty();
    fs::create_dir(project.path("odd")).unwrap();
    for name in [
        "a b.txt",
        "new\nline.txt",
        "back\\slash.txt",
        "-dash.txt",
        "é.txt",
    ] {
        fs::write(project.path("odd").join(name), name).unwrap();
    }
    project
        .call(&["manifest", "odd", "--hash", "sha256", "--to", "odd/list"])
        .ends(0);
    project
        .call(&["manifest", "--verify", "odd/list.sha256"])
        .ends(0);
    if needs("sha256sum") {
        let checked = Command::new("sha256sum")
            .args(["-c", "--quiet", "list.sha256"])
            .current_dir(project.path("odd"))
            .status();
        assert!(checked.unwrap().success());
    }
}

#[test]
fn a_list_that_leads_out_or_is_none_is_refused_by_line() {
    let project = Project::empty();
    let hash = "0".repeat(64);
    project.write(
        "list.sha256",
        &format!("{hash}  a.png\n{hash}  ../../etc/passwd\n"),
    );
    let called = project
        .call(&["manifest", "--verify", "list.sha256"])
        .ends(2);
    assert!(
        called.err.contains("list.sha256:2: its path leads out"),
        "{}",
        called.err
    );
    project.write("list.txt", &format!("{hash}  a.png\n"));
    let called = project.call(&["manifest", "--verify", "list.txt"]).ends(2);
    assert!(called.err.contains("look alike"), "{}", called.err);
}

#[test]
fn what_is_missing_is_said_and_a_table_says_what_each_file_is() {
    let project = rendered();
    fs::remove_file(project.path("renders/kiln.0004.png")).unwrap();
    let called = project
        .call(&["manifest", "--csv", "frames.csv", "--hash", "md5"])
        .ends(1);
    assert!(
        called.err.contains("missing") && called.err.contains("kiln.0004.png"),
        "{}",
        called.err
    );
    let table = project.read("frames.csv");
    let lines: Vec<&str> = table.lines().collect();
    assert_eq!(lines[0], "path,bytes,md5,state,reason,content");
    assert_eq!(lines.len(), 7);
    assert_eq!(lines[4], "renders/kiln.0004.png,,,missing,,");
    assert!(lines[1].contains(",valid,,"), "{table}");
    assert!(lines[1].starts_with("renders/kiln.0001.png,"), "{table}");
    assert!(
        lines[1].ends_with(",\"png 48x32, rgba, 8 bits\""),
        "{table}"
    );
}

#[test]
fn a_table_does_not_call_a_file_valid_whose_bytes_are_others() {
    let project = rendered();
    let path = project.path("renders/kiln.0002.png");
    let then = fs::metadata(&path).unwrap().modified().unwrap();
    let mut bytes = fs::read(&path).unwrap();
    let last = bytes.len() - 20;
    bytes[last] ^= 1;
    fs::write(&path, bytes).unwrap();
    // As large and as old as before.
    let file = fs::File::options().write(true).open(&path).unwrap();
    file.set_modified(then).unwrap();
    project.write(
        "truepath.toml",
        &format!("{}settings.exposure = 1\n", project.read("truepath.toml")),
    );
    project.call(&["manifest", "--csv", "frames.csv"]).ends(1);
    let table = project.read("frames.csv");
    let lines: Vec<&str> = table.lines().collect();
    assert!(lines[1].contains(",stale,"), "{table}");
    assert!(lines[2].contains(",broken,"), "{table}");
}
