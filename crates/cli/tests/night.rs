//! Twelve hours with nobody watching, by a clock that makes an hour pass in a second.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::Stdio;

use common::{Project, job, scene, wrote};

/// How many times as fast the clock of the run goes.
const HASTE: &str = "3600";

/// Runs, and gives the exit code, what was printed, and the most memory that the run ever had, in KiB.
fn run(project: &Project, arguments: &[&str]) -> (i32, String, u64) {
    let mut run = project
        .command(&[&["run"], arguments].concat())
        .env("TRUEPATH_HASTE", HASTE)
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let status = format!("/proc/{}/status", run.id());
    let (mut printed, mut most) = (String::new(), 0);
    for line in BufReader::new(run.stderr.take().unwrap()).lines() {
        printed.push_str(&line.unwrap());
        printed.push('\n');
        let text = fs::read_to_string(&status).unwrap_or_default();
        let peak = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let peak = peak.and_then(|peak| peak.trim().strip_suffix(" kB")?.parse().ok());
        most = most.max(peak.unwrap_or(0));
    }
    (run.wait().unwrap().code().unwrap(), printed, most)
}

#[test]
fn a_night_of_twelve_hours() {
    // A frame takes 7.2 minutes: 100 of them on one process take twelve hours.
    let project = Project::new(&job(
        "1-100",
        "chunk = 5\nframe-timeout = \"1h\"\nsilence-timeout = \"2h\"\n",
    ));
    project.write("kiln.toml", &scene("[mishap]\nslow = 120\n"));
    // The evening: somebody has the machine until eight hours are over.
    let (code, printed, _) = run(&project, &["--for", "8h"]);
    assert_eq!(code, 1, "{printed}");
    assert!(printed.contains("stopping: its time is over"), "{printed}");
    let done = project.files("renders").len();
    assert!(
        (10..=68).contains(&done),
        "{done} frames in eight hours of 7.2 minutes each"
    );
    // The time left is reported in hours, and shrinks.
    let first = printed
        .lines()
        .find(|line| line.contains(" of 100 files, "));
    assert!(first.unwrap().contains(" h "), "{printed}");
    // The rest of the night.
    let (code, printed, most) = run(&project, &[]);
    assert_eq!(code, 0, "{printed}");
    assert!(printed.contains("by what it took before"), "{printed}");
    assert_eq!(project.files("renders").len(), 100);
    assert_eq!(wrote(&project).len(), 100, "no frame was rendered twice");
    assert!((1..60 * 1024).contains(&most), "{most} KiB");
    // The log goes by the same clock: its last line is hours after its first.
    let ledger = project.read(".truepath/ledger/0001.jsonl");
    let times: Vec<&str> = ledger
        .lines()
        .filter(|line| line.contains("\"published\""))
        .map(|line| {
            line.split("\"time\":\"")
                .nth(1)
                .unwrap()
                .split('"')
                .next()
                .unwrap()
        })
        .collect();
    let time = |text: &str| text.parse::<jiff::Timestamp>().unwrap();
    let hours = time(times.last().unwrap())
        .duration_since(time(times[0]))
        .as_hours();
    assert!((1..=12).contains(&hours), "{hours} hours");
}
