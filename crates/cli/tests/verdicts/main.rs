//! Every kind of file in every state: `run`, `status`, `audit`, `why`, `manifest` and `queue` give one verdict, in words,
//! exit codes and JSON alike; and a dry run names exactly the files that the run then makes, replaces, sets aside and keeps.
#![allow(clippy::unwrap_used, clippy::panic)]

#[path = "../common/mod.rs"]
mod common;
mod dry_run;
mod policies;

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::process::Command;
use std::sync::OnceLock;

use common::kinds;
use common::{Chance, Project, needs, number, scene};
use serde_json::Value;
use truepath_core::frames::FrameSet;

/// The tables before the outputs.
const HEAD: &str = r#"[project]
engine = "understudy"
size = "24x16"
fps = 24
jobs = 1
retries = 0
passes = ["beauty", "depth"]
[shot.kiln]
scene = "kiln.toml"
frames = "1-3"
"#;

/// A job with a file of each kind.
fn of_all_kinds() -> String {
    let outputs = [kinds::FRAMES, &kinds::still(2), kinds::LAYERS, kinds::MOVIE];
    HEAD.to_owned() + &outputs.concat()
}

/// A file of each kind: its path, the label of its deliverable, and its frame.
const KINDS: [(&str, &str, i64); 4] = [
    ("r/kiln_beauty.0002.exr", "kiln · frames · beauty", 2),
    ("s/kiln_beauty.png", "kiln · still · beauty", 2),
    ("t/kiln.0002.exr", "kiln · together · all", 2),
    ("m/kiln.mp4", "kiln · review · beauty", 1),
];
const FRAME: usize = 0;
const LAYERED: usize = 2;
const MOVIE: usize = 3;

/// A project in which all was made, of two states of the scene.
fn made() -> &'static [Project; 2] {
    static MADE: OnceLock<[Project; 2]> = OnceLock::new();
    MADE.get_or_init(|| {
        ["0.2", "0.3"].map(|radius| {
            let project = Project::new(&of_all_kinds());
            let text = scene("").replace("radius = 0.2", &format!("radius = {radius}"));
            project.write("kiln.toml", &text);
            project.call(&["run"]).ends(0);
            project
        })
    })
}

/// A copy of the project in which all was made, with all times.
fn copy() -> Project {
    let project = Project::empty();
    let from = made()[0].path(".").display().to_string();
    let to = project.path("").display().to_string();
    let copied = Command::new("cp")
        .args(["-a", &from, &to])
        .status()
        .unwrap();
    assert!(copied.success());
    project
}

/// What is done to a file.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Deed {
    Nothing,
    Remove,
    Touch,
    Cut,
    /// The file of the other project takes its place.
    Swap,
}

const DEEDS: [Deed; 5] = [
    Deed::Nothing,
    Deed::Remove,
    Deed::Touch,
    Deed::Cut,
    Deed::Swap,
];

fn do_to(project: &Project, path: &str, deed: Deed) {
    let file = project.path(path);
    let bytes = fs::read(&file).unwrap();
    match deed {
        Deed::Nothing => {}
        Deed::Remove => fs::remove_file(file).unwrap(),
        Deed::Touch => fs::write(file, bytes).unwrap(),
        Deed::Cut => fs::write(file, &bytes[..bytes.len() / 2]).unwrap(),
        Deed::Swap => {
            fs::remove_file(&file).unwrap();
            fs::copy(made()[1].path(path), file).unwrap();
        }
    }
}

fn holds(set: &Value, frame: i64) -> bool {
    let text = set.as_str().unwrap();
    let set: FrameSet = text.parse().unwrap_or_default();
    set.contains(frame)
}

fn any_holds(sets: &Value, frame: i64) -> bool {
    let mut sets = sets.as_array().unwrap().iter();
    sets.any(|one| holds(&one["frames"], frame))
}

