//! What an engine reports of its samples: how far a frame is, and whether a picture has as many as were asked for.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use common::kiln;
use serde_json::Value;

#[test]
fn pictures_with_fewer_samples_than_asked_for_are_reported() {
    let project = kiln(
        "1-4",
        "jobs = 1\nsettings.samples = 16\n",
        "[mishap]\nmost-samples = 9\n",
    );
    let run = project.call(&["run"]).ends(0);
    assert!(run.err.contains("TP810"), "{}", run.err);
    let audit = project.call(&["audit"]).ends(0);
    let sentence = "frames 1-4 have fewer samples than were asked for: frame 1 has 9 of 16 samples";
    assert!(audit.out.contains(sentence), "{}{}", audit.out, audit.err);
    // It is kept, and a single file says it too.
    let file = &project.files("renders")[0];
    let why = project.call(&["why", &format!("renders/{file}")]).ends(0);
    assert!(why.out.contains("9 of 16 samples"), "{}", why.out);
}

#[test]
fn pictures_with_all_samples_are_not_reported() {
    let project = kiln("1-4", "settings.samples = 16\n", "");
    project.call(&["run"]).ends(0);
    let audit = project.call(&["audit"]).ends(0);
    assert!(!audit.out.contains("TP810"), "{}", audit.out);
}

#[test]
fn samples_and_the_time_left_are_in_the_events() {
    let project = kiln(
        "1",
        "settings.samples = 20\n",
        "[mishap]\nslow = 200\nparts = true\n",
    );
    project.call(&["run", "--events", "events.jsonl"]).ends(0);
    let events = project.read("events.jsonl");
    let events: Vec<Value> = events
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    let progress: Vec<&Value> = events
        .iter()
        .filter(|event| event["event"] == "progress")
        .collect();
    assert_eq!(progress.len(), 10);
    assert_eq!(progress[4]["samples"], 10);
    assert_eq!(progress[4]["samples-wanted"], 20);
    assert_eq!(progress[4]["percent"], 50.0);
    assert!(progress[4]["seconds-left"].is_number());
}

#[test]
fn a_frame_is_done_after_the_time_or_the_samples_that_it_is_given() {
    let slow = "[mishap]\nslow = 400\nparts = true\n";
    let project = kiln(
        "1-2",
        "jobs = 1\nsettings.samples = 100\nstop-at.time = \"0.2s\"\n",
        slow,
    );
    let run = project.call(&["run"]).ends(0);
    assert!(run.err.contains("TP810"), "{}", run.err);
    let audit = project.call(&["audit"]).ends(0);
    assert!(
        audit.out.contains("frame 1 has 50 of 100 samples"),
        "{}",
        audit.out
    );
    // Whether that is enough is the job's to say.
    let job = project.read("truepath.toml");
    project.write(
        "truepath.toml",
        &format!("{job}[check]\nTP810 = \"error\"\n"),
    );
    project.call(&["audit"]).ends(1);
    // Other limits make other pictures; more samples are rendered when they are asked for.
    project.write(
        "truepath.toml",
        &job.replace("stop-at.time = \"0.2s\"", "stop-at.samples = 64"),
    );
    let audit = project.call(&["audit"]).ends(1);
    assert!(audit.out.contains("stale"), "{}", audit.out);
    project.call(&["run", "--rerender-stale"]).ends(0);
    let why = project.call(&["why", "renders/kiln.0001.png"]).ends(0);
    assert!(why.out.contains("64 of 64 samples"), "{}", why.out);
}

#[test]
fn a_limit_that_the_engine_cannot_take_is_an_error() {
    let project = kiln("1", "stop-at.time = \"20m\"\n", "");
    let text = project.read("truepath.toml");
    let line = "run = [\"truepath\", \"understudy\", \"--scene={scene.file}\", \"--frames={frames}\", \"--to={target.stem}\"]";
    project.write(
        "truepath.toml",
        &text.replace("engine = \"understudy\"", line),
    );
    let check = project.call(&["check"]).ends(1);
    assert!(
        check.out.contains("is not given `stop-at.time`") && check.out.contains("{stop-seconds}"),
        "{}",
        check.out
    );
    for (wrong, words) in [("\"soon\"", "90s"), ("0.5", "")] {
        project.write("truepath.toml", &text.replace("\"20m\"", wrong));
        let called = project.call(&["check"]).ends(2);
        assert!(
            called.err.contains("stop-at.time") || called.err.contains(words),
            "{}",
            called.err
        );
    }
}

#[test]
fn a_frame_that_is_recovered_keeps_its_samples() {
    let project = kiln(
        "1-3",
        "jobs = 1\nsettings.samples = 16\n",
        "[mishap]\nmost-samples = 9\n",
    );
    let mut run = project.command(&["run"]);
    let killed = run.env("TRUEPATH_CRASH_AT", "verified").output().unwrap();
    assert_eq!(killed.status.code(), None);
    let run = project.call(&["run"]).ends(0);
    assert!(run.out.contains("recovered"), "{}", run.out);
    // As far as its log had come: nobody knows what the engine said after the run had died.
    let why = project.call(&["why", "renders/kiln.0001.png"]).ends(0);
    assert!(why.out.contains("9 of 16 samples"), "{}", why.out);
}
