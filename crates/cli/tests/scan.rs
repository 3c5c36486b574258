//! The sequences in any folder, without a job.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;

use common::{Project, kiln, needs, picture};

fn folder() -> Project {
    let project = Project::empty();
    for name in ["renders/dawn", "renders/.cache", "delivery"] {
        fs::create_dir_all(project.path(name)).unwrap();
    }
    for frame in [1, 2, 3, 7] {
        let name = project.path(&format!("renders/dawn/dawn_v003.{frame:04}.png"));
        fs::write(name, picture(frame as u8)).unwrap();
    }
    fs::write(project.path("renders/.cache/a.0001.png"), "").unwrap();
    project.write("delivery/notes.txt", "mine");
    project
}

#[test]
fn sequences_are_shown_by_folder_with_what_is_missing() {
    let project = folder();
    let called = project.call(&["scan", "--facts"]).ends(0);
    let lines: Vec<&str> = called.out.lines().map(str::trim_end).collect();
    assert_eq!(lines[0], "./delivery");
    assert!(lines[1].starts_with("  notes.txt  "), "{}", called.out);
    assert_eq!(lines[2], "./renders/dawn");
    assert!(
        lines[3].starts_with("  dawn_v003.{frame:04}.png  1-3,7  "),
        "{}",
        called.out
    );
    assert_eq!(lines[4], "    missing 4-6");
    assert_eq!(lines[5], "    png 8x8, rgb, 8 bits");
    let last = lines.last().unwrap();
    assert!(last.starts_with("1 sequence in 5 files, "), "{last}");
}

#[test]
fn what_is_not_whole_is_found_by_its_name() {
    let project = folder();
    project.call(&["scan", "--verify"]).ends(0);
    let path = project.path("renders/dawn/dawn_v003.0002.png");
    let bytes = fs::read(&path).unwrap();
    fs::write(&path, &bytes[..bytes.len() / 2]).unwrap();
    fs::write(project.path("renders/dawn/dawn_v003.0003.png"), "").unwrap();
    let called = project.call(&["scan", "--verify"]).ends(1);
    assert!(
        called.out.contains("not whole dawn_v003.0002.png: "),
        "{}",
        called.out
    );
    assert!(
        called.out.contains("not whole dawn_v003.0003.png: "),
        "{}",
        called.out
    );
    let json = project
        .call(&["scan", "--verify", "--format", "json"])
        .json();
    let sequence = &json["folders"][1]["sequences"][0];
    assert_eq!(sequence["frames"], "1-3,7");
    assert_eq!(sequence["not_whole"].as_array().unwrap().len(), 2);
}

#[test]
fn hostile_folders_do_no_harm() {
    let project = folder();
    // In a circle, a name that is no text, one that rules the terminal, and a pipe.
    std::os::unix::fs::symlink("..", project.path("renders/up")).unwrap();
    let name = OsStr::from_bytes(b"renders/bad\xff\x1b[2J.0001.png");
    fs::write(project.path("").join(name), picture(1)).unwrap();
    let pipe = project.path("renders/pipe");
    let made = std::process::Command::new("mkfifo").arg(&pipe).status();
    assert!(made.unwrap().success());
    let called = project.call(&["scan", "--verify"]).ends(0);
    assert!(
        called
            .out
            .contains("is a link to a folder, and is not followed"),
        "{}",
        called.out
    );
    assert!(
        called.out.contains(r"bad\xff\x1b[2J.0001.png"),
        "{}",
        called.out
    );
    assert!(!called.out.contains('\x1b'), "{}", called.out);
    let gone = project.call(&["scan", "no-such-folder"]).ends(1);
    assert!(
        gone.err.contains("unreadable no-such-folder"),
        "{}",
        gone.err
    );
}

#[test]
fn doubles_by_padding_and_capitals_are_pointed_out() {
    let project = Project::empty();
    for name in [
        "a.0007.png",
        "a.0008.png",
        "a.7.png",
        "a.8.png",
        "A.7.png",
        "A.8.png",
    ] {
        project.write(name, "");
    }
    let called = project.call(&["scan"]).ends(0);
    assert_eq!(
        called
            .out
            .matches("differ in padding or capitals alone")
            .count(),
        2
    );
}

#[test]
fn what_a_run_made_is_found_without_its_job() {
    let project = kiln("1-5", "", "");
    project.call(&["run"]).ends(0);
    let json = project
        .call(&["scan", "renders", "--facts", "--format", "json"])
        .json();
    let sequence = &json["folders"][0]["sequences"][0];
    assert_eq!(sequence["name"], "kiln.{frame:04}.png");
    assert_eq!(sequence["frames"], "1-5");
    assert_eq!(sequence["facts"], "png 48x32, rgba, 8 bits");
    // Nothing is written.
    assert_eq!(project.files("renders").len(), 5);
}

#[test]
fn facts_are_those_of_movies_and_layers_too() {
    if !common::needs("ffmpeg") {
        return;
    }
    let project = Project::empty();
    let make = |line: &str| {
        let made = std::process::Command::new("ffmpeg")
            .args(line.split(' '))
            .current_dir(project.path("."))
            .output()
            .unwrap();
        assert!(made.status.success(), "{line}");
    };
    make(
        "-v error -f lavfi -i testsrc=s=64x48:r=24000/1001:d=2 -f lavfi -i sine=d=2 -c:a aac -shortest a.mp4",
    );
    // So much plain sound that its samples are not listed one by one.
    make(
        "-v error -f lavfi -i testsrc=s=64x48:r=25:d=1 -f lavfi -i sine=d=600 -c:v mjpeg -c:a pcm_s16le b.mov",
    );
    project.write("broken.mp4", "ftyp");
    project.write("kiln.toml", &common::scene(""));
    let line = "understudy --scene kiln.toml --frames 1 --format exr --pass beauty --pass depth --together --compression piz --to all";
    project.call(&line.split(' ').collect::<Vec<_>>()).ends(0);
    let called = project.call(&["scan", "--facts"]).ends(0);
    for part in [
        "mp4 64x48, avc1, 48 frames, 2.00 s, 23.976 fps, sound mp4a",
        "mov 64x48, jpeg, 25 frames, 1.00 s, 25 fps, sound sowt",
        "mp4: ",
        "exr 48x32, rgba, half, compression piz, 2 layers: beauty, depth",
    ] {
        assert!(called.out.contains(part), "{part}: {}", called.out);
    }
}

