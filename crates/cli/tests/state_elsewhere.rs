//! State that was edited, copied, moved or restored, and runs that begin at the same instant: nothing
//! that is not the run's own is touched.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use common::{Project, ledger_line, picture};
use serde_json::json;

/// A project of six frames; its engine renders each once the file `go` or `go-FRAME` is there. Frames go
/// to `place`, a folder of the project or another.
fn project(place: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"1-6\"\njobs = 1\n{place}\
         run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{frame}}\", \"{{target}}\"]\n"
    ));
    project.write(
        "engine.sh",
        "cd \"$(dirname \"$0\")\"\ncp picture.png \"$2\"\necho $1 >>begun\n\
         while [ ! -e go ] && [ ! -e go-$1 ]; do sleep 0.02; done\n",
    );
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project
}

const INSIDE: &str = "path = \"out/kiln.{frame:04}.png\"\n";

/// Waits until something is so.
fn until(what: &str, is_so: impl Fn() -> bool) {
    let since = Instant::now();
    while !is_so() {
        assert!(since.elapsed() < Duration::from_secs(60), "{what}");
        std::thread::park_timeout(Duration::from_millis(10));
    }
}

fn begun(project: &Project) -> usize {
    fs::read_to_string(project.path("begun")).map_or(0, |text| text.lines().count())
}

/// A run that has brought two frames and is at the third.
fn at_the_third(project: &Project) -> Child {
    project.write("go-1", "");
    project.write("go-2", "");
    let run = project.start();
    until("the third frame is begun", || begun(project) >= 3);
    run
}

fn kill(mut run: Child) {
    run.kill().unwrap();
    run.wait().unwrap();
}

fn copy(from: &Path, to: &Path) {
    let done = Command::new("cp")
        .arg("-a")
        .arg(from)
        .arg(to)
        .status()
        .unwrap();
    assert!(done.success());
}

/// All files below a folder but those of state and logs, with their bytes.
fn all(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let mut found = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(one) = folders.pop() {
        for entry in fs::read_dir(one).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path)
            } else {
                found.push((
                    path.strip_prefix(folder).unwrap().display().to_string(),
                    fs::read(&path).unwrap_or_default(),
                ))
            }
        }
    }
    found.sort();
    found
}

/// The project in another folder.
struct Copied(std::path::PathBuf);

impl Copied {
    fn call(&self, arguments: &[&str]) -> (i32, String) {
        let output = Command::new(common::program())
            .args(arguments)
            .current_dir(&self.0)
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let text = [output.stdout, output.stderr].concat();
        (
            output.status.code().unwrap(),
            String::from_utf8_lossy(&text).into_owned(),
        )
    }
}

