//! Killed at any moment, the next run goes on: whatever has a true name is whole, and no frame
//! that was finished is rendered twice.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::Stdio;

use common::{Project, kiln, wrote};
use rustix::process::{Pid, Signal, kill_process};

/// Processes that work in the project's folder, this one's children aside.
fn renderers(project: &Project) -> Vec<Pid> {
    let folder = project.path("");
    let mut found = Vec::new();
    for entry in fs::read_dir("/proc").unwrap().flatten() {
        let Ok(id) = entry.file_name().to_string_lossy().parse::<i32>() else {
            continue;
        };
        let line = fs::read(entry.path().join("cmdline")).unwrap_or_default();
        let line = String::from_utf8_lossy(&line).into_owned();
        let inside = fs::read_link(entry.path().join("cwd"))
            .is_ok_and(|cwd| cwd != folder && cwd.starts_with(&folder));
        if inside && line.contains("understudy") && !line.contains("supervise") {
            found.extend(Pid::from_raw(id));
        }
    }
    found
}

/// Waits until every process in the project's folder is gone.
fn until_quiet(project: &Project) {
    while !renderers(project).is_empty() {
        std::thread::yield_now();
    }
}

fn nothing_broken(project: &Project) -> u64 {
    let audit = project.audit();
    let account = &audit["deliverables"][0];
    assert_eq!(account["broken"].as_array().unwrap().len(), 0, "{audit}");
    assert_eq!(account["stale"], "");
    account["valid"].as_u64().unwrap()
}

