//! Start files: each passes `check` as it is written, and says what the scene says.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, scene};
use truepath_core::start::Work;

fn with_scenes() -> Project {
    let project = Project::empty();
    project.write("scenes/kiln.toml", &scene(""));
    project.write("scenes/oven.pov", "#version 3.7;\n");
    project
}

#[test]
fn every_start_file_passes_check_as_written() {
    let project = with_scenes();
    let path = format!(
        "{}:{}",
        project.path("bin").display(),
        std::env::var("PATH").unwrap()
    );
    for program in ["povray", "ffmpeg", "ffprobe"] {
        project.write(&format!("bin/{program}"), "#!/bin/sh\n");
        let program = project.path(&format!("bin/{program}"));
        let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        fs::set_permissions(program, mode).unwrap();
    }
    for engine in ["understudy", "povray"] {
        for work in Work::ALL.map(Work::word) {
            let name = format!("{engine}-{work}.toml");
            project
                .call(&["new", "--engine", engine, "--work", work, "--to", &name])
                .ends(0);
            let checked = project
                .call_with(&["check", "--job", &name], ("PATH", &path))
                .ends(0);
            assert!(
                checked.out.starts_with("no findings"),
                "{name}: {}{}",
                checked.out,
                checked.err
            );
        }
    }
}

#[test]
fn what_the_scene_provides_is_filled_in() {
    let project = with_scenes();
    project
        .call(&["new", "--for-scene", "scenes/kiln.toml"])
        .ends(0);
    let text = fs::read_to_string(project.path("truepath.toml")).unwrap();
    for line in [
        "engine  = \"understudy\"",
        "size    = \"48x32\"",
        "frames = \"1-60\"",
        "# the scene has front, side",
    ] {
        assert!(text.contains(line), "{line}\n{text}");
    }
    // What an engine cannot be asked stands in a file beside the scene.
    project.write(
        "scenes/oven.pov.facts.json",
        r#"{ "frames": "0-47", "fps": 25, "cameras": ["main", "top"], "camera": "main" }"#,
    );
    project
        .call(&["new", "--for-scene", "scenes/oven.pov", "--to", "o.toml"])
        .ends(0);
    let text = fs::read_to_string(project.path("o.toml")).unwrap();
    for line in ["frames = \"0-47\"", "fps     = 25", "camera = \"main\""] {
        assert!(text.contains(line), "{line}\n{text}");
    }
}

#[test]
fn nothing_is_replaced_and_nothing_is_guessed() {
    let project = with_scenes();
    project.write("truepath.toml", "# mine\n");
    let refused = project.call(&["new", "--engine", "understudy"]).ends(2);
    assert!(refused.err.contains("left as it is"), "{}", refused.err);
    assert_eq!(
        fs::read_to_string(project.path("truepath.toml")).unwrap(),
        "# mine\n"
    );
    for (arguments, part) in [
        (
            &["new", "--to", "a.toml"][..],
            "--engine understudy or povray or tachyon or python) or",
        ),
        (&["new", "--to", "a.toml", "--engine", "povary"], "povray"),
        (
            &["new", "--to", "a.toml", "--for-scene", "no.pov"],
            "no scene no.pov",
        ),
        (
            &["new", "--to", "a.toml", "--for-scene", "x.unknown"],
            "--engine understudy or povray or tachyon or python\n",
        ),
        (
            &[
                "new", "--to", "a.toml", "--engine", "povray", "--work", "pases",
            ],
            "passes",
        ),
    ] {
        let called = project.call(arguments).ends(2);
        assert!(called.err.contains(part), "{}", called.err);
    }
    let empty = Project::empty();
    let called = empty.call(&["new", "--engine", "povray"]).ends(2);
    assert!(called.err.contains("*.pov"), "{}", called.err);
    assert!(!project.path("a.toml").exists());
}