#[test]
fn an_edited_ledger_removes_and_moves_nothing() {
    let outside = tempfile::tempdir().unwrap();
    let name = |text: &str| outside.path().join(text).display().to_string();
    for folder in [
        "precious",
        ".truepath-held",
        ".truepath-0a1b2c3d-0001-0001",
        "set-aside",
    ] {
        fs::create_dir(name(folder)).unwrap();
        fs::write(name(&format!("{folder}/work.png")), "the only copy").unwrap();
    }
    fs::create_dir(name(".truepath-0a1b2c3d-0001-0002")).unwrap();
    let project = project(INSIDE);
    fs::create_dir_all(project.path("mine/.truepath-0a1b2c3d-0001-0001")).unwrap();
    project.write(
        "mine/.truepath-0a1b2c3d-0001-0001/work.png",
        "the only copy",
    );
    fs::create_dir(project.path("precious")).unwrap();
    project.write("precious/work.png", "the only copy");
    kill(at_the_third(&project));
    let ledger = project.path(".truepath/ledger");
    let ledger = fs::read_dir(ledger)
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
        .path();
    let mut text = fs::read_to_string(&ledger).unwrap();
    let folders = [
        name("precious"),
        name(".truepath-0a1b2c3d-0001-0001"),
        name(".truepath-0a1b2c3d-0001-0002"),
        project.path("precious").display().to_string(),
        project
            .path("mine/.truepath-0a1b2c3d-0001-0001")
            .display()
            .to_string(),
        project.path("").display().to_string(),
        "/".to_owned(),
    ];
    for (number, folder) in folders.iter().enumerate() {
        text += &ledger_line(&json!({"staged": {
            "folder": folder, "process": 50 + number, "label": "x", "log": "x", "time": "2026-01-01T00:00:00Z",
            "frames": "1-6", "members": [], "given": ["work.png", "truepath.toml", "engine.sh"],
        }}));
        text +=
            &ledger_line(&json!({"held": { "folder": folder, "hold": name(".truepath-held") }}));
        text += &ledger_line(&json!({"held": { "folder": outside.path(), "hold": folder }}));
    }
    let record = |path: &str| {
        json!({
            "path": path, "size": 13, "modified": 0,
            "hash": "2f8f6a5bbb8a1c1e4f2a2f5f1f0f7a1c7f6d8a9e0b1c2d3e4f5a6b7c8d9e0f1a",
            "fingerprint": null, "engine": "x", "machine": "x", "time": "2026-01-01T00:00:00Z",
        })
    };
    for (staged, path) in [
        (name("precious/work.png"), name("stolen.png")),
        (
            name("precious/work.png"),
            project.path("out/kiln.0005.png").display().to_string(),
        ),
        (
            project.path("picture.png").display().to_string(),
            name("precious/work.png"),
        ),
    ] {
        text += &ledger_line(
            &json!({"intent": { "staged": staged, "frame": 5, "replaces": "remove", "record": record(&path) }}),
        );
    }
    let facts = fs::metadata(name("set-aside/work.png")).unwrap();
    let time = facts
        .modified()
        .unwrap()
        .duration_since(std::time::UNIX_EPOCH)
        .unwrap();
    text += &ledger_line(&json!({"unproven": {
        "path": project.path("out/kiln.0001.png"), "aside": name("set-aside/work.png"),
        "stamp": { "size": facts.len(), "modified": i64::try_from(time.as_nanos()).unwrap() },
    }}));
    fs::write(&ledger, text).unwrap();
    project.write("go", "");
    let before = all(outside.path());
    let called = project.call(&["run"]).ends(0);
    assert_eq!(all(outside.path()), before, "{}{}", called.out, called.err);
    assert!(outside.path().join(".truepath-0a1b2c3d-0001-0002").is_dir());
    for name in [
        "precious/work.png",
        "mine/.truepath-0a1b2c3d-0001-0001/work.png",
    ] {
        assert_eq!(
            project.read(name),
            "the only copy",
            "{}{}",
            called.out,
            called.err
        );
    }
    assert!(called.err.contains("it stays as it is") || called.out.contains("it stays as it is"));
    assert_eq!(project.files("out").len(), 6);
    project.call(&["audit"]).ends(0);
}

#[test]
fn a_copy_never_reaches_into_the_original() {
    let elsewhere = tempfile::tempdir().unwrap();
    let shared = elsewhere.path().join("frames");
    let outside = format!(
        "place = {{ frames = \"{}\" }}\npath = \"{{place.frames}}/kiln.{{frame:04}}.png\"\n",
        shared.display()
    );
    for (place, is_inside) in [(INSIDE, true), (outside.as_str(), false)] {
        for is_killed in [false, true] {
            let case = format!("inside {is_inside}, killed {is_killed}");
            let _ = fs::remove_dir_all(&shared);
            let original = project(place);
            let run = at_the_third(&original);
            let mut running = Some(run);
            if is_killed {
                kill(running.take().unwrap());
            }
            let copied = Copied(
                elsewhere
                    .path()
                    .join(format!("copy-{is_inside}-{is_killed}")),
            );
            copy(&original.path(""), &copied.0);
            let before = all(&original.path(""));
            let frames_before = is_inside.then(Vec::new).unwrap_or_else(|| all(&shared));
            fs::write(copied.0.join("go"), "").unwrap();
            let _ = fs::remove_file(copied.0.join("begun"));
            let (code, text) = copied.call(&["run"]);
            assert_eq!(code, 0, "{case}: {text}");
            if is_inside {
                // Its own frames, of which two were copied with their records.
                let begun = fs::read_to_string(copied.0.join("begun")).unwrap();
                assert_eq!(begun.lines().count(), 4, "{case}: {begun}{text}");
                assert!(!text.contains("adopted"), "{case}: {text}");
            } else {
                // What others have there is as it was.
                for (name, bytes) in frames_before {
                    let there = fs::read(shared.join(&name)).ok();
                    assert_eq!(there, Some(bytes), "{case}: {name}: {text}");
                }
            }
            let mut now = all(&original.path(""));
            let is_beat = |(name, _): &(String, Vec<u8>)| name.ends_with(".beat");
            now.retain(|one| !is_beat(one));
            let mut before = before;
            before.retain(|one| !is_beat(one));
            assert_eq!(now, before, "{case}: {text}");
            assert_eq!(copied.call(&["audit"]).0, 0, "{case}");
            original.write("go", "");
            match running {
                Some(mut run) => assert_eq!(
                    run.wait().unwrap().code(),
                    Some(i32::from(!is_inside)),
                    "{case}"
                ),
                None => drop(original.call(&["run"]).ends(0)),
            }
            original.call(&["audit"]).ends(0);
        }
    }
}