fn of_label<'v>(json: &'v Value, label: &str) -> &'v Value {
    let mut all = json["deliverables"].as_array().unwrap().iter();
    all.find(|one| one["deliverable"] == label).unwrap()
}

/// The state of a file by an audit.
fn audited(json: &Value, label: &str, frame: i64) -> &'static str {
    let one = of_label(json, label);
    let states = [
        ("missing", holds(&one["missing"], frame)),
        ("stale", holds(&one["stale"], frame)),
        ("broken", any_holds(&one["broken"], frame)),
        ("changed", any_holds(&one["changed"], frame)),
        ("unverifiable", any_holds(&one["unverifiable"], frame)),
    ];
    states
        .iter()
        .find(|(_, is)| *is)
        .map_or("valid", |(word, _)| word)
}

/// The state of a file by a status.
fn followed(json: &Value, label: &str, frame: i64) -> &'static str {
    let one = of_label(json, label);
    let states = [
        ("valid", holds(&one["done"], frame)),
        ("stale", holds(&one["stale"], frame)),
        ("broken", any_holds(&one["broken"], frame)),
        ("changed", holds(&one["changed"], frame)),
        ("unverifiable", holds(&one["unverifiable"], frame)),
    ];
    states
        .iter()
        .find(|(_, is)| *is)
        .map_or("missing", |(word, _)| word)
}

/// The states of the four files, about which all commands agree.
#[track_caller]
fn agreed(project: &Project, what: &str) -> [String; 4] {
    let status = project.call(&["status", "--format", "json"]);
    let audit = project.call(&["audit", "--format", "json"]);
    let (status_code, audit_code) = (status.code, audit.code);
    let (status, audit) = (status.json(), audit.json());
    let states = KINDS.map(|(path, label, frame)| {
        let why = project.call(&["why", path, "--format", "json"]);
        let (code, why) = (why.code, why.json());
        let state = why["state"].as_str().unwrap().to_owned();
        assert_eq!(
            code,
            Some(i32::from(state != "valid")),
            "{what}: why {path}"
        );
        assert_eq!(audited(&audit, label, frame), state, "{what}: audit {path}");
        assert_eq!(
            followed(&status, label, frame),
            state,
            "{what}: status {path}"
        );
        state
    });
    let is_complete = audit["complete"] == true;
    let code = Some(i32::from(!is_complete));
    assert_eq!(status["complete"], is_complete, "{what}: status");
    assert_eq!((status_code, audit_code), (code, code), "{what}");
    // Lists of hashes, and the queue.
    let manifest = project.call(&["manifest"]);
    assert_eq!(manifest.code, code, "{what}: manifest\n{}", manifest.err);
    for ((path, ..), state) in KINDS.iter().zip(&states) {
        let is_listed = manifest.out.contains(path);
        assert_eq!(is_listed, state == "valid", "{what}: manifest {path}");
        let is_named = manifest.err.contains(path) && manifest.err.contains(state);
        assert_eq!(is_named, state != "valid", "{what}: manifest {path}");
    }
    project.write("queue.toml", "[[entry]]\njob = \"truepath.toml\"\n");
    let queue = project.call(&["queue", "--format", "json"]);
    assert_eq!(queue.code, code, "{what}: queue");
    let word = queue.json()["entries"][0]["state"].clone();
    assert_eq!(word == "complete", is_complete, "{what}: queue {word}");
    for (command, word) in [("status", "status"), ("audit", "audit")] {
        let text = project.call(&[command]).out;
        let says = text.contains("complete: all") && !text.contains("not complete");
        assert_eq!(says, is_complete, "{what}: {word}\n{text}");
    }
    states
}

