//! A run with nobody watching: retries, takeovers, licences, signals, warnings, limits.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln, made_up, on, scene, signal, wrote};
use rustix::process::Signal;

fn ledgers(project: &Project) -> String {
    let mut all = String::new();
    for ledger in fs::read_dir(project.path(".truepath/ledger"))
        .unwrap()
        .flatten()
    {
        all.push_str(&fs::read_to_string(ledger.path()).unwrap());
    }
    all
}

fn logs(project: &Project) -> usize {
    let folders = fs::read_dir(project.path(".truepath/logs"))
        .unwrap()
        .flatten();
    folders
        .map(|folder| fs::read_dir(folder.path()).unwrap().count())
        .sum()
}

#[test]
fn the_time_left_is_reported_from_what_it_took_before() {
    let project = Project::new(
        "scene = \"dawn.toml\"\nengine = \"understudy\"\nframes = \"1-40\"\nchunk = 10\n\
         path = \"r/{shot}.{frame:04}.png\"\nsize = \"64x64\"\nsettings = { samples = 2 }\n",
    );
    project.write("dawn.toml", &scene("[mishap]\nslow = 330\n"));
    let begun = |arguments: &[&str]| {
        let run = project.call(&[&["run"], arguments].concat());
        let shown = run.err.lines().find(|line| line.contains(" wanted, "));
        shown.unwrap().to_owned()
    };
    // Nothing is known yet.
    assert_eq!(begun(&["--trial"]), "3 files wanted, none is there yet");
    let trial = "\"frames\":1.0,\"pixels\":64,\"samples\":2.0";
    assert!(ledgers(&project).contains(trial), "{}", ledgers(&project));
    // From the trial, in other pixels and samples.
    let first = begun(&["--frames", "1-20"]);
    assert!(
        first.starts_with("20 files wanted, none is there yet; about "),
        "{first}"
    );
    assert!(first.ends_with(" left, by what it took before"), "{first}");
    assert!(ledgers(&project).contains("\"frames\":10.0,\"pixels\":4096,\"samples\":2.0"));
    // Nothing is left, and nothing is foretold.
    assert_eq!(
        begun(&["--frames", "1-20"]),
        "20 files wanted, 20 are there already"
    );
}

#[test]
fn a_chunk_that_keeps_failing_is_halved_until_the_bad_frame_is_alone() {
    // This engine does not say which frame it is at, and writes nothing unless all goes well.
    let script = "for frame in $(seq $1 $2); do [ $frame = 11 ] && exit 4; done\n\
                  for frame in $(seq $1 $2); do cp \"$3/one.png\" p$frame.png; done\n";
    let project = made_up(
        " }\nsplit = \"free\"\narguments = [\"{first}\", \"{last}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1-16\"\nchunk = 16\nretries = 1\nretry-pause = \"0.01s\"\n",
    );
    let profile = project
        .read("engines/made-up.toml")
        .replace("\"one\"", "\"range\"");
    project.write("engines/made-up.toml", &profile);
    let called = project.call(&["run"]).ends(1);
    assert_eq!(project.files("r").len(), 15, "{}", called.out);
    assert!(
        called
            .out
            .contains("frame 11\n        the engine ended with exit code 4"),
        "{}",
        called.out
    );
    assert!(
        called.err.contains("tried again in 0.01s"),
        "{}",
        called.err
    );
    // 1-16 twice, then halves of what is left: 1-8, 9-16; 9-12, 13-16; 9-10, 11-12; 11, 12.
    assert!(logs(&project) <= 12, "{}", called.err);
}

