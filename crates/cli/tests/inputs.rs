//! What counts as an input: the files that a `run` line names, and the whole content of large ones.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{Seek, SeekFrom, Write};
use std::os::unix::fs::PermissionsExt;

use common::{Project, kiln, picture};

/// A project of three frames whose line names a script, a file beside it and a log.
fn project() -> Project {
    let project = Project::new(
        "frames = \"1-3\"\njobs = 1\nretries = 0\npath = \"out/kiln.{frame:04}.png\"\n\
         run = [\"./render.sh\", \"{frame}\", \"{target}\", \"--config=look.ini\", \"{place.job}/night.log\"]\n",
    );
    project.write(
        "render.sh",
        "#!/bin/sh\ncd \"$(dirname \"$0\")\"\necho frame $1 >>\"$4\"\ncp picture.png \"$2\"\n",
    );
    let mode = fs::Permissions::from_mode(0o755);
    fs::set_permissions(project.path("render.sh"), mode).unwrap();
    project.write("look.ini", "lamp = 1\n");
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project
}

#[track_caller]
fn is_stale(project: &Project, why: &str) {
    project.call(&["audit"]).ends(1);
    let status = project.call(&["status", "--stale"]).ends(1);
    assert!(status.out.contains(why), "{}", status.out);
}

#[test]
fn a_script_and_a_file_that_a_line_names_are_inputs() {
    let project = project();
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    for (file, text) in [
        ("look.ini", "lamp = 2\n"),
        (
            "render.sh",
            "#!/bin/sh\n# another\ncp \"${0%/*}/picture.png\" \"$2\"\n",
        ),
    ] {
        let before = project.read(file);
        project.write(file, text);
        is_stale(&project, &format!("the file {file} has changed"));
        project.write(file, &before);
        project.call(&["audit"]).ends(0);
    }
    project.write("look.ini", "lamp = 3\n");
    let run = project.call(&["run", "--rerender-stale"]).ends(0);
    assert!(run.out.contains("rendered"), "{}", run.out);
    project.call(&["audit"]).ends(0);
    fs::remove_file(project.path("look.ini")).unwrap();
    is_stale(&project, "the file look.ini has changed");
}

#[test]
fn what_processes_write_is_no_input_whether_it_was_there_before_or_not() {
    for was_there in [false, true] {
        let project = project();
        if was_there {
            project.write("night.log", "of yesterday\n");
        }
        let run = project.call(&["run"]).ends(0);
        let said = "night.log was changed by a process of this job, so it is no input";
        assert_eq!(run.err.contains(said), was_there, "{}", run.err);
        project.call(&["audit"]).ends(0);
        project.write("night.log", "cleared\n");
        project.call(&["audit"]).ends(0);
        let again = project.call(&["run"]).ends(0);
        assert!(!again.out.contains("rendered"), "{}", again.out);
        // After a kill as well.
        fs::remove_file(project.path("out/kiln.0002.png")).unwrap();
        project.call(&["run"]).ends(0);
        project.call(&["audit"]).ends(0);
        // What is an input stays one.
        project.write("look.ini", "lamp = 2\n");
        project.call(&["audit"]).ends(1);
    }
}

#[test]
fn a_program_of_elsewhere_that_changes_is_reported_and_makes_nothing_stale() {
    let outside = tempfile::tempdir().unwrap();
    let program = outside.path().join("render");
    let install = |text: &str| {
        fs::write(&program, text).unwrap();
        fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
    };
    install("#!/bin/sh\ncp \"$1\" \"$2\"\n");
    let project = Project::new(&format!(
        "frames = \"1-3\"\nretries = 0\npath = \"out/kiln.{{frame:04}}.png\"\n\
         run = [{program:?}, \"{{place.job}}/picture.png\", \"{{target}}\", \"{{frame}}\"]\n"
    ));
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project.call(&["run"]).ends(0);
    install("#!/bin/sh\n# a newer one\ncp \"$1\" \"$2\"\n");
    fs::remove_file(project.path("out/kiln.0002.png")).unwrap();
    let run = project.call(&["run"]).ends(0);
    assert!(
        run.err.contains("is another one than before"),
        "{}",
        run.err
    );
    project.call(&["audit"]).ends(0);
    fs::remove_file(project.path("out/kiln.0003.png")).unwrap();
    let run = project.call(&["run"]).ends(0);
    assert!(
        !run.err.contains("is another one than before"),
        "{}",
        run.err
    );
}

#[test]
fn one_byte_in_the_middle_of_a_large_file_counts() {
    let project = kiln("1-2", "scene-files = [\"cache.bin\"]\n", "");
    let file = fs::File::create(project.path("cache.bin")).unwrap();
    file.set_len(70_000_000).unwrap();
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    let mut file = fs::File::options()
        .write(true)
        .open(project.path("cache.bin"))
        .unwrap();
    file.seek(SeekFrom::Start(35_000_000)).unwrap();
    file.write_all(b"x").unwrap();
    drop(file);
    is_stale(&project, "the file cache.bin has changed");
    project.call(&["run", "--rerender-stale"]).ends(0);
    project.call(&["audit"]).ends(0);
}
