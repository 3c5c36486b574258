//! Command lines that are in use become jobs that give the same lines back.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use common::Project;

fn adopted(line: &[&str]) -> Project {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write("my scene.scene", "x");
    let words = [&["adopt", "--"], line].concat();
    let called = project.call(&words).ends(0);
    assert!(called.out.contains("word for word"), "{}", called.out);
    project
}

#[test]
fn lines_of_many_shapes_are_given_back_word_for_word() {
    for (line, keys) in [
        (
            &[
                "render",
                "--in",
                "kiln.scene",
                "--frames",
                "1-48",
                "--out",
                "r/kiln.png",
            ][..],
            &[
                "frames = \"1-48\"",
                "\"{first}-{last}\"",
                "r/kiln.{frame:04}.png",
            ][..],
        ),
        (
            &[
                "render",
                "-s",
                "1",
                "-e",
                "9",
                "-w",
                "640",
                "-h",
                "480",
                "kiln.scene",
                "-o",
                "r/k.####.exr",
            ],
            &[
                "size   = \"640x480\"",
                "\"{width}\"",
                "{target.folder}/k.####.exr",
            ],
        ),
        (
            &[
                "render",
                "--frame=7",
                "--out=r/k_0007.png",
                "--cam=front",
                "my scene.scene",
            ],
            &["frames = \"7\"", "r/k_{frame:04}.png", "\"--cam={camera}\""],
        ),
        (
            &[
                "render",
                "+Ikiln.scene",
                "+W32",
                "+H24",
                "+Or/k.%05d.png",
                "-s",
                "1",
                "-e",
                "2",
            ],
            &["\"+I{scene.file}\"", "r/k.{frame:05}.png"],
        ),
        (
            &[
                "render",
                "kiln.scene",
                "out {x}.png",
                "--note",
                "50% & 'more'",
            ],
            &["still  = 1", "out {{x}}.png"],
        ),
    ] {
        let job = adopted(line).read("truepath.toml");
        for key in keys {
            assert!(job.contains(key), "{line:?}: {key}\n{job}");
        }
    }
}

#[test]
fn a_script_of_several_lines_becomes_one_job() {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write(
        "night.sh",
        "#!/bin/sh\n# every night\n\
         render -i kiln.scene -s 1 -e 24 --camera dome -o r/dome/kiln_dome.####.png\n\
         render -i kiln.scene -s 25 -e 48 --camera dome -o r/dome/kiln_dome.####.png\n\
         render -i kiln.scene -s 1 -e 24 --camera north -o r/north/kiln_north.####.png\n\
         render -i kiln.scene -s 25 -e 48 --camera north -o r/north/kiln_north.####.png\n",
    );
    let called = project.call(&["adopt", "--script", "night.sh"]).ends(0);
    assert!(
        called.out.contains("the same 4 lines back, word for word"),
        "{}",
        called.out
    );
    let job = project.read("truepath.toml");
    assert!(
        job.contains("frames = \"1-48\"\ncameras = [\"dome\", \"north\"]"),
        "{job}"
    );
    // A second time nothing is overwritten.
    project.call(&["adopt", "--script", "night.sh"]).ends(3);
    assert_eq!(project.read("truepath.toml"), job);
}

#[test]
fn what_cannot_be_understood_is_told() {
    let project = Project::empty();
    for (line, part) in [
        (
            &["render", "a", "b"][..],
            "nothing in the line looks like a picture",
        ),
        (&[], "there is no command line to read"),
    ] {
        let words = [&["adopt", "--"], line].concat();
        let called = project.call(&words).ends(2);
        assert!(called.err.contains(part), "{}", called.err);
    }
    project.write(
        "a.sh",
        "render --mood happy r/a.png\nrender --mood sad r/b.png\n",
    );
    let called = project.call(&["adopt", "--script", "a.sh"]).ends(2);
    assert!(
        called
            .err
            .contains("word 3 differs from line to line (happy, sad)"),
        "{}",
        called.err
    );
    project.write("b.sh", "render $HOME/a.png\n");
    let called = project.call(&["adopt", "--script", "b.sh"]).ends(2);
    assert!(
        called.err.contains("b.sh: line 1: `$` needs a shell"),
        "{}",
        called.err
    );
}
