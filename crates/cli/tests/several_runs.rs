//! Several runs of one job at once, with every kind of output: each file is made once, and every run ends.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeSet;
use std::process::{Child, Command, Stdio};

use common::kinds::{FRAMES, LAYERS, MOVIE, still};
use common::{Project, needs, published, scene};

const HEAD: &str = r#"[project]
engine = "understudy"
size = "24x16"
fps = 24
retries = 0
passes = ["beauty", "depth"]
[shot.kiln]
scene = "kiln.toml"
frames = "1-12"
"#;

/// A sequence whose frames are all chunks of their own.
fn head() -> String {
    [HEAD, FRAMES, "chunk = 1\n"].concat()
}

/// Starts a run that a clock ends should it stand still: its exit code is 124 then.
fn start(project: &Project, machine: &str, arguments: &[&str]) -> Child {
    let run = project.command(&[&["run"], arguments].concat());
    Command::new("timeout")
        .args(["--kill-after=1", "100"])
        .arg(run.get_program())
        .args(run.get_args())
        .envs(
            run.get_envs()
                .filter_map(|(name, value)| Some((name, value?))),
        )
        .env("TRUEPATH_MACHINE", machine)
        .current_dir(project.path(""))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap()
}

/// Lets runs with these arguments work side by side, each as on a machine of its own; all must end well, with every
/// file there and published once.
#[track_caller]
fn side_by_side(project: &Project, runs: &[&[&str]]) {
    let runs: Vec<Child> = runs
        .iter()
        .enumerate()
        .map(|(number, arguments)| start(project, &format!("node-{number}"), arguments))
        .collect();
    for run in runs {
        let ended = run.wait_with_output().unwrap();
        let printed = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(0), "{printed}");
    }
    project.call(&["audit"]).ends(0);
    for (path, times) in published(project, ".truepath/ledger") {
        assert_eq!(times, 1, "{path}");
    }
}

fn project(more: &str) -> Project {
    let project = Project::new(&format!("{}{more}", head()));
    project.write("kiln.toml", &scene("[mishap]\nslow = 2\n"));
    project
}

#[test]
fn two_runs_of_frames_and_a_movie() {
    if needs("timeout") {
        side_by_side(&project(MOVIE), &[&["--jobs", "1"], &["--jobs", "1"]]);
    }
}

#[test]
fn three_runs_of_every_kind_of_output() {
    if needs("timeout") {
        let project = project(&format!("{}{LAYERS}{MOVIE}", still(3)));
        side_by_side(&project, &[&[], &["--jobs", "2"], &["--jobs", "1"]]);
    }
}

#[test]
fn the_shares_of_a_job_side_by_side_and_then_what_is_never_shared() {
    if needs("timeout") {
        let project = project(&format!("{LAYERS}{MOVIE}"));
        let shares = [["--share", "1/2"], ["--share", "2/2"]];
        let runs: Vec<Child> = (1..)
            .zip(&shares)
            .map(|(number, share)| start(&project, &format!("node-{number}"), share))
            .collect();
        for run in runs {
            let ended = run.wait_with_output().unwrap();
            assert_ne!(ended.status.code(), Some(124), "it stands still");
        }
        side_by_side(&project, &[&[], &[]]);
    }
}

#[test]
fn a_queue_on_two_machines() {
    if needs("timeout") {
        let project = project(&format!("{}{MOVIE}", still(3)));
        project.call(&["queue", "add", "truepath.toml"]).ends(0);
        let work = |machine: &str| {
            let line = project.command(&["queue", "run"]);
            Command::new("timeout")
                .args(["--kill-after=1", "100"])
                .arg(line.get_program())
                .args(line.get_args())
                .env("TRUEPATH_MACHINE", machine)
                .current_dir(project.path(""))
                .stdin(Stdio::null())
                .stdout(Stdio::null())
                .stderr(Stdio::null())
                .spawn()
                .unwrap()
        };
        for mut run in [work("north"), work("south")] {
            assert_eq!(run.wait().unwrap().code(), Some(0));
        }
        project.call(&["audit"]).ends(0);
    }
}