#[test]
fn what_was_renamed_moved_or_restored_goes_on() {
    for how in [
        "renamed",
        "moved to another disk",
        "restored from an archive",
    ] {
        let original = project(INSIDE);
        kill(at_the_third(&original));
        let elsewhere = tempfile::tempdir().unwrap();
        let other = elsewhere.path().join("show");
        let from = original.path("");
        match how {
            "renamed" => fs::rename(&from, &other).unwrap(),
            "moved to another disk" => {
                copy(&from, &other);
                fs::remove_dir_all(&from).unwrap();
            }
            _ => {
                let archive = elsewhere.path().join("show.tar");
                let run = |command: &mut Command| assert!(command.status().unwrap().success());
                run(Command::new("tar")
                    .arg("-cf")
                    .arg(&archive)
                    .arg("-C")
                    .arg(&from)
                    .arg("."));
                fs::remove_dir_all(&from).unwrap();
                fs::create_dir_all(&from).unwrap();
                run(Command::new("tar")
                    .arg("-xf")
                    .arg(&archive)
                    .arg("-C")
                    .arg(&from));
                fs::rename(&from, &other).unwrap();
            }
        }
        let moved = Copied(other.clone());
        fs::write(other.join("go"), "").unwrap();
        let (code, text) = moved.call(&["run"]);
        assert_eq!(code, 0, "{how}: {text}");
        let begun = fs::read_to_string(other.join("begun")).unwrap();
        assert_eq!(
            begun.lines().count(),
            7,
            "{how}: two frames are not rendered again: {begun}"
        );
        assert_eq!(moved.call(&["audit"]).0, 0, "{how}");
        let hidden = fs::read_dir(other.join("out")).unwrap().flatten();
        let hidden: Vec<_> = hidden
            .filter(|one| one.file_name().as_encoded_bytes().starts_with(b"."))
            .collect();
        assert!(hidden.is_empty(), "{how}: {hidden:?}");
        fs::create_dir_all(&from).unwrap();
    }
}

#[test]
fn eight_runs_that_begin_at_the_same_instant_share_the_work() {
    let rounds = std::env::var("TRUEPATH_ROUNDS").map_or(12, |text| text.parse().unwrap());
    for round in 0..rounds {
        let project = project(INSIDE);
        project.write("go", "");
        let gate = std::sync::Barrier::new(8);
        let outputs: Vec<_> = std::thread::scope(|scope| {
            let begin = || {
                let mut command = project.command(&["run"]);
                command.stdout(Stdio::piped()).stderr(Stdio::piped());
                gate.wait();
                command.spawn().unwrap().wait_with_output().unwrap()
            };
            let all: Vec<_> = (0..8).map(|_| scope.spawn(begin)).collect();
            all.into_iter().map(|one| one.join().unwrap()).collect()
        });
        for output in outputs {
            let text = [output.stdout, output.stderr].concat();
            let text = String::from_utf8_lossy(&text);
            assert_eq!(output.status.code(), Some(0), "round {round}: {text}");
        }
        assert_eq!(project.files("out").len(), 6, "round {round}");
        assert_eq!(
            begun(&project),
            6,
            "round {round}: {}",
            project.read("begun")
        );
        project.call(&["audit"]).ends(0);
    }
}

