//! The demo, all the way, and its frames in decoders that are not ours.
#![allow(clippy::unwrap_used)]

mod common;

use std::process::Command;

use common::{Project, needs};

#[test]
fn the_demo_ends_well_and_other_decoders_open_its_frames() {
    let project = Project::empty();
    let called = project.call(&["demo", "show"]).ends(0);
    assert!(called.out.lines().count() <= 125, "{}", called.out);
    for part in [
        "TP103",
        "88 of 132 files would be lost: depth and shadow would overwrite beauty",
        "no findings in mistake.toml",
        "cut short or damaged",
        "complete: all 188 files are valid",
        "That was the demo.",
    ] {
        assert!(
            called.out.contains(part),
            "{part}\n{}\n{}",
            called.out,
            called.err
        );
    }
    let frames = project.files("show/renders");
    let frames: Vec<&String> = frames
        .iter()
        .filter(|name| !name.contains("set-aside"))
        .collect();
    assert!(frames.iter().any(|name| name.starts_with("trial/")));
    let povray = if needs("povray") { 8 } else { 0 };
    assert_eq!(frames.len(), 248 + povray);
    let one_of_a_kind = [
        (
            "dawn_day/beauty/v003/orr_dawn_day_dome_beauty_v003.0007.exr",
            "gbrapf32le,512,512",
        ),
        (
            "dawn_night/depth/v003/orr_dawn_night_dome_depth_v003.0001.exr",
            "grayf32le,512,512",
        ),
        (
            "transit/preview/orr_transit_north_preview.0041.png",
            "rgb24,256,256",
        ),
        (
            "eclipse_left/preview/orr_eclipse_left_dome_preview.-0002.png",
            "rgb24,256,256",
        ),
    ];
    for (frame, facts) in one_of_a_kind {
        let path = project.path("show/renders").join(frame);
        if needs("ffprobe") {
            let output = Command::new("ffprobe")
                .args([
                    "-v",
                    "error",
                    "-show_entries",
                    "stream=pix_fmt,width,height",
                    "-of",
                    "csv=p=0",
                ])
                .arg(&path)
                .output()
                .unwrap();
            let text = String::from_utf8_lossy(&output.stdout).trim().to_owned();
            let mut words: Vec<&str> = text.split(',').collect();
            words.sort_unstable();
            let mut wanted: Vec<&str> = facts.split(',').collect();
            wanted.sort_unstable();
            assert_eq!(words, wanted, "{frame}");
        }
        if needs("identify") {
            // `-regard-warnings` makes an error of everything odd.
            let output = Command::new("identify")
                .arg("-regard-warnings")
                .arg(&path)
                .output()
                .unwrap();
            assert!(
                output.status.success(),
                "{frame}: {}",
                String::from_utf8_lossy(&output.stderr)
            );
        }
    }
    for name in frames.iter().filter(|_| needs("ffmpeg")) {
        let output = Command::new("ffmpeg")
            .args(["-v", "error", "-xerror", "-i"])
            .arg(project.path("show/renders").join(name))
            .args(["-f", "null", "-"])
            .output()
            .unwrap();
        assert!(
            output.status.success() && output.stderr.is_empty(),
            "{name}: {}",
            String::from_utf8_lossy(&output.stderr)
        );
    }
    the_estimate_was_within_a_factor_of_two(&project);
    // A second demo leaves the first alone.
    let again = project.call(&["demo", "show"]).ends(2);
    assert!(
        again.err.contains("cd show && truepath run"),
        "{}",
        again.err
    );
}

#[test]
fn the_demo_needs_no_other_program() {
    let project = Project::empty();
    let called = project.call_with(&["demo", "show"], ("PATH", "")).ends(0);
    for part in [
        "complete: all 188 files of truepath.toml are valid",
        "so this step is left out",
        "That was the demo.",
    ] {
        assert!(
            called.out.contains(part),
            "{part}\n{}\n{}",
            called.out,
            called.err
        );
    }
}

/// The bytes that the overview estimated before a frame was there, against those that are there now.
fn the_estimate_was_within_a_factor_of_two(project: &Project) {
    let job = std::fs::read_to_string(project.path("show/truepath.toml")).unwrap();
    let fresh = Project::new(&job);
    let lines = |project: &Project, folder: &str| -> Vec<(bool, f64)> {
        let job = format!("{folder}truepath.toml");
        let arguments = ["overview", "--job", &job, "--format", "json"];
        let shown = project.call(&arguments).ends(0).json();
        let lines = shown["lines"].as_array().unwrap().clone();
        lines
            .iter()
            .map(|line| (line["measured"] == true, line["bytes"].as_f64().unwrap()))
            .collect()
    };
    let (before, after) = (lines(&fresh, ""), lines(project, "show/"));
    assert_eq!(before.len(), 24);
    for ((thumb, before), (measured, there)) in before.into_iter().zip(after) {
        assert!(!thumb && measured);
        let factor = before / there;
        assert!(
            (0.5..=2.0).contains(&factor),
            "estimated {before}, {there} there"
        );
    }
}
