//! Odd names run right, control characters are refused by name, and nothing reaches a shell.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::process::{Command, Stdio};

use common::{Project, scene};

const ODD: [&str; 9] = [
    "two words",
    "it's",
    "say \"so\"",
    "$HOME `id` $(id)",
    "a;b&c|d",
    "100%d %s",
    "-rf",
    "früh 日の出",
    "~root #1 *?[x]!",
];

fn toml(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// A job whose folder, scene, shot and camera all have this name.
fn odd(name: &str) -> Project {
    let project = Project::new(&format!(
        "[project]\nengine = \"understudy\"\nsize = \"24x16\"\n[shot.{shot}]\nscene = {scene}\nframes = \"1-2\"\ncamera = {camera}\n\
         [output.frames]\npath = {path}\n",
        shot = toml(name),
        scene = toml(&format!("{name}/{name}.toml")),
        camera = toml(name),
        path = toml(&format!("{name}/out/{{shot}}_{{camera}}.{{frame:04}}.png")),
    ));
    project.write(
        &format!("{name}/{name}.toml"),
        &scene("").replace("side =", &format!("{} =", toml(name))),
    );
    project
}

#[test]
fn odd_names_are_rendered() {
    for name in ODD {
        let project = odd(name);
        project.call(&["check"]).ends(0);
        project.call(&["run"]).ends(0);
        let wanted: Vec<String> = (1..=2)
            .map(|frame| format!("{name}_{name}.{frame:04}.png"))
            .collect();
        assert_eq!(project.files(&format!("{name}/out")), wanted);
        assert_eq!(project.audit()["complete"], true);
    }
}

#[test]
fn pasted_into_a_shell_the_lines_render_the_same_pictures() {
    for shell in ["sh", "dash", "bash", "zsh", "busybox"] {
        if !common::needs(shell) {
            continue;
        }
        for name in ODD {
            let project = odd(name);
            let lines = project.call(&["commands"]).ends(0).out;
            let mut arguments = vec!["-c", &lines];
            if shell == "busybox" {
                arguments.insert(0, "sh");
            }
            let output = Command::new(shell)
                .args(arguments)
                .stdin(Stdio::null())
                .output()
                .unwrap();
            assert!(
                output.status.success(),
                "{shell}: {lines}\n{}",
                String::from_utf8_lossy(&output.stderr)
            );
            let by_hand = project.files(&format!("{name}/out"));
            assert_eq!(by_hand.len(), 2, "{shell} {name}: {by_hand:?}");
            project.call(&["run"]).ends(0);
            for (frame, file) in (1..=2).zip(&by_hand) {
                let path = |file: &str| project.path(&format!("{name}/out/{file}"));
                assert_eq!(
                    std::fs::read(path(file)).unwrap(),
                    std::fs::read(path(&format!("{name}_{name}.{frame:04}.png"))).unwrap()
                );
            }
        }
    }
}

#[test]
fn a_line_pasted_twice_writes_over_nothing() {
    let project = odd("plain");
    let lines = project.call(&["commands"]).ends(0).out;
    let paste = || Command::new("sh").args(["-c", &lines]).output().unwrap();
    assert!(paste().status.success());
    let again = paste();
    assert!(!again.status.success());
    assert!(String::from_utf8_lossy(&again.stderr).contains("File exists"));
}

#[test]
fn control_characters_are_refused_by_name() {
    for (key, job) in [
        (
            "shot",
            "[shot.\"a\\nb\"]\nframes = \"1\"\n[output.frames]\npath = \"x.{frame:04}.png\"\n",
        ),
        (
            "camera",
            "camera = \"a\\tb\"\nframes = \"1\"\npath = \"x.{frame:04}.png\"\n",
        ),
        (
            "path",
            "frames = \"1\"\npath = \"x\\u0007.{frame:04}.png\"\n",
        ),
    ] {
        let called = Project::new(job).call(&["check"]).ends(2);
        assert!(
            called.err.contains("control character"),
            "{key}: {}",
            called.err
        );
        assert!(
            called.err.contains("truepath.toml:"),
            "{key}: {}",
            called.err
        );
    }
}

#[test]
fn a_name_that_ends_in_a_digit_is_no_part_of_the_number_behind_it() {
    for (stem, between) in [
        ("kiln_v001", ""),
        ("kiln-7", "-"),
        ("kiln.2", "."),
        ("kiln_1", "_f"),
    ] {
        for processes in ["1", "2"] {
            let project = Project::new(&format!(
                "scene = \"kiln.scene\"\nframes = \"1-24\"\nsplit = \"free\"\npath = \"r/{stem}.{{frame:04}}.png\"\n\
                 run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{first}}\", \"{{last}}\", \"{{target}}\"]\n"
            ));
            project.write("kiln.scene", "a scene");
            fs::write(project.path("picture.png"), common::picture(4)).unwrap();
            let picture = project.path("picture.png").display().to_string();
            project.write(
                "engine.sh",
                &format!(
                    "for frame in $(seq $1 $2); do\necho $frame >>'{}'\n\
                     cp '{picture}' \"${{3%.png}}{between}$(printf %02d $frame).png\"\ndone\n",
                    project.path("traced").display()
                ),
            );
            let run = project.call(&["run", "-j", processes]).ends(0);
            assert_eq!(
                project.files("r").len(),
                24,
                "{stem} {between}: {}",
                run.out
            );
            let traced = project.read("traced").lines().count();
            assert_eq!(traced, 24, "{stem} {between} {processes}");
        }
    }
}