#[test]
fn state_that_cannot_be_read_is_reported_with_file_and_line_and_all_else_goes_on() {
    let junk = |path: &Path| {
        let mut bytes = fs::read(path).unwrap();
        bytes.extend(b"\xff\x00\x1b junk\n");
        fs::write(path, bytes).unwrap();
    };
    let record = |path: &Path| {
        let state = path.parent().unwrap().parent().unwrap();
        fs::write(
            state.join("run-truepath.toml.json"),
            "{ \"instant\":\n junk",
        )
        .unwrap();
    };
    type Change<'c> = &'c dyn Fn(&Path);
    let table: [(&str, Change<'_>, &[&str], &[&str]); 2] = [
        (
            "junk in a ledger",
            &junk,
            &["run", "status", "audit"],
            &["ledger/0001.jsonl:", "is no sound line"],
        ),
        (
            "a broken record",
            &record,
            &["status", "audit", "paths", "check", "run"],
            &["run-truepath.toml.json:2", "cannot be read"],
        ),
    ];
    for (what, change, commands, parts) in table {
        let project = project(INSIDE);
        project.write("go", "");
        project.call(&["run"]).ends(0);
        change(&project.path(".truepath/ledger/0001.jsonl"));
        // There is something to do.
        fs::remove_file(project.path("out/kiln.0004.png")).unwrap();
        for command in commands {
            let called = project.command(&[command]).output().unwrap();
            let text = [called.stdout, called.stderr].concat();
            let text = String::from_utf8_lossy(&text);
            for part in parts {
                assert!(text.contains(part), "{what}, {command}: {text}");
            }
        }
        project.call(&["run"]).ends(0);
        assert_eq!(project.files("out").len(), 6, "{what}");
        assert_eq!(begun(&project), 7, "{what}: one frame is rendered again");
        project.call(&["audit"]).ends(0);
    }
}

#[test]
fn a_ledger_of_a_newer_format_is_refused() {
    let project = project(INSIDE);
    project.write("go", "");
    project.call(&["run"]).ends(0);
    let began = ledger_line(&json!({"began": {
        "machine": "north", "job": "truepath.toml", "time": "2026-01-01T00:00:00Z", "logs": "x", "format": 99,
    }}));
    project.write(".truepath/ledger/0002.jsonl", &began);
    fs::remove_file(project.path("out/kiln.0004.png")).unwrap();
    for command in ["run", "status", "audit"] {
        let called = project.call(&[command]).ends(3);
        assert!(
            called.err.contains("ledger/0002.jsonl is of format 99"),
            "{}",
            called.err
        );
    }
    assert_eq!(project.files("out").len(), 5, "nothing was begun");
}

#[test]
fn a_copy_does_not_share_the_state_of_the_original() {
    let state = tempfile::tempdir().unwrap();
    let place = format!("state = \"{}/kiln\"\n{INSIDE}", state.path().display());
    let project = project(&place);
    project.write("go", "");
    project.call(&["run", "--frames", "1-3"]).ends(0);
    let around = tempfile::tempdir().unwrap();
    let copied = Copied(around.path().join("copy"));
    copy(&project.path(""), &copied.0);
    let before = all(&copied.0);
    let (code, text) = copied.call(&["run"]);
    assert_eq!(code, 3, "{text}");
    assert!(
        text.contains("this one is a copy of it; give this one a state folder of its own"),
        "{text}"
    );
    assert_eq!(all(&copied.0), before);
    // The same folder by another path is no copy.
    let linked = Copied(around.path().join("linked"));
    std::os::unix::fs::symlink(project.path(""), &linked.0).unwrap();
    let (code, text) = linked.call(&["run", "--frames", "4"]);
    assert_eq!(code, 0, "{text}");
    project.call(&["run"]).ends(0);
    // Once the original is gone, this is where the project was moved to.
    let job = fs::read_to_string(project.path("truepath.toml")).unwrap();
    drop(project);
    let (code, text) = copied.call(&["run"]);
    assert_eq!(code, 0, "{text}");
    // What was copied with its state is a project of its own.
    let state = job.lines().find(|line| line.starts_with("state")).unwrap();
    let own = job.replace(state, "state = \"../own-state\"");
    fs::write(copied.0.join("truepath.toml"), own).unwrap();
    assert_eq!(copied.call(&["run"]).0, 0);
    let both = tempfile::tempdir().unwrap();
    copy(
        &around.path().join("own-state"),
        &both.path().join("own-state"),
    );
    copy(&copied.0, &both.path().join("copy"));
    let second = Copied(both.path().join("copy"));
    let (code, text) = second.call(&["run"]);
    assert_eq!(code, 0, "{text}");
}
