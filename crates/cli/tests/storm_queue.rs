//! The storm on a queue and on bundles: two machines work one queue off while its file changes and they are killed, and
//! the frames of bundles are gathered by calls that are killed. `scripts/storm` lets it go on for longer.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use common::{Chance, Project, job, number, published, scene};

const JOBS: [&str; 3] = ["a", "b", "c"];
const FRAMES: usize = 24;

/// Three jobs in a queue.
fn project() -> Project {
    let project = Project::empty();
    let mut queue = String::new();
    for name in JOBS {
        let text = job(&format!("1-{FRAMES}"), "jobs = 1\nchunk = 2\n");
        project.write(&format!("{name}/truepath.toml"), &text);
        let mishap = "[mishap]\nslow = 40\nrough = true\n";
        project.write(&format!("{name}/kiln.toml"), &scene(mishap));
        queue.push_str(&format!("[[entry]]\njob = \"{name}/truepath.toml\"\n"));
    }
    project.write("queue.toml", &queue);
    project
}

fn begin(project: &Project, machine: usize) -> Child {
    let mut command = project.command(&["queue", "run", "--quiet"]);
    command
        .env("TRUEPATH_MACHINE", ["north", "south"][machine])
        .stdout(Stdio::null())
        .stderr(Stdio::null());
    command.spawn().unwrap()
}

/// What a person does to the queue meanwhile; all entries are on again at the end.
fn edit(project: &Project, chance: &mut Chance) {
    let entry = |chance: &mut Chance| (chance.below(JOBS.len()) + 1).to_string();
    let (one, other) = (entry(chance), entry(chance));
    let line: Vec<&str> = match chance.below(4) {
        0 => vec!["queue", "move", &one, &other],
        1 => vec!["queue", "off", &one],
        _ => vec!["queue", "on", &one],
    };
    // A machine may be reading it.
    let _ = project.call(&line);
}

fn frames(project: &Project, name: &str) -> BTreeMap<String, Vec<u8>> {
    let folder = format!("{name}/renders");
    let files = project.files(&folder).into_iter();
    files
        .map(|file| {
            let bytes = fs::read(project.path(&format!("{folder}/{file}"))).unwrap();
            (file, bytes)
        })
        .collect()
}

/// Whether all of a job is there, each frame published once, and nothing else is left.
fn is_whole(project: &Project, name: &str, expected: &BTreeMap<String, Vec<u8>>) {
    assert_eq!(&frames(project, name), expected, "{name}");
    let times = published(project, &format!("{name}/.truepath/ledger"));
    assert_eq!(times.len(), FRAMES, "{name}");
    let twice: Vec<_> = times.iter().filter(|(_, times)| **times != 1).collect();
    assert!(
        twice.is_empty(),
        "{name}: published more than once: {twice:?}"
    );
    let left = project.files(&format!("{name}/.truepath/claims"));
    assert_eq!(
        left,
        [""; 0],
        "{name}: {:?}",
        project.files(&format!("{name}/.truepath/sessions"))
    );
}

fn queue_storm(project: &Project, chance: &mut Chance, longest: Duration) -> u32 {
    // Runs, and whether they began when all was calm: one before may have passed over a job that was off.
    let mut runs: Vec<Option<(Child, bool)>> = (0..2)
        .map(|machine| Some((begin(project, machine), false)))
        .collect();
    let (since, mut kills, mut is_calm) = (Instant::now(), 0, false);
    loop {
        if !is_calm && since.elapsed() > longest {
            is_calm = true;
            for number in 1..=JOBS.len() {
                project.call(&["queue", "on", &number.to_string()]).ends(0);
            }
        }
        let mut ended = 0;
        for (machine, run) in runs.iter_mut().enumerate() {
            let Some((child, began_calm)) = run else {
                ended += 1;
                continue;
            };
            if let Some(status) = child.try_wait().unwrap() {
                let is_over = status.success() && *began_calm;
                *run = (!is_over).then(|| (begin(project, machine), is_calm));
            }
        }
        if ended == runs.len() {
            return kills;
        }
        assert!(
            since.elapsed() < longest + Duration::from_secs(300),
            "it does not end"
        );
        std::thread::park_timeout(Duration::from_millis(300));
        if is_calm {
            continue;
        }
        edit(project, chance);
        if let Some((child, _)) = &mut runs[chance.below(2)] {
            kills += u32::from(child.kill().is_ok());
        }
    }
}

/// Gathers bundles by calls that are killed after ever longer, until one is through.
fn gather_storm(project: &Project, chance: &mut Chance) -> u32 {
    let mut kills = 0;
    loop {
        let mut gather = project
            .command(&[
                "gather",
                "--job",
                "d/truepath.toml",
                "away/d-part1of2",
                "away/d-part2of2",
            ])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let patience = Duration::from_millis(chance.below(40) as u64 + u64::from(kills));
        std::thread::park_timeout(patience);
        if let Some(status) = gather.try_wait().unwrap() {
            assert!(status.success(), "{status}");
            return kills;
        }
        kills += u32::from(gather.kill().is_ok());
        if gather.wait().unwrap().success() {
            return kills;
        }
        assert!(kills < 2000, "it does not end");
    }
}

#[test]
fn queues_and_bundles_lose_nothing_and_double_nothing() {
    let seconds = number("TRUEPATH_STORM_SECONDS", 8);
    let seed = number("TRUEPATH_STORM_SEED", 20_261_128);
    let calm = project();
    calm.call(&["run", "--quiet", "--job", "a/truepath.toml"])
        .ends(0);
    let expected = frames(&calm, "a");
    assert_eq!(expected.len(), FRAMES);
    let (mut chance, since, mut round) = (Chance(seed | 1), Instant::now(), 0);
    while round == 0 || since.elapsed() < Duration::from_secs(seconds) {
        round += 1;
        let stormy = project();
        let longest = Duration::from_secs((seconds / 4).clamp(3, 30));
        let kills = queue_storm(&stormy, &mut chance, longest);
        for name in JOBS {
            is_whole(&stormy, name, &expected);
        }
        // A job of its own comes home in two bundles.
        for file in ["truepath.toml", "kiln.toml"] {
            let text = stormy.read(&format!("a/{file}"));
            stormy.write(&format!("d/{file}"), &text);
        }
        let pack = [
            "pack",
            "--job",
            "d/truepath.toml",
            "--parts",
            "2",
            "--to",
            "away",
        ];
        stormy.call(&pack).ends(0);
        for part in 1..=2 {
            let bundle = format!("away/d-part{part}of2/truepath.toml");
            stormy.call(&["run", "--quiet", "--job", &bundle]).ends(0);
        }
        let gathers = gather_storm(&stormy, &mut chance);
        is_whole(&stormy, "d", &expected);
        eprintln!(
            "storm {round}, seed {seed}: {kills} runs of a queue and {gathers} gathers killed"
        );
    }
}