#[test]
fn what_a_dead_machine_held_is_taken_over_once() {
    let project = kiln(
        "1-12",
        "chunk = 4\ndead-after = \"1s\"\n",
        // So slow that there is something left for the third to begin.
        "[mishap]\nhang-at = 3\nslow = 300\n",
    );
    let mut north = on(&project, "north", &[], "frame 2 ");
    let south = on(&project, "south", &[], "started");
    let east = on(&project, "east", &[], "started");
    north.kill().unwrap();
    north.wait().unwrap();
    // What hung does not hang any more, and the pictures are the same.
    project.write("kiln.toml", &scene("[mishap]\n"));
    let ended = [south, east].map(|run| run.wait_with_output().unwrap());
    let shown: String = ended
        .iter()
        .map(|one| String::from_utf8_lossy(&one.stdout).into_owned())
        .collect();
    // The scene is another now, so they stop where they had not begun: the point is who took over.
    assert_eq!(
        ledgers(&project).matches("\"recovered\"").count(),
        1,
        "{shown}"
    );
    assert!(
        shown.contains("recovered") || shown.contains("changed"),
        "{shown}"
    );
    for name in ["0001", "0001.dead", "0001.beat", "0001.wants"] {
        assert!(
            !project.path(&format!(".truepath/sessions/{name}")).exists(),
            "{name}"
        );
    }
    project.call(&["run", "--rerender-stale"]).ends(0);
}

#[test]
fn a_licence_limit_holds_over_two_machines() {
    // The engine itself sees whether another of its kind is at work.
    let script = "mkdir \"$2/busy\" || { echo 'error: no licence'; exit 9; }\ncp \"$2/one.png\" p$1.png\n\
                  sleep 0.02\nrmdir \"$2/busy\"\n";
    let project = made_up(
        " }\nmax-processes = 1\narguments = [\"{frame}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1-24\"\nretries = 0\n",
    );
    let south = on(&project, "south", &["--jobs", "3"], "wanted");
    let north = on(&project, "north", &["--jobs", "3"], "wanted");
    for run in [south, north] {
        let output = run.wait_with_output().unwrap();
        let out = String::from_utf8_lossy(&output.stdout).into_owned();
        assert!(output.status.success(), "{out}");
    }
    assert_eq!(project.files("r").len(), 24);
    assert_eq!(logs(&project), 24);
}

#[test]
fn an_interrupt_finishes_what_is_nearly_done_and_a_second_one_stops_at_once() {
    let project = kiln("1-9", "", "[mishap]\nhang-at = 4\n");
    let run = on(&project, "north", &["--jobs", "1"], "frame 3 ");
    signal(&run, Signal::INT);
    signal(&run, Signal::INT);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    assert_eq!(project.files("renders").len(), 3);
    // Once: the frame at work is finished, and no other is begun.
    let slow = kiln(
        "1-60",
        "checkpoint = { every = \"1h\" }\n",
        "[mishap]\nslow = 100\n",
    );
    let run = on(&slow, "north", &[], "frame 2 ");
    signal(&run, Signal::INT);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    let there = slow.files("renders").len();
    assert!((2..10).contains(&there), "{there}");
    // Neither left anything behind, and both are gone on with.
    slow.write("kiln.toml", &slow.read("kiln.toml"));
    slow.call(&["run", "--jobs", "1"]).ends(0);
    let mut frames = wrote(&slow);
    frames.sort();
    frames.dedup();
    assert_eq!(frames.len(), 60);
}

#[test]
fn warnings_that_no_earlier_run_had_come_first() {
    let project = kiln("1-6", "", "[mishap]\nnoisy = 2\n");
    let first = project
        .call(&["run", "--frames", "1-3", "--jobs", "1"])
        .ends(0);
    assert!(
        first
            .out
            .contains("warning 6 times, new: lamp 0 of frame 1 flickers"),
        "{}",
        first.out
    );
    assert!(first.out.contains("line 4"), "{}", first.out);
    let second = project
        .call(&[
            "run",
            "--set",
            "settings.fog=3",
            "--ignore",
            "TP514",
            "--jobs",
            "1",
        ])
        .ends(1);
    let at = |text: &str| {
        second
            .out
            .find(text)
            .unwrap_or_else(|| panic!("{text}: {}", second.out))
    };
    let new = at("warning 1 time, new: the scene has no setting `fog`");
    assert!(new < at("warning 6 times: lamp 0"), "{}", second.out);
}

