//! Rendering: what is published, kept, set aside and reported.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, kiln, scene, wrote};

#[test]
fn renders_verifies_and_keeps() {
    let project = kiln("1-6", "passes = [\"beauty\"]", "");
    let first = project.call(&["run"]).ends(0);
    assert!(
        first.out.starts_with("complete: all 6 files"),
        "{}",
        first.out
    );
    let names: Vec<String> = (1..=6)
        .map(|frame| format!("kiln.{frame:04}.png"))
        .collect();
    assert_eq!(project.files("renders"), names);
    let stamp = |name: &str| {
        fs::metadata(project.path(name))
            .unwrap()
            .modified()
            .unwrap()
    };
    let before = stamp("renders/kiln.0003.png");
    let again = project.call(&["run"]).ends(0);
    assert!(again.out.contains("kept            6"), "{}", again.out);
    assert!(!again.out.contains("adopted"), "{}", again.out);
    assert_eq!(stamp("renders/kiln.0003.png"), before);
    assert_eq!(wrote(&project).len(), 6);
}

#[test]
fn several_passes_share_a_process_and_land_in_their_folders() {
    let project = Project::new(
        r#"
[project]
engine = "understudy"
size = "48x32"
[shot.kiln]
scene = "kiln.toml"
frames = "1-9/4"
cameras = ["front", "side"]
[pass.depth]
channels = "gray"
bits = "float"
[output.frames]
path = "out/{camera}/{pass}/{shot}.{frame:03}.exr"
passes = ["beauty", "depth", "shadow"]
channels = "rgba"
bits = "half"
"#,
    );
    project.write("kiln.toml", &scene(""));
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("out").len(), 2 * 3 * 3);
    let plan = project.call(&["commands", "--as", "json"]).ends(0).json();
    // Beauty and shadow are alike; depth has other channels and a process of its own.
    assert_eq!(plan["steps"].as_array().unwrap().len(), 4);
    assert_eq!(project.audit()["complete"], true);
}

#[test]
fn a_selection_renders_a_part_and_names_stay() {
    let project = kiln(
        "1-40",
        "path = \"r/{shot}_{first}-{last}_{count}.{frame:02}.png\"",
        "",
    );
    let job = fs::read_to_string(project.path("truepath.toml")).unwrap();
    let job = job.replacen("path = \"renders/{shot}.{frame:04}.png\"\n", "", 1);
    project.write("truepath.toml", &job);
    project.call(&["run", "--frames", "7,39-50"]).ends(0);
    assert_eq!(
        project.files("r"),
        [
            "kiln_1-40_40.07.png",
            "kiln_1-40_40.39.png",
            "kiln_1-40_40.40.png"
        ]
    );
    let audit = project.audit();
    assert_eq!(audit["deliverables"][0]["missing"], "1-6,8-38");
    assert_eq!(audit["deliverables"][0]["foreign"], "");
}

#[test]
fn a_broken_file_is_set_aside_and_a_whole_one_adopted() {
    let project = kiln("1-4", "", "");
    project.call(&["run"]).ends(0);
    fs::remove_dir_all(project.path(".truepath")).unwrap();
    let bytes = fs::read(project.path("renders/kiln.0002.png")).unwrap();
    fs::write(
        project.path("renders/kiln.0002.png"),
        &bytes[..bytes.len() - 5],
    )
    .unwrap();
    let called = project.call(&["run"]).ends(0);
    assert!(called.out.contains("adopted         3"), "{}", called.out);
    assert!(called.out.contains("rendered        1"), "{}", called.out);
    assert_eq!(
        fs::read(project.path("renders/set-aside/kiln.0002.png")).unwrap(),
        &bytes[..bytes.len() - 5],
        "nothing is lost, not even what is broken"
    );
    assert_eq!(
        fs::read(project.path("renders/kiln.0002.png")).unwrap(),
        bytes
    );
}

#[test]
fn frames_of_other_settings_are_reported_and_kept() {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    project.write(
        "kiln.toml",
        &scene("").replace("radius = 0.2", "radius = 0.3"),
    );
    let called = project.call(&["run"]).ends(1);
    assert!(called.out.contains("stale"), "{}", called.out);
    assert!(called.out.contains("frames 1-3"), "{}", called.out);
    assert_eq!(project.audit()["deliverables"][0]["stale"], "1-3");
    assert_eq!(wrote(&project).len(), 3);
}

#[test]
fn errors_stop_a_run_before_anything_is_written() {
    let project = kiln("1-3", "bits = \"half\"", "");
    let called = project.call(&["run"]).ends(1);
    assert!(called.err.contains("TP302"), "{}", called.err);
    assert!(
        called.err.contains("nothing was rendered"),
        "{}",
        called.err
    );
    assert_eq!(project.files(""), ["kiln.toml", "truepath.toml"]);
    assert!(!project.path(".truepath").exists());
}