#[test]
fn every_kind_of_file_in_every_state() {
    let states = |own: usize, state: &str, followers: &[usize]| {
        let mut states = ["valid"; 4].map(str::to_owned);
        for follower in followers {
            states[*follower] = "stale".to_owned();
        }
        states[own] = state.to_owned();
        states
    };
    for (kind, (path, ..)) in KINDS.iter().enumerate() {
        // What is made from a frame follows it.
        let followers: &[usize] = if kind == FRAME {
            &[LAYERED, MOVIE]
        } else {
            &[]
        };
        for (deed, state) in [
            (Deed::Nothing, "valid"),
            (Deed::Remove, "missing"),
            (Deed::Touch, "valid"),
            (Deed::Cut, "broken"),
            (Deed::Swap, "changed"),
        ] {
            let project = copy();
            do_to(&project, path, deed);
            let followers = if state == "valid" { &[] } else { followers };
            let what = format!("{path}, {deed:?}");
            assert_eq!(
                agreed(&project, &what),
                states(kind, state, followers),
                "{what}"
            );
        }
    }
}

#[test]
fn a_lost_ledger_and_a_copy_leave_all_files_valid() {
    let valid = ["valid"; 4].map(str::to_owned);
    let lost = copy();
    fs::remove_dir_all(lost.path(".truepath")).unwrap();
    assert_eq!(agreed(&lost, "without a ledger"), valid);
    lost.call(&["run"]).ends(0);
    assert_eq!(agreed(&lost, "adopted"), valid);
    let touched = Project::empty();
    let from = made()[0].path(".").display().to_string();
    let to = touched.path("").display().to_string();
    Command::new("cp")
        .args(["-r", &from, &to])
        .status()
        .unwrap();
    assert_eq!(agreed(&touched, "copied"), valid);
    touched.call(&["run"]).ends(0);
    assert_eq!(agreed(&touched, "copied and run"), valid);
}

#[test]
fn another_scene_makes_all_files_stale_also_those_that_were_adopted() {
    let stale = ["stale"; 4].map(str::to_owned);
    let other = scene("").replace("radius = 0.2", "radius = 0.4");
    let rendered = copy();
    rendered.write("kiln.toml", &other);
    assert_eq!(agreed(&rendered, "another scene"), stale);
    // A movie is not made of frames of two states of the scene.
    rendered.call(&["run"]).ends(1);
    assert_eq!(agreed(&rendered, "another scene, and a run"), stale);
    let adopted = copy();
    fs::remove_dir_all(adopted.path(".truepath")).unwrap();
    adopted.call(&["run"]).ends(0);
    adopted.write("kiln.toml", &other);
    assert_eq!(agreed(&adopted, "adopted, and another scene"), stale);
    adopted.call(&["run", "--rerender-stale"]).ends(0);
    assert_eq!(
        agreed(&adopted, "made again"),
        ["valid"; 4].map(str::to_owned)
    );
}

#[test]
fn a_movie_of_frames_of_two_scene_states_is_not_made() {
    let project = copy();
    for path in ["m/kiln.mp4", "r/kiln_beauty.0003.exr"] {
        fs::remove_file(project.path(path)).unwrap();
    }
    project.write(
        "kiln.toml",
        &scene("").replace("radius = 0.2", "radius = 0.4"),
    );
    let run = project.call(&["run"]).ends(1);
    assert!(run.out.contains("are stale"), "{}", run.out);
    assert!(!project.path("m/kiln.mp4").exists());
    let audit = project.call(&["audit", "--output", "review"]).ends(1);
    assert!(audit.out.contains("missing"), "{}", audit.out);
}

#[test]
fn a_movie_of_a_frame_that_was_swapped_in_secret_is_not_made() {
    let project = copy();
    let frame = project.path("r/kiln_beauty.0002.exr");
    let time = fs::metadata(&frame).unwrap().modified().unwrap();
    let mut bytes = fs::read(&frame).unwrap();
    let last = bytes.len() - 1;
    bytes[last] ^= 1;
    fs::write(&frame, &bytes).unwrap();
    let file = fs::File::options().write(true).open(&frame).unwrap();
    file.set_modified(time).unwrap();
    drop(file);
    fs::remove_file(project.path("m/kiln.mp4")).unwrap();
    let run = project.call(&["run"]).ends(1);
    assert!(!project.path("m/kiln.mp4").exists(), "{}", run.out);
    assert!(
        run.out.contains("frame 2 of kiln · frames · beauty"),
        "{}",
        run.out
    );
}

