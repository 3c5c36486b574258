//! The storm on every kind of file: frames, stills, files with layers and a movie, by three runs whose options differ
//! from start to start, while renderers leave hard links and processes behind, somebody paints over finished frames, and
//! everything is killed at random. What was painted is kept somewhere, and in the end every file is what a run
//! without a storm makes. `scripts/storm` lets it go on for longer.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use common::kinds::{FRAMES, LAYERS, MOVIE, still};
use common::{Chance, Project, number, scene};
use rustix::process::{Pid, Signal, kill_process};

/// The tables before the outputs.
const HEAD: &str = r#"[project]
dead-after = "3s"
env = { PRECIOUS = "{precious}", RENDERER = "{renderer}" }
engine = "renderer"
size = "24x16"
fps = 24
retries = 1000
retry-pause = "0.05s"
passes = ["beauty", "depth"]
[shot.kiln]
scene = "kiln.toml"
frames = "1-24"
"#;

/// A job with files of each kind.
fn job() -> String {
    [HEAD, FRAMES, "chunk = 4\n", &still(3), LAYERS, MOVIE].concat()
}

/// What the renderer does in some of its starts: it links each of its pictures under a second name, lets a process
/// work on in its folder, removes the folder, or puts a link to a folder of the user in its place.
const WILD: &str = "#!/bin/sh\n\
     case ${PWD##*/} in .truepath-*) ;; *) exec \"$RENDERER\" \"$@\";; esac\n\
     case $(($(od -An -N1 -tu1 /dev/urandom) % 48)) in\n\
     1) rm -rf \"$PWD\"; exit 0;;\n\
     2) \"$RENDERER\" \"$@\"; code=$?\n\
     for file in *.*; do ln \"$file\" \"$PRECIOUS/../linked/$$-$file\"; done; exit $code;;\n\
     3) (sleep 0.3; : >late) & ;;\n\
     4) setsid sleep 20 & ;;\n\
     5) rm -rf \"$PWD\"; ln -s \"$PRECIOUS\" \"$PWD\"; exit 0;;\n\
     esac\nexec \"$RENDERER\" \"$@\"\n";

/// Options that a run may be started with; each leaves a job that the next run can complete.
const POLICIES: [&[&str]; 6] = [
    &[],
    &["--rerender-stale"],
    &["--verify-all"],
    &["--rerender-stale", "--rerender-unrecorded"],
    &["--output", "frames"],
    &["--set", "existing=replace"],
];

fn project(mishap: &str) -> Project {
    let project = Project::empty();
    project.write("precious/work.png", "the only copy");
    project.write("linked/readme", "files with a second name");
    project.write("wild.sh", WILD);
    let executable = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    fs::set_permissions(project.path("wild.sh"), executable).unwrap();
    let program = match mishap {
        "" => common::program().to_owned(),
        _ => project.path("wild.sh").display().to_string(),
    };
    let profile = include_str!("../../../engines/understudy.toml")
        .replace("name = \"understudy\"", "name = \"renderer\"")
        .replace("program = \"{self}\"", &format!("program = \"{program}\""));
    project.write("engines/renderer.toml", &profile);
    let job = job()
        .replace("{precious}", &project.path("precious").to_string_lossy())
        .replace("{renderer}", common::program());
    project.write("truepath.toml", &job);
    project.write("kiln.toml", &scene(mishap));
    project
}

