//! Several jobs in a queue: lined up, changed while it is worked on, worked off by several machines, killed.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::io::{BufRead, BufReader};
use std::process::{Child, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use common::{Project, job, scene, signal};
use rustix::process::Signal;

/// A folder with jobs `a`, `b` and so on, each of so many frames, with a mishap for some.
fn jobs(all: &[(&str, u32, &str)]) -> Project {
    let project = Project::empty();
    for (name, frames, mishap) in all {
        fs::create_dir_all(project.path(name)).unwrap();
        let text = job(&format!("1-{frames}"), "jobs = 1\nchunk = 1\n");
        project.write(&format!("{name}/truepath.toml"), &text);
        project.write(&format!("{name}/kiln.toml"), &scene(mishap));
    }
    project
}

fn queue(entries: &[&str]) -> String {
    let entry = |job: &&str| format!("[[entry]]\njob = \"{job}\"\n");
    entries.iter().map(entry).collect::<Vec<_>>().join("\n")
}

/// A run of the queue, and the lines of its standard error as they come.
struct Working {
    run: Child,
    lines: Receiver<String>,
    seen: Vec<String>,
}

impl Working {
    fn start(project: &Project, machine: &str) -> Self {
        let mut run = project
            .command(&["queue", "run", "--verbose"])
            .env("TRUEPATH_MACHINE", machine)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let error = BufReader::new(run.stderr.take().unwrap());
        let (send, lines) = channel();
        std::thread::spawn(move || {
            for line in error.lines().map_while(Result::ok) {
                let _ = send.send(line);
            }
        });
        Self {
            run,
            lines,
            seen: Vec::new(),
        }
    }

    /// Waits for a line.
    fn sees(&mut self, words: &str) -> String {
        loop {
            let line = self.lines.recv_timeout(Duration::from_secs(120));
            let line = line.unwrap_or_else(|_| panic!("no line with {words}: {:#?}", self.seen));
            self.seen.push(line.clone());
            if line.contains(words) {
                return line;
            }
        }
    }

    fn ends(mut self) -> (Option<i32>, String) {
        let mut out = String::new();
        let mut stdout = self.run.stdout.take().unwrap();
        std::io::Read::read_to_string(&mut stdout, &mut out).unwrap();
        (self.run.wait().unwrap().code(), out)
    }
}

fn frames(project: &Project, name: &str) -> usize {
    project.files(&format!("{name}/renders")).len()
}

#[test]
fn entries_are_added_moved_switched_and_removed() {
    let project = jobs(&[("a", 2, ""), ("b", 3, "")]);
    let called = project.call(&["queue"]).ends(2);
    assert!(
        called.err.contains("truepath queue add JOB"),
        "{}",
        called.err
    );
    project.call(&["queue", "add", "a"]).ends(0);
    let line = [
        "queue",
        "add",
        "b/truepath.toml",
        "--frames",
        "1-2",
        "--note",
        "ask first",
        "--at",
        "1",
    ];
    let called = project.call(&line).ends(0);
    assert_eq!(
        called.out,
        "  1  on   b/truepath.toml · frames 1-2  ask first\n  2  on   a/truepath.toml\n"
    );
    project.call(&["queue", "move", "2", "1"]).ends(0);
    let called = project.call(&["queue", "off", "2"]).ends(0);
    assert!(
        called.out.contains("  2  off  b/truepath.toml"),
        "{}",
        called.out
    );
    let text = project.read("queue.toml");
    project.write("queue.toml", &format!("# mine\n{text}"));
    project.call(&["queue", "on", "2"]).ends(0);
    assert!(project.read("queue.toml").starts_with("# mine\n"));
    // What is there of each, in files.
    let shown = project.call(&["queue"]).ends(1);
    assert!(
        shown.out.contains("waiting   a/truepath.toml"),
        "{}",
        shown.out
    );
    assert!(shown.out.contains("0 of 4 files valid"), "{}", shown.out);
    let json = project.call(&["queue", "--format", "json"]).ends(1).json();
    assert_eq!(json["entries"][1]["note"], "ask first");
    assert_eq!(json["entries"][1]["files"], 2);
    project.call(&["queue", "remove", "1", "2"]).ends(0);
    let called = project.call(&["queue", "move", "1", "2"]).ends(2);
    assert!(
        called.err.contains("no entry 1: it has 0"),
        "{}",
        called.err
    );
    // What cannot be rendered is found when it is added.
    let called = project
        .call(&["queue", "add", "a", "--shot", "kin"])
        .ends(2);
    assert!(called.err.contains("kiln"), "{}", called.err);
    project.call(&["queue", "add", "nowhere"]).ends(2);
    assert!(!project.read("queue.toml").contains("nowhere"));
}

#[test]
fn all_jobs_are_worked_off_and_one_that_fails_stops_no_other() {
    let project = jobs(&[
        ("a", 2, ""),
        ("b", 2, "[mishap]\nfail-at = 2\n"),
        ("c", 2, ""),
    ]);
    project.write("queue.toml", &queue(&["a", "b", "gone", "c"]));
    let then = "echo $TRUEPATH_RESULT $TRUEPATH_THERE of $TRUEPATH_WANTED >>end.txt";
    let called = project.call(&["queue", "run", "--then", then]);
    assert_eq!(called.code, Some(2), "{}{}", called.out, called.err);
    assert_eq!([2, 1, 2], ["a", "b", "c"].map(|one| frames(&project, one)));
    let lines: Vec<&str> = called.out.lines().rev().take(4).collect();
    assert!(lines[0].starts_with("aborted       gone"), "{}", called.out);
    assert!(lines[1].starts_with("not-complete  b "), "{}", called.out);
    assert_eq!(project.read("end.txt"), "aborted 5 of 6\n");
    // A queue may say that nothing comes after a failure.
    fs::remove_dir_all(project.path("c/renders")).unwrap();
    let text = queue(&["a", "b", "c"]);
    project.write("queue.toml", &format!("stop-at-failure = true\n{text}"));
    let called = project.call(&["queue", "run"]).ends(1);
    assert!(called.out.contains("not begun"), "{}", called.out);
    assert_eq!(frames(&project, "c"), 0);
    let shown = project.call(&["queue"]).ends(1);
    assert!(shown.out.contains("failed    b"), "{}", shown.out);
    assert!(shown.out.contains("complete  a"), "{}", shown.out);
}

#[test]
fn the_file_is_read_again_while_it_is_worked_on() {
    let slow = "[mishap]\nslow = 150\n";
    let project = jobs(&[("a", 40, slow), ("b", 2, ""), ("c", 2, "")]);
    project.write("queue.toml", &queue(&["a", "b"]));
    let mut working = Working::start(&project, "north");
    working.sees("job 1 of 2: a");
    working.sees("frame 1");
    // A mistake is reported with its line, and the queue stands.
    let good = project.read("queue.toml");
    project.write("queue.toml", &format!("{good}job = \"again\"\n"));
    let line = working.sees("the queue stands as it was before");
    assert!(line.contains("queue.toml:6"), "{line}");
    // Another job comes first: the one at work is left, and taken up again after it.
    project.write("queue.toml", &queue(&["c", "a", "b"]));
    working.sees("stopping: c comes before it");
    working.sees("job 1 of 3: c");
    working.sees("job 2 of 3: a");
    working.sees("frame");
    project.call(&["queue", "off", "2"]).ends(0);
    working.sees("stopping: it was switched off");
    working.sees("job 2 of 2: b");
    let (code, out) = working.ends();
    assert_eq!(code, Some(0), "{out}");
    assert_eq!([2, 2], ["b", "c"].map(|one| frames(&project, one)));
    let some = frames(&project, "a");
    assert!((1..40).contains(&some), "{some}");
    // Nothing of what was left is lost or rendered twice.
    project.write("a/kiln.toml", &scene(""));
    let called = project.call(&["queue"]).ends(0);
    assert!(called.out.contains("off       a"), "{}", called.out);
}

#[test]
fn a_killed_queue_goes_on_with_what_is_missing() {
    let slow = "[mishap]\nslow = 60\n";
    let project = jobs(&[("a", 8, slow), ("b", 8, slow), ("c", 4, "")]);
    project.write("queue.toml", &queue(&["a", "b", "c"]));
    let mut working = Working::start(&project, "north");
    working.sees("job 2 of 3: b");
    working.sees("frame 2");
    signal(&working.run, Signal::KILL);
    working.run.wait().unwrap();
    assert!((1..8).contains(&frames(&project, "b")));
    project.call(&["queue", "run"]).ends(0);
    assert_eq!([8, 8, 4], ["a", "b", "c"].map(|one| frames(&project, one)));
    project.call(&["queue"]).ends(0);
}

#[test]
fn two_machines_share_a_queue() {
    let slow = "[mishap]\nslow = 40\n";
    let project = jobs(&[("a", 12, slow), ("b", 12, slow), ("c", 12, slow)]);
    project.write("queue.toml", &queue(&["a", "b", "c"]));
    let (north, south) = (
        Working::start(&project, "north"),
        Working::start(&project, "south"),
    );
    for one in [north, south] {
        let (code, out) = one.ends();
        assert_eq!(code, Some(0), "{out}");
    }
    for name in ["a", "b", "c"] {
        assert_eq!(frames(&project, name), 12);
        // Each frame was rendered once.
        let mut times: BTreeMap<String, u32> = BTreeMap::new();
        let logs = project.path(&format!("{name}/.truepath/logs"));
        for session in fs::read_dir(logs).unwrap().flatten() {
            for log in fs::read_dir(session.path()).unwrap().flatten() {
                let text = fs::read_to_string(log.path()).unwrap();
                let wrote = text.lines().filter(|line| line.contains(" wrote "));
                for line in wrote {
                    let name = line.rsplit('_').next().unwrap().to_owned();
                    *times.entry(name).or_default() += 1;
                }
            }
        }
        assert_eq!(times.len(), 12);
        assert!(times.values().all(|count| *count == 1), "{times:?}");
    }
}

#[test]
fn mistakes_are_named_with_their_lines_and_lose_nothing() {
    let project = jobs(&[("a", 1, ""), ("b", 1, "")]);
    for (text, words) in [
        (
            queue(&["a", "queue.toml"]),
            "`queue.toml` is a queue, not a job",
        ),
        (queue(&["a", "./a/truepath.toml"]), "twice"),
        (
            "[[entry]]\njob = \"a\"\nshots = \"x\"\n".to_owned(),
            "`shot`",
        ),
        ("[[entry]\n".to_owned(), "queue.toml:1"),
    ] {
        project.write("queue.toml", &text);
        for line in [&["queue"][..], &["queue", "run"], &["queue", "off", "1"]] {
            let called = project.call(line).ends(2);
            let shown = format!("{}{}", called.err, called.out);
            assert!(shown.contains(words), "{line:?}: {shown}");
            assert_eq!(project.read("queue.toml"), text);
        }
        assert_eq!(frames(&project, "a"), 0);
    }
    project.write("queue.toml", &queue(&["a"]));
    let called = project.call(&["run", "queue.toml"]).ends(2);
    assert!(
        called.err.contains("--queue queue.toml run"),
        "{}",
        called.err
    );
    let called = project.call(&["queue", "add", "queue.toml"]).ends(2);
    assert!(called.err.contains("is a queue"), "{}", called.err);
}

#[test]
fn other_commands_take_a_queue_like_a_job() {
    let project = jobs(&[
        ("a", 2, ""),
        ("b", 2, "[mishap]\ntruncate-at = 2\n"),
        ("c", 1, ""),
    ]);
    let text = format!("{}on = false\n", queue(&["a", "b", "c"]));
    project.write("queue.toml", &text);
    project.call(&["check", "queue.toml"]).ends(0);
    project.call(&["queue", "run"]).ends(1);
    let status = project.call(&["status", "queue.toml"]).ends(1);
    assert!(
        status.out.contains("all 2 files are valid"),
        "{}",
        status.out
    );
    assert!(status.out.contains("1 of 2 files"), "{}", status.out);
    assert!(!status.out.contains("1 file"), "c is off: {}", status.out);
    let audit = project.call(&["audit", "queue.toml"]).ends(1);
    assert!(audit.out.contains("missing"), "{}", audit.out);
    // The worst counts, wherever it stands.
    project.write("queue.toml", &queue(&["a", "gone", "c"]));
    project.call(&["status", "queue.toml"]).ends(2);
}

#[test]
fn an_interrupted_queue_says_so_by_its_code() {
    let project = jobs(&[("a", 40, "[mishap]\nslow = 200\n"), ("b", 2, "")]);
    project.write("queue.toml", &queue(&["a", "b"]));
    let mut working = Working::start(&project, "north");
    working.sees("frame 1");
    signal(&working.run, Signal::INT);
    let (code, out) = working.ends();
    assert_eq!(code, Some(130), "{out}");
    assert!(
        out.contains("b  not begun") && frames(&project, "b") == 0,
        "{out}"
    );
}

#[test]
fn a_queue_is_looked_at_like_a_job() {
    let project = jobs(&[("a", 2, ""), ("b", 3, "")]);
    project.write(
        "queue.toml",
        &queue(&["a/truepath.toml", "b/truepath.toml"]),
    );
    let run = ["queue", "--queue", "queue.toml", "run", "--quiet"];
    project.call(&run).ends(0);
    fs::remove_file(project.path("b/renders/kiln.0003.png")).unwrap();
    project
        .call(&["report", "queue.toml", "--to", "night.html"])
        .ends(0);
    let page = project.read("night.html");
    for part in [
        "a/truepath.toml · kiln · frames",
        "b/truepath.toml · kiln · frames",
        "frame 3, missing",
        "4 valid",
    ] {
        assert!(page.contains(part), "{part}");
    }
    // As an option, and for sheets; a text takes the values of each job.
    for (command, to) in [("sheet", "night.png"), ("report", "again.html")] {
        let burn_in = ["--burn-in", "{shot} {frame}", "--to", to];
        let call = [&[command, "--job", "queue.toml"][..], &burn_in].concat();
        project.call(&call).ends(0);
    }
    let shown = project.call(&["show", "queue.toml"]).ends(0);
    assert_eq!(
        shown.out.matches("kiln · frames").count(),
        2,
        "{}",
        shown.out
    );
    // What is switched off is no part of it, and what is missing is named.
    project
        .call(&["queue", "--queue", "queue.toml", "off", "1"])
        .ends(0);
    let shown = project.call(&["show", "queue.toml"]).ends(0);
    assert_eq!(
        shown.out.matches("kiln · frames").count(),
        1,
        "{}",
        shown.out
    );
    fs::remove_file(project.path("b/truepath.toml")).unwrap();
    let refused = project.call(&["report", "queue.toml", "--to", "x.html"]);
    let refused = refused.ends(2);
    assert!(refused.err.contains("b/truepath.toml"), "{}", refused.err);
    assert!(!project.path("x.html").exists());
}
