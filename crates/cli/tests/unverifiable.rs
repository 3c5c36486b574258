//! Pictures that this program cannot decode: nobody's verdict, and nobody's loss.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::Project;
use serde_json::Value;
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, write_exr};

/// An EXR file with a compression that came after this program.
fn picture() -> Vec<u8> {
    let size = Size {
        width: 24,
        height: 16,
    };
    let mut out = std::io::Cursor::new(Vec::new());
    let planes = [(String::new(), Canvas::new(size, Channels::Rgba))];
    write_exr(&planes, &mut out, Bits::Half, "zip", 1.0).unwrap();
    let mut bytes = out.into_inner();
    let name = b"compression\0compression\0";
    let at = bytes
        .windows(name.len())
        .position(|part| part == name)
        .unwrap();
    // After the length of the value.
    bytes[at + name.len() + 4] = 99;
    bytes
}

/// A project of three frames whose engine copies that picture.
fn project(more: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"1-3\"\nsize = \"24x16\"\npath = \"out/kiln.{{frame:04}}.exr\"\n\
         run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{frame}}\", \"{{target}}\"]\n{more}"
    ));
    project.write(
        "engine.sh",
        "cd \"$(dirname \"$0\")\"\necho $1 >>starts\ncp picture.exr \"$2\"\n",
    );
    fs::write(project.path("picture.exr"), picture()).unwrap();
    project
}

fn starts(project: &Project) -> usize {
    project.read("starts").lines().count()
}

/// What `status` and `audit` call the frames.
fn states(project: &Project) -> (Value, Value) {
    let status = project.call(&["status", "--format", "json"]).json();
    (
        status["deliverables"][0]["unverifiable"].clone(),
        project.audit()["deliverables"][0]["unverifiable"].clone(),
    )
}

#[test]
fn they_are_reported_and_neither_moved_nor_rendered_again() {
    let project = project("");
    let three = ["kiln.0001.exr", "kiln.0002.exr", "kiln.0003.exr"];
    for arguments in [
        &["run"][..],
        &["run"],
        &["run", "--rerender-stale"],
        &["run", "--keep-stale"],
        &["run", "--verify-all"],
    ] {
        let called = project.call(arguments).ends(1);
        assert!(
            called
                .out
                .contains("unverifiable main · frames: frames 1-3\n"),
            "{}",
            called.out
        );
        assert!(called.out.contains("compression"), "{}", called.out);
        assert_eq!(starts(&project), 3, "{arguments:?}: {}", called.out);
        assert_eq!(project.files("out"), three, "{arguments:?}");
        let (status, audit) = states(&project);
        assert_eq!(status, "1-3");
        assert_eq!(audit[0]["frames"], "1-3");
        project.call(&["status"]).ends(1);
        project.call(&["audit"]).ends(1);
    }
}

#[test]
fn a_job_may_allow_them() {
    let project = project("unverifiable = \"allow\"\n");
    project.call(&["run"]).ends(0);
    project.call(&["run"]).ends(0);
    assert_eq!(starts(&project), 3);
    project.call(&["status"]).ends(0);
    project.call(&["audit"]).ends(0);
    // Of bytes that are not those that were published nothing says that they are right.
    let path = project.path("out/kiln.0002.exr");
    let mut bytes = fs::read(&path).unwrap();
    let last = bytes.len() - 1;
    bytes[last] ^= 1;
    fs::write(&path, bytes).unwrap();
    let audit = project.audit();
    assert_eq!(audit["deliverables"][0]["changed"][0]["frames"], "2");
    project.call(&["run"]).ends(1);
    assert_eq!(starts(&project), 3);
}

#[test]
fn files_that_were_there_before_are_left_alone_as_well() {
    let project = project("");
    fs::create_dir(project.path("out")).unwrap();
    fs::write(project.path("out/kiln.0002.exr"), picture()).unwrap();
    project.call(&["run"]).ends(1);
    assert_eq!(starts(&project), 2);
    assert_eq!(project.files("out").len(), 3);
    assert_eq!(states(&project).1[0]["frames"], "1-3");
    project
        .call(&["run", "--set", "unverifiable=allow"])
        .ends(0);
    assert_eq!(starts(&project), 2);
}

#[test]
fn headers_that_lie_end_no_run() {
    // A TIFF file of four kilobytes that says it holds 65535 x 65535 floats.
    let mut tiff = vec![b'I', b'I', 42, 0, 8, 0, 0, 0, 8, 0];
    for (tag, kind, value) in [
        (256_u16, 4_u16, 65_535_u32),
        (257, 4, 65_535),
        (258, 3, 32),
        (259, 3, 1),
        (262, 3, 1),
        (273, 4, 200),
        (279, 4, 3_000),
        (339, 3, 3),
    ] {
        tiff.extend(tag.to_le_bytes());
        tiff.extend(kind.to_le_bytes());
        tiff.extend(1_u32.to_le_bytes());
        tiff.extend(value.to_le_bytes());
    }
    tiff.resize(4096, 0);
    for size in ["", "size = \"24x16\"\n"] {
        let project = Project::new(&format!(
            "frames = \"1-3\"\nretries = 0\npath = \"out/kiln.{{frame:04}}.tif\"\n{size}\
             run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{frame}}\", \"{{target}}\"]\n"
        ));
        project.write(
            "engine.sh",
            "cd \"$(dirname \"$0\")\"\nif [ $1 = 2 ]; then cp lie.tif \"$2\"; else cp good.tif \"$2\"; fi\n",
        );
        fs::write(project.path("lie.tif"), &tiff).unwrap();
        let mut good = tiff.clone();
        // A width of 24, a height of 16 and strips of 1,536 bytes.
        for (entry, value) in [(0, 24_u32), (1, 16), (6, 1_536)] {
            let at = 10 + entry * 12 + 8;
            good[at..at + 4].copy_from_slice(&value.to_le_bytes());
        }
        fs::write(project.path("good.tif"), &good).unwrap();
        let called = project.call(&["run"]).ends(1);
        assert!(called.out.contains("failed          1"), "{}", called.out);
        let there = project.files("out");
        for name in ["kiln.0001.tif", "kiln.0003.tif"] {
            assert!(there.contains(&name.to_owned()), "{}", called.out);
        }
    }
}

#[test]
fn what_is_there_besides_is_a_note_and_no_fault() {
    let size = Size {
        width: 24,
        height: 16,
    };
    let mut out = std::io::Cursor::new(Vec::new());
    let planes = [
        (String::new(), Canvas::new(size, Channels::Rgba)),
        ("depth".to_owned(), Canvas::new(size, Channels::Gray)),
    ];
    write_exr(&planes, &mut out, Bits::Half, "zip", 1.0).unwrap();
    let project = project("channels = \"rgba\"\nbits = \"half\"\n");
    let mut bytes = out.into_inner();
    bytes.extend(b"more");
    fs::write(project.path("picture.exr"), bytes).unwrap();
    project.call(&["run"]).ends(0);
    let audit = project.call(&["audit"]).ends(0).out;
    assert!(
        audit.contains("it has further channels: depth.Y"),
        "{audit}"
    );
    assert_eq!(
        project.audit()["deliverables"][0]["notes"][0]["frames"],
        "1-3"
    );
}