#[test]
fn a_run_and_its_renderer_killed_ten_times() {
    let project = kiln("1-60", "", "[mishap]\nslow = 80\n");
    let mut done = 0;
    for round in 0..10_u64 {
        let mut run = project
            .command(&["run", "--verbose"])
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let lines = BufReader::new(run.stderr.take().unwrap()).lines();
        let published = lines
            .map_while(Result::ok)
            .filter(|line| line.starts_with("kiln · frames frame"))
            // A different moment in every round.
            .take(1 + round as usize % 3)
            .count();
        assert!(published > 0, "round {round} had nothing left to do");
        if round % 3 == 1 {
            for renderer in renderers(&project) {
                let _ = kill_process(renderer, Signal::KILL);
            }
        }
        run.kill().unwrap();
        run.wait().unwrap();
        until_quiet(&project);
        let now = nothing_broken(&project);
        assert!(
            now >= done + published as u64,
            "round {round}: {now} after {done}"
        );
        done = now;
    }
    let last = project.call(&["run"]).ends(0);
    assert_eq!(nothing_broken(&project), 60);
    assert!(last.out.contains("complete: all 60 files"), "{}", last.out);
    // No leftovers: neither staging folders nor anything else beside the frames.
    let left: Vec<_> = fs::read_dir(project.path("renders"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .filter(|name| !name.starts_with("kiln.") && name != "set-aside")
        .collect();
    assert_eq!(left, [""; 0]);
    // The ledger records every frame once.
    let mut paths = published_paths(&project);
    assert_eq!(paths.len(), 60);
    paths.dedup();
    assert_eq!(paths.len(), 60);
}

/// What there is beside the frames that nobody should ever see.
fn hidden(project: &Project) -> Vec<String> {
    let names = fs::read_dir(project.path("renders")).unwrap().flatten();
    let names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
    names.filter(|name| name.starts_with('.')).collect()
}

fn published_paths(project: &Project) -> Vec<String> {
    let mut paths = Vec::new();
    for ledger in fs::read_dir(project.path(".truepath/ledger"))
        .unwrap()
        .flatten()
    {
        for line in fs::read_to_string(ledger.path()).unwrap().lines() {
            let Ok(line) = serde_json::from_str::<serde_json::Value>(line) else {
                continue;
            };
            if let Some(path) = line["line"]["published"]["record"]["path"].as_str() {
                paths.push(path.to_owned());
            }
        }
    }
    paths.sort();
    paths
}

#[test]
fn killed_at_every_step_between_a_finished_frame_and_its_ledger_line() {
    for point in truepath_runner::crash::POINTS {
        let project = kiln("1-3", "", "");
        let killed = project.call_with(&["run"], ("TRUEPATH_CRASH_AT", point));
        assert_eq!(
            killed.code, None,
            "{point}: it was not killed\n{}",
            killed.out
        );
        until_quiet(&project);
        nothing_broken(&project);
        let next = project.call(&["run"]).ends(0);
        assert_eq!(nothing_broken(&project), 3, "{point}");
        let mut paths = published_paths(&project);
        assert_eq!(paths.len(), 3, "{point}");
        paths.dedup();
        assert_eq!(paths.len(), 3, "{point}");
        // The frame that was finished when the run was killed is not rendered again.
        let first = wrote(&project)
            .iter()
            .filter(|line| line.contains("f000001"))
            .count();
        assert!(first <= 1, "{point}: frame 1 was rendered {first} times");
        assert!(
            next.out.contains("recovered") || point == "ledger",
            "{point}: {}",
            next.out
        );
    }
}

#[test]
fn what_a_run_leaves_that_dies_right_after_its_end_is_cleared_up() {
    let project = kiln("1-3", "", "");
    let killed = project.call_with(&["run"], ("TRUEPATH_CRASH_AT", "ended"));
    assert_eq!(killed.code, None, "{}", killed.err);
    assert_eq!(project.files("renders").len(), 3);
    let left = || {
        fs::read_dir(project.path(".truepath/sessions"))
            .unwrap()
            .count()
    };
    assert!(left() >= 1, "its sign of life");
    let run = project.call(&["run"]).ends(0);
    assert!(run.err.contains("3 are there already"), "{}", run.err);
    assert_eq!(left(), 0);
    assert!(!project.path(".truepath/claims").exists());
}

#[test]
fn a_run_that_dies_before_its_sign_of_life_is_whole_leaves_nothing_for_good() {
    let project = kiln("1-3", "", "");
    let killed = project.call_with(&["run"], ("TRUEPATH_CRASH_AT", "locked"));
    assert_eq!(killed.code, None, "{}", killed.err);
    let left = || {
        fs::read_dir(project.path(".truepath/sessions"))
            .unwrap()
            .count()
    };
    assert_eq!(left(), 1, "half a sign of life");
    project.call(&["run"]).ends(0);
    assert_eq!(nothing_broken(&project), 3);
    assert_eq!(left(), 0);
}

#[test]
fn a_run_that_dies_between_recovering_another_one_and_forgetting_it_holds_nobody_up() {
    let project = kiln("1-6", "chunk = 2\n", "");
    let killed = project.call_with(&["run"], ("TRUEPATH_CRASH_AT", "renamed"));
    assert_eq!(killed.code, None);
    until_quiet(&project);
    for _ in 0..2 {
        // The second time it has the first one to recover, and that has one in its hands.
        let killed = project.call_with(&["run"], ("TRUEPATH_CRASH_AT", "recovered"));
        assert_eq!(killed.code, None, "{}", killed.err);
        until_quiet(&project);
    }
    project.call(&["run"]).ends(0);
    assert_eq!(nothing_broken(&project), 6);
    assert!(!project.path(".truepath/claims").exists());
    assert_eq!(project.files(".truepath/sessions"), [""; 0]);
}

#[test]
fn staging_folders_that_a_dead_run_kept_are_cleared_up() {
    let project = kiln("1-12", "chunk = 1\n", "[mishap]\nslow = 40\n");
    let mut run = project
        .command(&["run", "--jobs", "2", "--verbose"])
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let lines = BufReader::new(run.stderr.take().unwrap()).lines();
    let seen = lines
        .map(Result::unwrap)
        .filter(|line| line.contains(" of 12"))
        .take(4)
        .count();
    assert_eq!(seen, 4);
    kill_process(Pid::from_child(&run), Signal::KILL).unwrap();
    run.wait().unwrap();
    until_quiet(&project);
    assert_ne!(hidden(&project), [""; 0]);
    project.call(&["run"]).ends(0);
    assert_eq!(hidden(&project), [""; 0]);
    assert_eq!(nothing_broken(&project), 12);
}

#[test]
fn a_run_that_dies_over_what_another_machine_left_leaves_nothing_behind_either() {
    for point in truepath_runner::crash::POINTS {
        let project = kiln("1-3", "dead-after = \"0.5s\"\n", "");
        // The second one waits until the first has been silent for long enough, and dies over it.
        for machine in ["north", "south"] {
            let mut run = project.command(&["run", "--verbose"]);
            run.env("TRUEPATH_MACHINE", machine)
                .env("TRUEPATH_CRASH_AT", point);
            let status = run.output().unwrap().status;
            assert_eq!(status.code(), None, "{machine} at {point} was not killed");
            until_quiet(&project);
            nothing_broken(&project);
        }
        let mut run = project.command(&["run", "--verbose"]);
        let ended = run.env("TRUEPATH_MACHINE", "east").output().unwrap();
        let printed = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(0), "{point}: {printed}");
        assert_eq!(nothing_broken(&project), 3, "{point}");
        assert_eq!(hidden(&project), [""; 0], "{point}");
        assert_eq!(project.files("renders/set-aside"), [""; 0], "{point}");
        let mut paths = published_paths(&project);
        assert_eq!(paths.len(), 3, "{point}: {paths:?}");
        paths.dedup();
        assert_eq!(paths.len(), 3, "{point}");
    }
}

#[test]
fn what_makes_one_file_leaves_all_of_it_or_nothing() {
    let project = kiln("1-24", "", "");
    project.call(&["run"]).ends(0);
    let calls: [&[&str]; 3] = [
        &["report", "--to", "page.html"],
        &["sheet", "--to", "sheet.png"],
        &["movie", "renders", "--fps", "24", "--to", "film.mp4"],
    ];
    for call in calls {
        let made = call[call.len() - 1];
        project.call(call).ends(0);
        let whole = fs::read(project.path(made)).unwrap();
        for milliseconds in (0..12).map(|step| step * 20) {
            fs::remove_file(project.path(made)).ok();
            let mut command = project.command(call);
            command.stdout(Stdio::null()).stderr(Stdio::null());
            let mut command = command.spawn().unwrap();
            std::thread::park_timeout(std::time::Duration::from_millis(milliseconds));
            command.kill().unwrap();
            command.wait().unwrap();
            let is_whole =
                fs::read(project.path(made)).map_or(true, |bytes| bytes.len() == whole.len());
            assert!(is_whole, "half of {made} has its name");
            let names = fs::read_dir(project.path("")).unwrap().flatten();
            let mut names = names.map(|entry| entry.file_name().into_string().unwrap());
            let left = names.find(|name| name.starts_with('.') && name != ".truepath");
            assert_eq!(left, None, "{made}");
        }
    }
}