#[test]
fn a_scene_that_changes_stops_new_chunks_or_is_reported() {
    for (key, code) in [("", 1), ("scene-changes = \"report\"\n", 0)] {
        let project = kiln(
            "1-40",
            &format!("chunk = 2\n{key}"),
            "[mishap]\nslow = 20\n",
        );
        let run = on(&project, "north", &["--jobs", "1"], "frame 3 ");
        project.write("kiln.toml", &scene("[mishap]\nslow = 1\n"));
        let output = run.wait_with_output().unwrap();
        let out = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(output.status.code(), Some(code), "{out}");
        assert_eq!(
            out.contains("a sequence must not mix two states of it"),
            code == 1,
            "{out}"
        );
    }
}

#[test]
fn a_file_that_the_scene_needs_and_that_changes_stops_new_chunks() {
    let project = kiln("1-60", "chunk = 2\n", "[mishap]\nslow = 50\n");
    project.write("kiln.toml.facts.json", "{ \"files\": [\"brass.txt\"] }");
    project.write("brass.txt", "polished");
    let run = on(&project, "north", &["--jobs", "1"], "frame 3 ");
    project.write("brass.txt", "tarnished");
    let output = run.wait_with_output().unwrap();
    let out = String::from_utf8_lossy(&output.stdout).into_owned();
    assert_eq!(output.status.code(), Some(1), "{out}");
    assert!(out.contains("brass.txt, which the scene"), "{out}");
    assert!(project.files("renders").len() < 60);
}

#[test]
fn a_run_that_is_given_a_time_stops_then() {
    let project = kiln("1-60", "chunk = 2\n", "[mishap]\nslow = 50\n");
    let called = project
        .call(&["run", "--for", "0.5s", "--low-priority"])
        .ends(1);
    assert!(called.out.contains("stopped"), "{}", called.out);
    assert!(called.out.contains("its time is over"), "{}", called.out);
    assert!(project.files("renders").len() < 60);
    let wrong = project.call(&["run", "--until", "7 pm"]).ends(2);
    assert!(wrong.err.contains("07:00"), "{}", wrong.err);
}

#[test]
fn the_environment_is_what_is_reported_and_no_more() {
    let script = "[ -z \"$SECRET\" ]\n[ \"$LAMP\" = brass ]\n[ -n \"$KEPT\" ]\n[ -n \"$PATH\" ]\ncp \"$2/one.png\" p$1.png\n";
    let project = made_up(
        " }\nneeds = [\"KEPT\"]\narguments = [\"{frame}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1\"\nretries = 0\nenv = { LAMP = \"brass\" }\n",
    );
    let output = project
        .command(&["run", "--verbose"])
        .env("SECRET", "1")
        .env("KEPT", "1")
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stdout)
    );
}

#[test]
fn limits_for_the_start_and_for_silence_end_an_engine() {
    for (key, shown) in [
        ("start-timeout", "no frame was begun"),
        ("silence-timeout", "the engine printed nothing"),
    ] {
        let project = made_up(
            " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n",
            "exec sleep 600\n",
            &format!("frames = \"1\"\nretries = 0\n{key} = \"0.3s\"\n"),
        );
        let called = project.call(&["run"]).ends(1);
        assert!(
            called.out.contains(&format!("{shown} for 0.3s, the {key}")),
            "{}",
            called.out
        );
    }
}

#[test]
fn status_shows_what_is_done_running_and_failed() {
    let project = kiln(
        "1-12",
        "chunk = 4\n",
        "[mishap]\nhang-at = 7\nfail-at = 2\n",
    );
    let run = on(&project, "north", &["--jobs", "2"], "frame 6 ");
    let status = project.call(&["status", "--format", "json"]).ends(1).json();
    assert_eq!(status["machines"][0]["machine"], "north");
    assert_eq!(status["machines"][0]["jobs"], 2);
    assert!(status["running"][0]["frames"].is_string(), "{status}");
    assert_eq!(status["wanted"], 12);
    let text = project.call(&["status"]).ends(1).out;
    assert!(text.contains("north: run 1, 2 processes at once"), "{text}");
    signal(&run, Signal::TERM);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    let status = project.call(&["status", "--format", "json"]).ends(1).json();
    assert_eq!(status["running"].as_array().unwrap().len(), 0);
    assert_eq!(status["machines"].as_array().unwrap().len(), 0);
}