/// The fingerprints of what made the files whose paths hold these words, by the ledgers.
fn makers(project: &Project, words: &str) -> BTreeSet<String> {
    let mut makers = BTreeSet::new();
    for ledger in project.files(".truepath/ledger") {
        for line in project.read(&format!(".truepath/ledger/{ledger}")).lines() {
            let line: serde_json::Value = serde_json::from_str(line).unwrap();
            let record = &line["line"]["published"]["record"];
            if record["path"]
                .as_str()
                .is_some_and(|path| path.contains(words))
            {
                makers.insert(record["fingerprint"].as_str().unwrap().to_owned());
            }
        }
    }
    makers
}

#[test]
fn two_runs_with_other_settings_take_a_version_each() {
    if !needs("timeout") {
        return;
    }
    let job = head()
        .replace(
            "retries = 0\n",
            "retries = 0\nexisting = \"next-version\"\nversion = 1\n",
        )
        .replace("{shot}_{pass}.", "{shot}_{pass}_v{version:03}.");
    for round in 0..2 {
        let project = Project::new(&job);
        project.write("kiln.toml", &scene("[mishap]\nslow = 2\n"));
        let settings = [
            ["--set", "settings={samples=2}"],
            ["--set", "settings={samples=3}"],
        ];
        let runs: Vec<Child> = (1..)
            .zip(&settings)
            .map(|(number, settings)| start(&project, &format!("node-{number}"), settings))
            .collect();
        for run in runs {
            let ended = run.wait_with_output().unwrap();
            let printed = String::from_utf8_lossy(&ended.stderr);
            assert_eq!(ended.status.code(), Some(0), "round {round}: {printed}");
        }
        assert_eq!(project.files("r").len(), 12 * 2 * 2, "round {round}");
        // All frames of a pass and version are made alike.
        for files in ["beauty_v001", "beauty_v002", "depth_v001", "depth_v002"] {
            let makers = makers(&project, files);
            assert_eq!(makers.len(), 1, "round {round}, {files}: {makers:?}");
        }
        // Several runs with the same settings share one.
        let runs = ["node-1", "node-2"]
            .map(|machine| start(&project, machine, &["--set", "settings={samples=4}"]));
        for run in runs {
            assert_eq!(run.wait_with_output().unwrap().status.code(), Some(0));
        }
        assert_eq!(project.files("r").len(), 12 * 2 * 3, "round {round}");
    }
}

#[test]
fn status_says_what_a_run_waits_for() {
    let job = common::job("1-2", "").replace("retries = 0", "retries = 1\nretry-pause = \"60s\"");
    let project = Project::new(&job);
    project.write("kiln.toml", &scene("[mishap]\nfail-at = 2\n"));
    let mut run = project.start();
    let since = std::time::Instant::now();
    let waits = loop {
        let status = project.call(&["status", "--format", "json"]).json();
        let waits = status["machines"][0]["waits"].as_str().map(str::to_owned);
        if let Some(waits) = waits {
            break waits;
        }
        assert!(since.elapsed().as_secs() < 60, "{status:#}");
        std::thread::park_timeout(std::time::Duration::from_millis(50));
    };
    assert_eq!(waits, "the pause before the next try");
    let status = project.call(&["status"]);
    assert!(
        status
            .out
            .contains("waits for the pause before the next try"),
        "{}",
        status.out
    );
    run.kill().unwrap();
    run.wait().unwrap();
}

#[test]
fn a_run_that_died_on_another_machine_does_not_hold_up_one_that_cuts_otherwise() {
    let job = common::job("1-6", "").replace("retries = 0", "retries = 0\ndead-after = \"1s\"");
    let project = Project::new(&job);
    project.write("kiln.toml", &scene("[mishap]\nslow = 100\n"));
    let killed = project
        .command(&["run", "--jobs", "1"])
        .env("TRUEPATH_MACHINE", "north")
        .env("TRUEPATH_CRASH_AT", "verified")
        .output()
        .unwrap();
    assert_eq!(killed.status.code(), None);
    project.call(&["run", "--set", "chunk=3"]).ends(0);
    project.call(&["audit", "--set", "chunk=3"]).ends(0);
}
