//! What an engine reports of its samples: how far a frame is, and whether a picture has as many as were asked for.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln, made_up, picture_of};
use rustix::process::Signal;
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
    assert_eq!(progress[4]["samples_wanted"], 20);
    assert_eq!(progress[4]["percent"], 50.0);
    assert!(progress[4]["seconds_left"].is_number());
}

#[test]
fn the_status_shows_how_far_a_frame_is() {
    let project = kiln(
        "1",
        "settings.samples = 20\n",
        "[mishap]\nslow = 20000\nparts = true\n",
    );
    let mut run = common::on(&project, "north", &[], "kiln");
    let running = || {
        let status = project.call(&["status", "--format", "json"]).json();
        status["running"][0].clone()
    };
    // The run goes on for as long as it is looked at.
    let mut looks = std::iter::repeat_with(running).take(2000);
    let seen = looks.find(|one| one["samples"].is_u64());
    let seen = seen.unwrap();
    let samples = seen["samples"].as_u64().unwrap();
    assert!((2..20).contains(&samples), "{seen}");
    assert_eq!(
        (&seen["frame"], &seen["samples_wanted"]),
        (&1.into(), &20.into())
    );
    assert!(seen["left"].as_f64().unwrap() < 20.0, "{seen}");
    let status = project.call(&["status"]);
    let line = status
        .out
        .lines()
        .find(|line| line.contains("frame 1"))
        .unwrap();
    assert!(
        line.contains(" of 20 samples, ") && line.ends_with(" s left"),
        "{line}"
    );
    // Nobody who cannot read the log is lied to.
    let log = seen["log"].as_str().unwrap();
    std::fs::remove_file(log).unwrap();
    let status = project.call(&["status"]);
    assert!(status.out.contains("frame 1\n"), "{}", status.out);
    common::signal(&run, Signal::KILL);
    run.wait().unwrap();
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

/// An engine that refines its picture in eight passes, saves each, and knows no limit. After the one that `half` says it
/// is cut off in the middle of the next.
fn refining(job: &str, half: u32) -> Project {
    let profile = " }\narguments = [\"{frame}\"]\noutput-name = \"picture.png\"\ncheckpoint = { files = \"state.{frame}\", put = \"--go-on\" }\n\
        log = [{ progress = '^at (?P<samples>\\d+) of (?P<of>\\d+)$' }, { saved = '^saved (?P<file>.+)$' }, { file = '^final (?P<file>.+)$' }]\n";
    let script = format!(
        "n=0\nif [ \"$2\" = --go-on ]; then n=$(cat state.$1); echo \"going on from $n\"; fi\n\
         while [ $n -lt 8 ]; do\n  n=$((n + 1))\n  sleep 0.05\n  cat \"$(dirname \"$0\")/$n.png\" > picture.png\n  echo \"at $n of 8\"\n  echo $n > state.$1\n\
         echo \"saved picture.png\"\n  if [ $n = {half} ]; then sleep 0.3; head -c 40 \"$(dirname \"$0\")/$n.png\" > picture.png; sleep 60; fi\ndone\necho \"final picture.png\"\n"
    );
    let project = made_up(profile, &script, job);
    for number in 1..=8 {
        let picture = picture_of(48, 32, png::ColorType::Rgb, number * 20);
        fs::write(project.path(&format!("{number}.png")), picture).unwrap();
    }
    project
}

/// What `why` says of the samples of a frame.
fn samples_of(project: &Project, frame: u32, set: &[&str]) -> String {
    let file = format!("r/dawn.{frame:04}.png");
    let why = project.call(&[&["why", &file], set].concat()).ends(0);
    let line = why.out.lines().find(|line| line.contains(" samples"));
    line.unwrap_or_else(|| panic!("{}", why.out))
        .trim()
        .to_owned()
}

#[test]
fn an_engine_that_cannot_stop_itself_is_ended_at_a_picture_that_is_good_enough() {
    let project = refining(
        "frames = \"1-3\"\njobs = 1\nretries = 0\nstop-at.samples = 3\n",
        0,
    );
    project.call(&["check"]).ends(0);
    let run = project.call(&["run"]).ends(0);
    assert!(!run.err.contains("TP810"), "{}", run.err);
    for frame in 1..=3 {
        let said = samples_of(&project, frame, &[]);
        assert!(said.contains("3 of 8 samples"), "{said}");
    }
    // As many as the job says are enough; with more asked for they are too few, and stale.
    let audit = project.call(&["audit"]).ends(0);
    assert!(!audit.out.contains("TP810"), "{}", audit.out);
    let audit = project
        .call(&["audit", "--set", "stop-at.samples=5"])
        .ends(1);
    assert!(
        audit.out.contains("stop-at.samples: 3 is now 5"),
        "{}",
        audit.out
    );
    // Nothing but pictures stays.
    assert_eq!(project.files("r").len(), 3, "{:?}", project.files("r"));
    assert!(!project.path(".truepath/checkpoints").exists());
}

#[test]
fn a_frame_is_ended_after_its_time_with_what_was_saved_by_then() {
    let project = refining("frames = \"1\"\nretries = 0\nstop-at.time = \"0.12s\"\n", 0);
    let run = project.call(&["run"]).ends(0);
    // Whether that is enough is the job's to say.
    assert!(run.err.contains("TP810"), "{}", run.err);
    let said = samples_of(&project, 1, &[]);
    assert!(
        said.contains(" of 8 samples") && !said.contains("8 of 8"),
        "{said}"
    );
}

#[test]
fn a_picture_that_is_cut_off_after_the_limit_is_the_one_that_was_saved_before() {
    let project = refining(
        "frames = \"1-2\"\njobs = 1\nretries = 0\nstop-at.samples = 4\n",
        4,
    );
    project.call(&["run"]).ends(0);
    for frame in 1..=2 {
        let made = fs::read(project.path(&format!("r/dawn.{frame:04}.png"))).unwrap();
        assert_eq!(made, fs::read(project.path("4.png")).unwrap());
    }
    assert_eq!(project.files("r").len(), 2, "{:?}", project.files("r"));
}

#[test]
fn a_later_run_goes_on_to_more_samples_from_where_a_frame_was_stopped() {
    let job = "frames = \"1-2\"\njobs = 1\nretries = 0\nstop-at = { samples = 3, go-on = true }\n";
    let project = refining(job, 0);
    project.call(&["run"]).ends(0);
    let again = ["run", "--set", "stop-at.samples=6", "--rerender-stale"];
    let run = project.call(&again).ends(0);
    assert!(
        run.err.contains("is continued from its checkpoint"),
        "{}",
        run.err
    );
    let logs = project.path(".truepath/logs/0002");
    for log in fs::read_dir(logs).unwrap().flatten() {
        let text = fs::read_to_string(log.path()).unwrap();
        assert!(text.contains("going on from 3"), "{text}");
    }
    assert!(samples_of(&project, 2, &["--set", "stop-at.samples=6"]).contains("6 of 8"));
    // To its end: then there is nothing to go on from any more.
    project
        .call(&["run", "--set", "stop-at.samples=8", "--rerender-stale"])
        .ends(0);
    assert!(samples_of(&project, 1, &["--set", "stop-at.samples=8"]).contains("8 of 8"));
    let kept = fs::read_dir(project.path(".truepath/checkpoints")).unwrap();
    assert_eq!(kept.count(), 0);
}

#[test]
fn an_engine_that_stops_itself_goes_on_too() {
    let job = "jobs = 1\nsettings.samples = 100\nstop-at = { time = \"0.2s\", go-on = true }\n";
    let project = kiln("1-2", job, "[mishap]\nslow = 400\nparts = true\n");
    project.call(&["run"]).ends(0);
    let why = project.call(&["why", "renders/kiln.0001.png"]).ends(0);
    assert!(why.out.contains("50 of 100 samples"), "{}", why.out);
    let more = ["run", "--set", "stop-at.time=1s", "--rerender-stale"];
    let run = project.call(&more).ends(0);
    assert!(
        run.err.contains("is continued from its checkpoint"),
        "{}",
        run.err
    );
    let why = project
        .call(&["why", "renders/kiln.0001.png", "--set", "stop-at.time=1s"])
        .ends(0);
    assert!(why.out.contains("100 of 100 samples"), "{}", why.out);
}
