//! The storm: four runs on one folder, as on four machines, and every half second one of them or one
//! of their renderers is killed. `scripts/storm` lets it go on for longer.
//!
//! The renderers leave a rough picture of every frame first, which differs from the final one in
//! nothing but its bytes, and die of themselves as well; some remove the folder that they write to, leave
//! names that are no text, or processes that hold their output. Two of the runs are killed and begin again
//! at the same instant, and ledgers get lines of junk, and lines that speak of folders of others. What has
//! a true name in the end must be the final picture, byte for byte, and nothing else is touched.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use common::{Chance, Project, number, published, scene};
use rustix::process::{Pid, Signal, kill_process};

const MACHINES: [&str; 4] = ["north", "south", "east", "west"];
const FRAMES: i64 = 400;
const PASSES: [&str; 2] = ["beauty", "depth"];

/// What a profile says of when a frame is finished: by log and order, by order alone, or nothing, so
/// that only success of the process shows.
const WORDS: [&str; 3] = ["log and order", "order", "nothing"];

/// The profile of the simulated renderer, without what reports finished frames.
fn profile(words: &str) -> String {
    let whole = include_str!("../../../engines/understudy.toml");
    let (rest, _) = whole.split_once("log = [").unwrap();
    let rest = rest.replace("name = \"understudy\"", "name = \"renderer\"");
    match words {
        "log and order" => whole.replace("name = \"understudy\"", "name = \"renderer\""),
        "order" => rest,
        _ => rest.replace("in-order = true", ""),
    }
}

/// What the renderer does in one of 256 starts each, before it renders.
const WILD: &str = "#!/bin/sh\n\
     case ${PWD##*/} in .truepath-*) ;; *) exec \"$RENDERER\" \"$@\";; esac\n\
     case $(od -An -N1 -tu1 /dev/urandom | tr -d ' ') in\n\
     1) rm -rf \"$PWD\"; exit 0;;\n\
     2) printf x >\"$(printf 'a\\377b')\";;\n\
     3) setsid sleep 30 &;;\n\
     4) mkdir -p deep/er; echo x >deep/er/x;;\n\
     5) rm -rf \"$PWD\"; ln -s \"$PRECIOUS\" \"$PWD\"; exit 0;;\n\
     esac\nexec \"$RENDERER\" \"$@\"\n";

/// A project whose renderer does that, beside a folder that nothing may touch.
fn wild_project(words: &str) -> Project {
    let project = project("[mishap]\nslow = 60\nunlucky = 40\nrough = true\n", words);
    project.write("wild.sh", WILD);
    let executable = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    fs::set_permissions(project.path("wild.sh"), executable).unwrap();
    project.write("precious/work.png", "the only copy");
    let (wild, precious) = (project.path("wild.sh"), project.path("precious"));
    let profile = profile(words).replace(
        "program = \"{self}\"",
        &format!("program = \"{}\"", wild.display()),
    );
    project.write("engines/renderer.toml", &profile);
    let job = project.read("truepath.toml");
    let env = format!(
        "env = {{ PRECIOUS = \"{}\", RENDERER = \"{}\" }}\n",
        precious.display(),
        common::program()
    );
    project.write("truepath.toml", &format!("{env}{job}"));
    project
}

/// Adds a line of junk to a ledger, and one that speaks of a folder of somebody else.
fn edit_a_ledger(project: &Project, chance: &mut Chance) {
    use std::io::Write;
    let Ok(ledgers) = fs::read_dir(project.path(".truepath/ledger")) else {
        return;
    };
    let ledgers: Vec<_> = ledgers.flatten().collect();
    if ledgers.is_empty() {
        return;
    }
    let one = &ledgers[chance.below(ledgers.len())];
    let precious = project.path("precious");
    let lie = common::ledger_line(&serde_json::json!({ "staged": {
        "folder": precious, "process": 9000, "label": "x", "log": "x", "time": "2026-01-01T00:00:00Z",
        "frames": "1-400", "members": [], "given": ["work.png"],
    }}));
    let junk = [b"\xff\x00 junk\n", lie.as_bytes()].concat();
    let mut file = fs::File::options().append(true).open(one.path()).unwrap();
    file.write_all(&junk).unwrap();
}