#[test]
fn movies_are_whole_cut_or_not_to_be_verified_here() {
    if !needs("ffmpeg") {
        return;
    }
    let project = Project::empty();
    let make = |name: &str, options: &[&str]| {
        let made = std::process::Command::new("ffmpeg")
            .args([
                "-v",
                "error",
                "-f",
                "lavfi",
                "-i",
                "testsrc2=s=96x64:r=12:d=4",
            ])
            .args(options)
            .arg(project.path(name))
            .status()
            .unwrap();
        assert!(made.success(), "{name}");
    };
    make(
        "baseline.mp4",
        &[
            "-c:v", "libx264", "-bf", "0", "-g", "12", "-pix_fmt", "yuv420p",
        ],
    );
    make(
        "b-frames.mp4",
        &["-c:v", "libx264", "-bf", "3", "-pix_fmt", "yuv420p"],
    );
    make(
        "hevc.mp4",
        &[
            "-c:v",
            "libx265",
            "-pix_fmt",
            "yuv420p",
            "-x265-params",
            "log-level=error",
        ],
    );
    make("other.mkv", &["-c:v", "ffv1"]);
    make("other.webm", &["-c:v", "libvpx-vp9"]);
    make("other.avi", &["-c:v", "mjpeg"]);
    let scan = || project.call(&["scan", "--verify", "--format", "json"]);
    let word = |json: &serde_json::Value, name: &str| {
        let sequences = json["folders"][0]["sequences"].as_array().unwrap();
        let one = sequences.iter().find(|one| one["name"] == name).unwrap();
        let has = |key: &str| !one[key].as_array().unwrap().is_empty();
        match (has("not_whole"), has("unverifiable")) {
            (true, _) => "not whole",
            (_, true) => "unverifiable",
            _ => "whole",
        }
    };
    let all = [
        "baseline.mp4",
        "b-frames.mp4",
        "hevc.mp4",
        "other.mkv",
        "other.webm",
        "other.avi",
    ];
    let found = scan().ends(0).json();
    let words = all.map(|name| word(&found, name));
    assert_eq!(words[0], "whole");
    assert_eq!(words[1..], ["unverifiable"; 5]);
    // The movie command says the same, and condemns none.
    for name in all {
        let called = project.call(&["movie", "--verify", name]);
        let is_whole = name == "baseline.mp4";
        assert_eq!(
            called.code,
            Some(i32::from(!is_whole)),
            "{name}: {}",
            called.err
        );
        assert_eq!(
            called.err.contains("unverifiable"),
            !is_whole,
            "{name}: {}",
            called.err
        );
    }
    // Cut in half, and short by a few bytes.
    for name in all {
        let whole = fs::read(project.path(name)).unwrap();
        for length in [whole.len() / 2, whole.len() - 500] {
            fs::write(project.path(name), &whole[..length]).unwrap();
            let found = scan().ends(1).json();
            assert_eq!(
                word(&found, name),
                "not whole",
                "{name}, {length} of {}",
                whole.len()
            );
        }
        fs::write(project.path(name), whole).unwrap();
    }
}

#[test]
fn pictures_of_another_kind_than_their_sequence_are_named() {
    let project = Project::empty();
    fs::create_dir(project.path("r")).unwrap();
    for frame in 1..=5 {
        let side = if frame == 3 { 4 } else { 8 };
        let bytes = common::picture_of(side, side, png::ColorType::Rgb, frame);
        fs::write(project.path(&format!("r/kiln.{frame:04}.png")), bytes).unwrap();
    }
    fs::copy(project.path("r/kiln.0001.png"), project.path("r/wrong.exr")).unwrap();
    let found = project.call(&["scan", "r", "--verify"]).ends(1);
    let odd = "of another kind kiln.0003.png: size 4x4, not 8x8";
    assert!(found.out.contains(odd), "{}", found.out);
    let wrong = "it is png by its content, and its name says exr";
    assert!(found.out.contains(wrong), "{}", found.out);
}

#[test]
fn what_runs_set_aside_is_left_out_unless_it_is_named() {
    let project = Project::empty();
    for folder in ["r", "r/set-aside"] {
        fs::create_dir_all(project.path(folder)).unwrap();
        let path = project.path(&format!("{folder}/kiln.0001.png"));
        fs::write(path, common::picture(1)).unwrap();
    }
    for line in [
        &["scan", "r"][..],
        &["manifest", "r"],
        &["compare", "r", "r"],
    ] {
        let called = project.call(line).ends(0);
        assert!(!called.out.contains("set-aside"), "{}", called.out);
        let remark = "r/set-aside left out";
        assert!(called.err.contains(remark), "{line:?}: {}", called.err);
    }
    let named = project.call(&["manifest", "r/set-aside"]).ends(0);
    assert!(named.out.contains("kiln.0001.png"), "{}", named.out);
}
