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