fn project(mishap: &str, words: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"kiln.toml\"\nframes = \"1-{FRAMES}\"\nengine = \"renderer\"\nsize = \"24x16\"\n\
         passes = [\"beauty\", \"depth\"]\nchunk = 20\nretries = 1000\nretry-pause = \"0.05s\"\ndead-after = \"3s\"\n\
         path = \"renders/{{pass}}/{{shot}}.{{frame:04}}.png\"\n"
    ));
    project.write("kiln.toml", &scene(mishap).replace("1-60", "1-400"));
    project.write("engines/renderer.toml", &profile(words));
    project
}

fn begin(project: &Project, machine: usize) -> Child {
    let mut command = project.command(&["run", "--jobs", "2"]);
    command
        .env("TRUEPATH_MACHINE", MACHINES[machine])
        .env("TRUEPATH_LISTING_LAG", "300")
        .stdout(Stdio::null())
        .stderr(Stdio::null());
    // Their clocks are an hour apart.
    let ahead = (machine as i64 - 1) * 3600;
    command.env("TRUEPATH_CLOCK_AHEAD", ahead.to_string());
    command.spawn().unwrap()
}

/// Renderers at work in the project.
fn renderers(project: &Project) -> Vec<i32> {
    let folder = project.path("");
    let folder = folder.to_string_lossy();
    let mut found = Vec::new();
    for entry in fs::read_dir("/proc").unwrap().flatten() {
        let line = fs::read(entry.path().join("cmdline")).unwrap_or_default();
        let line = String::from_utf8_lossy(&line);
        if line.contains("\0understudy\0")
            && line.contains(folder.trim_end_matches('/'))
            && let Ok(number) = entry.file_name().to_string_lossy().parse()
        {
            found.push(number);
        }
    }
    found.sort_unstable();
    found
}

/// Kills a run or a renderer every half second, for so long at most; gives how many there were, and
/// how many renderers among them.
fn storm(project: &Project, chance: &mut Chance, longest: Duration) -> (u32, u32) {
    let mut runs: Vec<Option<Child>> = (0..4)
        .map(|machine| Some(begin(project, machine)))
        .collect();
    let (since, mut kills, mut renderers_killed) = (Instant::now(), 0, 0);
    loop {
        let raging = since.elapsed() < longest;
        let mut complete = 0;
        for (machine, run) in runs.iter_mut().enumerate() {
            let Some(child) = run else {
                complete += 1;
                continue;
            };
            if let Some(status) = child.try_wait().unwrap() {
                // One that was killed, or that others took for dead, is started again.
                *run = (!status.success()).then(|| begin(project, machine));
            }
        }
        if complete == runs.len() {
            return (kills, renderers_killed);
        }
        assert!(
            since.elapsed() < longest + Duration::from_secs(300),
            "it does not end"
        );
        std::thread::park_timeout(Duration::from_millis(500));
        if !raging {
            continue;
        }
        match chance.below(8) {
            0 => edit_a_ledger(project, chance),
            // Two of them begin again at the same instant.
            1 | 2 if runs[2].is_some() && runs[3].is_some() => {
                for run in runs[2..].iter_mut().flatten() {
                    kills += u32::from(run.kill().is_ok());
                    run.wait().unwrap();
                }
                for machine in [2, 3] {
                    runs[machine] = Some(begin(project, machine));
                }
            }
            _ => {}
        }
        let engines = renderers(project);
        let alive: Vec<usize> = (0..4).filter(|one| runs[*one].is_some()).collect();
        let choices = alive.len() + engines.len().min(4);
        if choices == 0 {
            continue;
        }
        let which = chance.below(choices);
        let victim = match alive.get(which) {
            Some(machine) => runs[*machine].as_ref().map(|child| child.id() as i32),
            None => engines.get(chance.below(engines.len())).copied(),
        };
        if let Some(victim) = victim.and_then(Pid::from_raw)
            && kill_process(victim, Signal::KILL).is_ok()
        {
            kills += 1;
            renderers_killed += u32::from(which >= alive.len());
        }
    }
}

fn pictures(project: &Project) -> BTreeMap<String, Vec<u8>> {
    let names = project.files("renders");
    let names = names.into_iter().filter(|name| !name.contains("set-aside"));
    let read = |name: String| {
        let bytes = fs::read(project.path(&format!("renders/{name}"))).unwrap();
        (name, bytes)
    };
    names.map(read).collect()
}