fn begin(project: &Project, machine: usize, chance: &mut Chance) -> Child {
    let policy = POLICIES[chance.below(POLICIES.len())];
    project
        .command(&[&["run", "--jobs", "2"], policy].concat())
        .env("TRUEPATH_MACHINE", ["north", "south", "east"][machine])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

/// Renderers at work in a project.
fn renderers(project: &Project) -> Vec<i32> {
    let folder = project.path("");
    let mut numbers: Vec<i32> = fs::read_dir("/proc")
        .unwrap()
        .flatten()
        .filter(|entry| {
            fs::read_link(entry.path().join("cwd")).is_ok_and(|at| at.starts_with(&folder))
                && fs::read_to_string(entry.path().join("comm"))
                    .is_ok_and(|name| name.trim() != "truepath" || at_work(&entry.path()))
        })
        .filter_map(|entry| entry.file_name().to_string_lossy().parse().ok())
        .collect();
    numbers.sort_unstable();
    numbers
}

/// Whether a process of this program is the simulated renderer.
fn at_work(process: &std::path::Path) -> bool {
    let line = fs::read(process.join("cmdline")).unwrap_or_default();
    String::from_utf8_lossy(&line).contains("\0understudy\0")
}

/// Paints over a finished frame in place, keeping its size and time as some programs do; gives its new bytes.
fn paint(project: &Project, chance: &mut Chance) -> Option<Vec<u8>> {
    let frame = chance.below(24) + 1;
    let path = project.path(&format!("r/kiln_beauty.{frame:04}.exr"));
    let mut bytes = fs::read(&path).ok()?;
    let time = fs::metadata(&path).ok()?.modified().ok()?;
    let last = bytes.len().checked_sub(8)?;
    bytes.splice(last.., chance.below(usize::MAX).to_le_bytes());
    // Written beside it and moved into its place, so that no reader sees a half.
    let beside = project.path("linked/painted");
    fs::write(&beside, &bytes).ok()?;
    if chance.below(2) == 0 {
        fs::File::options()
            .write(true)
            .open(&beside)
            .ok()?
            .set_modified(time)
            .ok()?;
    }
    fs::rename(&beside, &path).ok()?;
    Some(bytes)
}

/// Kills runs and renderers for so long, and paints; gives what was painted.
fn storm(project: &Project, chance: &mut Chance, longest: Duration) -> (Vec<Vec<u8>>, u32) {
    let mut runs: Vec<Option<Child>> = (0..3)
        .map(|machine| Some(begin(project, machine, chance)))
        .collect();
    let (since, mut painted, mut kills) = (Instant::now(), Vec::new(), 0);
    loop {
        let rages = since.elapsed() < longest;
        for (machine, run) in runs.iter_mut().enumerate() {
            if let Some(child) = run
                && child.try_wait().unwrap().is_some()
            {
                *run = rages.then(|| begin(project, machine, chance));
            }
        }
        if runs.iter().all(Option::is_none) {
            return (painted, kills);
        }
        assert!(
            since.elapsed() < longest + Duration::from_secs(200),
            "it does not end"
        );
        std::thread::park_timeout(Duration::from_millis(200));
        if !rages {
            continue;
        }
        if chance.below(6) == 0 {
            painted.extend(paint(project, chance));
        }
        let victims: Vec<i32> = runs
            .iter()
            .flatten()
            .map(|run| run.id() as i32)
            .chain(renderers(project))
            .collect();
        if chance.below(2) == 0
            && let Some(victim) = Pid::from_raw(victims[chance.below(victims.len())])
        {
            kills += u32::from(kill_process(victim, Signal::KILL).is_ok());
        }
    }
}

/// All files below some folders of a project.
fn files(project: &Project, folders: &[&str]) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    for folder in folders {
        for name in project.files(folder) {
            let name = format!("{folder}/{name}");
            // A link to a folder that stood where a staging folder was is set aside as it is.
            if project.path(&name).is_file() {
                all.insert(name.clone(), fs::read(project.path(&name)).unwrap());
            }
        }
    }
    all
}

const OUTPUTS: [&str; 4] = ["r", "s", "t", "m"];

#[test]
fn every_kind_of_file_by_runs_of_every_policy() {
    let seconds = number("TRUEPATH_STORM_SECONDS", 12);
    let seed = number("TRUEPATH_STORM_SEED", 20_261_130);
    let calm = project("");
    calm.call(&["run", "--jobs", "2"]).ends(0);
    let expected = files(&calm, &OUTPUTS);
    assert_eq!(expected.len(), 24 * 2 + 2 + 24 + 1);
    let (mut chance, since, mut round) = (Chance(seed | 1), Instant::now(), 0);
    while round == 0 || since.elapsed() < Duration::from_secs(seconds) {
        round += 1;
        let wild = project("[mishap]\nslow = 20\nunlucky = 40\nrough = true\n");
        let longest = Duration::from_secs((seconds / 3).clamp(15, 60));
        let (painted, kills) = storm(&wild, &mut chance, longest);
        eprintln!(
            "round {round}, seed {seed}: {kills} killed, {} painted",
            painted.len()
        );
        let last = ["run", "--jobs", "2", "--rerender-stale", "--verify-all"];
        // One that was killed last, and rendered something else, counts as alive for `dead-after`.
        let mut ended = wild.call(&last);
        for _ in 0..40 {
            if ended.code != Some(3) {
                break;
            }
            std::thread::park_timeout(Duration::from_millis(500));
            ended = wild.call(&last);
        }
        ended.ends(0);
        wild.call(&["audit"]).ends(0);
        let all = files(&wild, &OUTPUTS);
        for (name, bytes) in &expected {
            assert!(
                all.get(name) == Some(bytes),
                "not the final picture: {name}"
            );
        }
        let kept = all.values().collect::<std::collections::BTreeSet<_>>();
        for (number, bytes) in painted.iter().enumerate() {
            let is_painted_over = painted[number + 1..]
                .iter()
                .any(|later| later[..later.len() - 8] == bytes[..bytes.len() - 8]);
            assert!(
                kept.contains(bytes) || is_painted_over,
                "what was painted is lost"
            );
        }
        for folder in OUTPUTS {
            let entries = fs::read_dir(wild.path(folder)).unwrap().flatten();
            let mut names = entries.map(|entry| entry.file_name());
            let hidden = names.find(|name| name.to_string_lossy().starts_with('.'));
            assert_eq!(hidden, None, "left in {folder}");
        }
        for name in all.keys().filter(|name| !name.contains("set-aside/")) {
            assert!(expected.contains_key(name), "left: {name}");
        }
        assert_eq!(wild.read("precious/work.png"), "the only copy");
        assert_eq!(wild.files("precious").len(), 1);
        assert!(!wild.path(".truepath/claims").exists(), "claims are left");
        assert_eq!(wild.files(".truepath/sessions"), [""; 0]);
    }
}