#[test]
fn nothing_wanted_is_never_complete() {
    let project = copy();
    let job = |text: &str| {
        project.write("empty.toml", text);
    };
    job("[project]\nengine = \"understudy\"\n[shot.kiln]\nframes = \"1-3\"\n");
    for command in ["status", "audit", "manifest", "run"] {
        let called = project.call(&[command, "--job", "empty.toml"]);
        assert_ne!(called.code, Some(0), "{command}");
        assert!(
            !called.out.contains("complete: all"),
            "{command}: {}",
            called.out
        );
    }
    // A job that cannot be loaded is not complete in a queue either.
    project.write(
        "bad.toml",
        &of_all_kinds().replace("understudy", "understudyy"),
    );
    project.write(
        "queue.toml",
        "[[entry]]\njob = \"bad.toml\"\n[[entry]]\njob = \"truepath.toml\"\n",
    );
    let queue = project.call(&["queue"]).ends(1);
    assert!(
        !queue.out.contains("all jobs are complete"),
        "{}",
        queue.out
    );
    let json = project.call(&["queue", "--format", "json"]).ends(1).json();
    assert_eq!(json["entries"][0]["state"], "aborted");
    assert_eq!(json["entries"][1]["state"], "complete");
    // A scene that is not there is known before the night.
    project.write(
        "gone.toml",
        &of_all_kinds()
            .replace("kiln.toml", "gone.scene")
            .replace("r/", "q/"),
    );
    project.write("queue.toml", "[[entry]]\njob = \"gone.toml\"\n");
    let json = project.call(&["queue", "--format", "json"]).ends(1).json();
    assert_eq!(json["entries"][0]["state"], "aborted");
    // One exception: a part of the work that got nothing.
    let part = project.call(&[
        "run",
        "--job",
        "truepath.toml",
        "--output",
        "frames",
        "--share",
        "4/4",
    ]);
    assert!(part.ends(0).err.contains("nothing for this part"));
    // Lists.
    project.write("empty.b3", "");
    project.call(&["manifest", "--verify", "empty.b3"]).ends(2);
    project
        .call(&["manifest", "nowhere", "--to", "list"])
        .ends(3);
    assert!(!project.path("list.b3").exists());
}

#[test]
fn a_frame_that_the_job_does_not_want_is_foreign() {
    let project = copy();
    fs::copy(
        project.path("r/kiln_beauty.0002.exr"),
        project.path("r/kiln_beauty.0009.exr"),
    )
    .unwrap();
    let why = project.call(&["why", "r/kiln_beauty.0009.exr", "--format", "json"]);
    assert_eq!(why.ends(1).json()["state"], "foreign");
    let audit = project.call(&["audit", "--format", "json"]).ends(0).json();
    assert_eq!(of_label(&audit, "kiln · frames · beauty")["foreign"], "9");
}

/// A file at one moment: its inode and its bytes.
type Moment = Option<(u64, Vec<u8>)>;

fn moment(path: &Path) -> Moment {
    let inode = fs::symlink_metadata(path).ok()?.ino();
    Some((inode, fs::read(path).unwrap()))
}

/// What became of a file.
fn became(before: &Moment, after: &Moment, aside: &[Vec<u8>]) -> &'static str {
    match (before, after) {
        (None, None) => "nothing",
        (None, Some(_)) => "made",
        (Some(before), Some(after)) if before == after => "kept",
        (Some((_, bytes)), Some(_)) if aside.contains(bytes) => "set aside",
        (Some(_), Some(_)) => "replaced",
        (Some(_), None) => "lost",
    }
}