/// Frames that a renderer began after they had their true names in all passes. A rename is the last
/// change of a file's state, which the system keeps the time of.
fn begun_too_late(project: &Project) -> Vec<String> {
    let mut named: BTreeMap<i64, f64> = BTreeMap::new();
    for frame in 1..=FRAMES {
        for pass in PASSES {
            let path = project.path(&format!("renders/{pass}/kiln.{frame:04}.png"));
            let facts = fs::metadata(path).unwrap();
            let time = facts.ctime() as f64 + facts.ctime_nsec() as f64 / 1e9;
            let last = named.entry(frame).or_insert(time);
            *last = last.max(time);
        }
    }
    let mut late = Vec::new();
    for session in fs::read_dir(project.path(".truepath/logs"))
        .unwrap()
        .flatten()
    {
        for log in fs::read_dir(session.path()).unwrap().flatten() {
            let text = fs::read_to_string(log.path()).unwrap();
            for line in text.lines() {
                let Some((time, rest)) = line.split_once(' ') else {
                    continue;
                };
                let Some(frame) = rest.strip_prefix("frame ") else {
                    continue;
                };
                let began = today(time);
                let frame: i64 = frame.parse().unwrap();
                // The run may read this line after it has published the frame: then the frame was not begun again.
                let is_own = text.contains(&format!("kiln.{frame:04}.png"));
                // The clock of file times ticks every few milliseconds.
                if !is_own && began > named[&frame] + 0.02 {
                    late.push(format!("{frame} in {}", log.path().display()));
                }
            }
        }
    }
    late
}

/// Seconds since 1970 of a time of day in a log.
fn today(time: &str) -> f64 {
    let now = jiff::Zoned::now();
    let time: jiff::civil::Time = time.parse().unwrap();
    let mut then = now.with().time(time).build().unwrap();
    if then > now {
        then = then.yesterday().unwrap().with().time(time).build().unwrap();
    }
    then.timestamp().as_nanosecond() as f64 / 1e9
}

#[test]
fn whatever_is_killed_every_frame_is_there_once() {
    let seconds = number("TRUEPATH_STORM_SECONDS", 40);
    let seed = number("TRUEPATH_STORM_SEED", 20_260_301);
    let calm = project("", WORDS[0]);
    calm.call(&["run", "--jobs", "2"]).ends(0);
    let expected = pictures(&calm);
    assert_eq!(expected.len() as i64, FRAMES * 2);
    let (mut chance, since, mut round) = (Chance(seed | 1), Instant::now(), 0);
    // One storm after another, until the time is over.
    while round < WORDS.len() || since.elapsed() < Duration::from_secs(seconds) {
        let words = WORDS[round % WORDS.len()];
        round += 1;
        let wild = wild_project(words);
        let longest = Duration::from_secs((seconds / 3).clamp(10, 60));
        let (kills, engines) = storm(&wild, &mut chance, longest);
        eprintln!(
            "storm {round}, seed {seed}, reported by {words}: {kills} killed, {engines} of them renderers"
        );
        wild.call(&["audit"]).ends(0);
        let found = pictures(&wild);
        let differ = expected
            .iter()
            .filter(|(name, bytes)| found.get(*name) != Some(bytes));
        let differ: Vec<_> = differ.map(|(name, _)| name).collect();
        assert!(differ.is_empty(), "not the final picture: {differ:?}");
        assert_eq!(found.len(), expected.len());
        let times = published(&wild, ".truepath/ledger");
        assert_eq!(times.len() as i64, FRAMES * 2);
        let twice: Vec<_> = times.iter().filter(|(_, times)| **times != 1).collect();
        assert!(twice.is_empty(), "published more than once: {twice:?}");
        assert_eq!(wild.read("precious/work.png"), "the only copy");
        assert_eq!(wild.files("precious").len(), 1);
        assert_eq!(begun_too_late(&wild), [""; 0], "rendered again");
        assert!(!wild.path(".truepath/claims").exists(), "claims are left");
        let signs = wild.files(".truepath/sessions");
        assert_eq!(signs, [""; 0], "signs of life are left");
        for pass in PASSES {
            for entry in fs::read_dir(wild.path(&format!("renders/{pass}")))
                .unwrap()
                .flatten()
            {
                let name = entry.file_name().to_string_lossy().into_owned();
                assert!(!name.starts_with('.'), "left: {name}");
            }
        }
    }
}
