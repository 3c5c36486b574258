//! The first five minutes: a renderer that nobody described, and a job file of six lines.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Project, needs};

/// Ignores the extension, adds a suffix and six digits of its own, and logs nothing.
const ODD_RENDERER: &str = r#"#!/usr/bin/env python3
import os, struct, sys, zlib
start, frames, target = sys.argv[1], sys.argv[2], sys.argv[3]
first, last = (int(x) for x in frames.split(":"))
stem = os.path.splitext(target)[0]
for frame in range(first, last + 1):
    rows = b"".join(b"\0" + bytes((x * 7 + frame) % 256 for x in range(24 * 3)) for _ in range(16))
    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    head = struct.pack(">IIBBBBB", 24, 16, 8, 2, 0, 0, 0)
    png = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
    with open(f"{stem}_final{frame:06}.out", "wb") as out:
        out.write(png)
"#;

fn project(run: &str) -> Project {
    let project = Project::new(&format!(
        "scene  = \"kiln.scene\"\nframes = \"1-12\"\ncamera = \"front\"\n\
         path   = \"renders/{{scene}}_{{camera}}_v02.{{frame:04}}.png\"\n{run}\n"
    ));
    project.write("kiln.scene", "anything");
    project.write("oddrender", ODD_RENDERER);
    let path = project.path("oddrender");
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(path, mode).unwrap();
    project
}

fn complete(project: &Project) {
    project.call(&["check"]).ends(0);
    project.call(&["run"]).ends(0);
    let names: Vec<String> = (1..=12)
        .map(|frame| format!("kiln_front_v02.{frame:04}.png"))
        .collect();
    assert_eq!(project.files("renders"), names);
    assert_eq!(project.audit()["complete"], true);
}

#[test]
fn one_frame_a_process() {
    if !needs("python3") {
        return;
    }
    complete(&project(
        "run    = [\"./oddrender\", \"{scene.file}\", \"{frame}:{frame}\", \"{target}\"]",
    ));
}

#[test]
fn a_range_a_process_and_only_what_is_missing() {
    if !needs("python3") {
        return;
    }
    let project =
        project("run    = [\"./oddrender\", \"{scene.file}\", \"{first}:{last}\", \"{target}\"]");
    complete(&project);
    std::fs::remove_file(project.path("renders/kiln_front_v02.0005.png")).unwrap();
    let called = project.call(&["run"]).ends(0);
    assert!(called.out.contains("rendered        1"), "{}", called.out);
}

#[test]
fn files_that_cannot_be_distinguished_are_not_guessed() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "run    = [\"./oddrender\", \"{scene.file}\", \"{first}:{last}\", \"{target}\"]\nsplit  = \"free\"",
    );
    let renamed = ODD_RENDERER.replace("_final{frame:06}.out", "_{chr(97 + frame)}.out");
    project.write("oddrender", &renamed);
    let called = project.call(&["run", "--jobs", "1"]).ends(1);
    assert!(
        called
            .out
            .contains("none of these files can be recognised as one of the frames"),
        "{}",
        called.out
    );
    // Nothing that it made is lost.
    assert_eq!(project.files("renders/set-aside").len(), 12);
}

#[test]
fn the_help_shows_the_job_file() {
    let help = Project::empty().call(&["--help"]).ends(0);
    for part in [
        "truepath.toml",
        "scene  =",
        "frames =",
        "path   =",
        "run    =",
        "truepath run",
    ] {
        assert!(help.out.contains(part), "{part}");
    }
}