#[test]
fn runs_that_are_started_alike_share_the_work_and_others_are_refused() {
    let project = kiln("1-40", "chunk = 4\n", "[mishap]\nslow = 20\n");
    let mut first = project
        .command(&["run", "--verbose"])
        .stderr(std::process::Stdio::piped())
        .stdout(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let mut lines = std::io::BufRead::lines(std::io::BufReader::new(first.stderr.take().unwrap()));
    assert!(lines.any(|line| line.unwrap().contains("frame 1 ")));
    // It began later and renders some of the same frames, cut otherwise.
    let other = project.call(&["run", "--frames", "1-10"]).ends(3);
    assert!(
        other
            .err
            .contains("another run of truepath.toml is at work"),
        "{}",
        other.err
    );
    let second = project.call(&["run"]).ends(0);
    assert!(second.out.contains("elsewhere"), "{}", second.out);
    assert!(second.out.contains("rendered"), "{}", second.out);
    lines.for_each(drop);
    assert!(first.wait().unwrap().success());
    // Each frame was rendered once, by one or the other.
    let mut frames = common::wrote(&project);
    assert_eq!(frames.len(), 40);
    frames.sort();
    frames.dedup();
    assert_eq!(frames.len(), 40);
}

#[test]
fn an_interrupt_ends_the_engine_and_keeps_what_is_done() {
    let project = kiln("1-5", "", "[mishap]\nhang-at = 4\n");
    let mut run = project
        .command(&["run", "--verbose", "--jobs", "1"])
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = std::io::BufRead::lines(std::io::BufReader::new(run.stderr.take().unwrap()));
    assert!(lines.any(|line| line.unwrap().contains("frame 3 ")));
    let id = rustix::process::Pid::from_raw(run.id().try_into().unwrap()).unwrap();
    rustix::process::kill_process(id, rustix::process::Signal::INT).unwrap();
    lines.by_ref().for_each(drop);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    assert!(String::from_utf8_lossy(&output.stdout).contains("stopped: 3 of 5 files"));
    assert_eq!(project.files("renders").len(), 3);
    project.write("kiln.toml", &scene("[mishap]\n"));
    // Another state of the scene: the three are kept and reported, the other two rendered.
    let called = project.call(&["run", "--jobs", "1"]).ends(1);
    assert!(called.out.contains("rendered        2"), "{}", called.out);
}

#[test]
fn a_link_cannot_lead_out_of_its_place() {
    let project = kiln("1-2", "place.out = \"out\"", "");
    let job = fs::read_to_string(project.path("truepath.toml")).unwrap();
    project.write(
        "truepath.toml",
        &job.replace("renders/", "{place.out}/inner/"),
    );
    let outside = tempfile::tempdir().unwrap();
    fs::create_dir(project.path("out")).unwrap();
    std::os::unix::fs::symlink(outside.path(), project.path("out/inner")).unwrap();
    let checked = project.call(&["run"]).ends(1);
    assert!(checked.err.contains("TP606"), "{}", checked.err);
    // The last fence holds when the first is passed over; it costs the frames of this output only.
    let called = project.call(&["run", "--ignore", "TP606"]).ends(1);
    assert!(
        called.out.contains("leads out of its place"),
        "{}",
        called.out
    );
    assert_eq!(fs::read_dir(outside.path()).unwrap().count(), 0);
}

#[test]
fn a_foreign_frame_is_reported_and_left_alone() {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    for name in [
        "kiln.0004.png",
        "kiln.0005.png",
        "other_01.png",
        "other_02.png",
        "notes.txt",
    ] {
        fs::copy(
            project.path("renders/kiln.0001.png"),
            project.path("renders").join(name),
        )
        .unwrap();
    }
    let audit = project.call(&["audit"]).ends(0);
    assert!(audit.out.contains("frames 4-5"), "{}", audit.out);
    assert!(audit.out.contains("other_##.png 1-2"), "{}", audit.out);
    assert!(audit.out.contains("notes.txt"), "{}", audit.out);
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 8);
}

#[test]
fn a_run_that_has_nothing_to_do_leaves_no_trace() {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    let before = project.files(".truepath");
    let called = project.call(&["run"]).ends(0);
    assert!(
        called.out.contains("complete: all 3 files"),
        "{}",
        called.out
    );
    assert!(called.out.contains("kept            3"), "{}", called.out);
    assert_eq!(project.files(".truepath"), before);
    // A file that is not as recorded is something to do.
    std::fs::remove_file(project.path("renders/kiln.0002.png")).unwrap();
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 3);
}
