//! Each way in which a renderer can misbehave: no bad frame is ever published, and the message
//! says which frame, why, and where the log is.
#![allow(clippy::unwrap_used)]

mod common;

use common::{kiln, scene};

/// Runs six frames with a mishap at frame 4; gives the summary.
fn run(mishap: &str, more: &str) -> (common::Project, String) {
    let project = kiln("1-6", more, &format!("[mishap]\n{mishap}\n"));
    let called = project.call(&["run"]).ends(1);
    let audit = project.audit();
    assert_eq!(
        audit["deliverables"][0]["missing"], "4",
        "{}\n{}",
        called.out, called.err
    );
    assert_eq!(audit["deliverables"][0]["valid"], 5);
    assert!(
        called.out.contains("failed  kiln · frames: frame 4"),
        "{}",
        called.out
    );
    let log = called
        .out
        .lines()
        .find_map(|line| line.trim().strip_prefix("log "))
        .map(str::to_owned);
    assert!(std::path::Path::new(&log.unwrap()).is_file());
    (project, called.out)
}

#[test]
fn a_renderer_that_fails() {
    let (_, out) = run("fail-at = 4", "");
    assert!(
        out.contains("exit code 1: the scene fails at frame 4"),
        "{out}"
    );
}

#[test]
fn a_renderer_that_hangs_is_ended_at_the_frame_limit() {
    let (project, out) = run("hang-at = 4", "frame-timeout = \"1s\"");
    assert!(
        out.contains("no frame was finished for 1s, the frame-timeout"),
        "{out}"
    );
    // FixedFile, the rest is rendered; the engine that hung is gone.
    project.write("kiln.toml", &scene(""));
    assert_eq!(project.files("renders").len(), 5);
}

#[test]
fn a_truncated_frame() {
    let (project, out) = run("truncate-at = 4", "");
    assert!(out.contains("cut short or damaged"), "{out}");
    // What the engine left is kept for whoever wants to look at it.
    assert!(project.files("renders/set-aside")[0].contains("unproven-kiln.0004"));
}

#[test]
fn an_empty_frame() {
    let (_, out) = run("empty-at = 4", "");
    assert!(out.contains("it is empty (0 bytes)"), "{out}");
}

#[test]
fn a_frame_that_is_left_out() {
    let (_, out) = run("skip-at = 4", "");
    assert!(
        out.contains("ended with success and wrote no file for it"),
        "{out}"
    );
}

#[test]
fn a_frame_of_another_size() {
    let (_, out) = run("wrong-size-at = 4", "");
    assert!(out.contains("its size is 24x16, not 48x32"), "{out}");
}

#[test]
fn many_warnings_and_slow_frames_harm_nothing() {
    let project = kiln("1-3", "", "[mishap]\nnoisy = 40\nslow = 20\n");
    let called = project.call(&["run"]).ends(0);
    assert!(called.out.contains("warnings      120"), "{}", called.out);
}

#[test]
fn a_scene_without_the_camera_fails_once_and_says_why() {
    let project = kiln("1-60", "camera = \"frnt\"", "");
    let job = std::fs::read_to_string(project.path("truepath.toml")).unwrap();
    project.write("truepath.toml", &job.replace("{shot}.", "{shot}_{camera}."));
    // It is found before anything is rendered, and reported by the engine when that is passed over.
    let checked = project.call(&["run"]).ends(1);
    assert!(checked.err.contains("TP512"), "{}", checked.err);
    let called = project
        .call(&["run", "--ignore", "TP512", "--jobs", "1"])
        .ends(1);
    assert!(
        called
            .out
            .contains("no camera `frnt`: did you mean `front`?"),
        "{}",
        called.out
    );
    // Not a process for each of the 60 frames: all at once, then four alone that are spread over them.
    let logs = std::fs::read_dir(project.path(".truepath/logs/0001"))
        .unwrap()
        .count();
    assert_eq!(logs, 5);
    let stopped = called
        .err
        .lines()
        .filter(|line| line.contains("failed alike"));
    assert_eq!(stopped.count(), 1, "{}", called.err);
    assert!(
        called.out.contains("55 frames were not tried"),
        "{}",
        called.out
    );
}

#[test]
fn a_rough_picture_that_is_left_by_a_failure() {
    let calm = kiln("1-6", "", "");
    calm.call(&["run"]).ends(0);
    let (project, _) = run("rough = true\nfail-at = 4", "");
    let bytes = |project: &common::Project, name: &str| {
        std::fs::read(project.path(&format!("renders/{name}"))).unwrap()
    };
    for frame in [1, 2, 3, 5, 6] {
        let name = format!("kiln.{frame:04}.png");
        assert!(bytes(&project, &name) == bytes(&calm, &name), "{name}");
    }
    // It was left, it is whole, and it is not the final picture.
    let left = project.files("renders/set-aside");
    let left = left.iter().find(|name| name.contains("unproven-kiln.0004"));
    let left = left.unwrap();
    assert!(
        bytes(&project, &format!("set-aside/{left}")) != bytes(&calm, "kiln.0004.png"),
        "{left}"
    );
}
