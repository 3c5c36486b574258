//! The whole machine: how many processes work at once, and what each is given.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln, made_up, picture};

/// A renderer of ranges beside the job, in this shell script, with `$1` and `$2` the frames and `$3` the folder.
fn ranges(script: &str, job: &str) -> Project {
    let project = made_up(
        " }\nsplit = \"free\"\narguments = [\"{first}\", \"{last}\", \"{target.folder}\", \"{place.job}\", [\"{threads}\"]]\n\
         output-name = \"p{frame:?}.png\"\nin-order = true\n",
        &format!(
            "cd \"$4\"\n{script}\nfor i in $(seq $1 $2); do cp one.png \"$3/p$i.png\"; done\n"
        ),
        job,
    );
    let profile = project.read("engines/made-up.toml");
    project.write(
        "engines/made-up.toml",
        &profile.replace("\"one\"", "\"range\""),
    );
    fs::write(project.path("one.png"), picture(1)).unwrap();
    project
}

/// The most lines that `seen` has, each the number of processes at that moment.
fn most_at_once(project: &Project) -> usize {
    let seen = project.read("seen");
    seen.lines()
        .filter_map(|line| line.trim().parse().ok())
        .max()
        .unwrap()
}

const COUNT: &str = "mkdir -p running; : >running/$$; ls running | wc -l >>seen\n";
const LEAVE: &str = "rm running/$$\n";

#[test]
fn an_idle_process_is_given_part_of_the_only_chunk() {
    // The process of the first frame goes on only when another has begun.
    let wait = ": >began-$1\nif [ $1 = 1 ]; then n=0; while [ $(ls | grep -c '^began-') -lt 2 ]; do n=$((n+1)); [ $n -lt 400 ] || exit 9; sleep 0.05; done; fi\n";
    let project = ranges(wait, "frames = \"1-12\"\nretries = 0\n");
    project.call(&["run", "--jobs", "2"]).ends(0);
    assert_eq!(project.files("r").len(), 12);
    // One process at a time takes all in one go.
    let project = ranges(": >began-$1\n", "frames = \"1-12\"\nretries = 0\n");
    project.call(&["run", "--jobs", "1"]).ends(0);
    let began = project
        .files("")
        .into_iter()
        .filter(|name| name.starts_with("began-"));
    assert_eq!(began.collect::<Vec<_>>(), ["began-1"]);
}

#[test]
fn no_more_processes_run_than_fit_into_the_memory() {
    // Each takes 100 MB and hardly any processor time, so that the cores would take many.
    let script =
        format!("{COUNT}(head -c 100000000 /dev/zero; sleep 0.4) | tail -n 1 >/dev/null\n{LEAVE}");
    let project = ranges(
        &script,
        "frames = \"1-16\"\nretries = 0\nmemory = \"350MB\"\n",
    );
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 16);
    let most = most_at_once(&project);
    assert!((1..=3).contains(&most), "{most} at once");
    // What was learned holds for the next run from its first process on.
    fs::remove_dir_all(project.path("r")).unwrap();
    project.write("seen", "");
    project.call(&["run"]).ends(0);
    let most = most_at_once(&project);
    assert!((1..=3).contains(&most), "{most} at once");
    // A fixed number is not changed, and warned about.
    fs::remove_dir_all(project.path("r")).unwrap();
    let called = project.call(&["run", "--jobs", "4"]).ends(0);
    assert!(
        called
            .err
            .contains("so many processes at once need about 0.4 GB of memory"),
        "{}",
        called.err
    );
}

#[test]
fn engines_that_wait_are_started_more_often_than_there_are_cores() {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let frames = 80 * cores;
    let project = ranges(
        &format!("{COUNT}sleep 0.15\n{LEAVE}"),
        &format!("frames = \"1-{frames}\"\nretries = 0\nchunk = 2\n"),
    );
    project.call(&["run", "--jobs", "auto"]).ends(0);
    assert!(most_at_once(&project) > cores, "{}", project.read("seen"));
    let ledger = project.read(".truepath/ledger/0001.jsonl");
    assert!(ledger.contains("\"chosen\":{"), "{ledger}");
}

#[test]
fn threads_are_shared_among_those_that_really_run() {
    // The number of threads is the fifth argument.
    let script = ": >threads-$1-$5\n";
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let threads_given = |project: &Project| {
        let names = project.files("").into_iter();
        names
            .filter_map(|name| Some(name.strip_prefix("threads-")?.to_owned()))
            .collect::<Vec<String>>()
    };
    // A single frame has all cores.
    let project = ranges(script, "frames = \"1\"\nretries = 0\n");
    project.call(&["run"]).ends(0);
    assert_eq!(threads_given(&project), [format!("1-{cores}")]);
    let project = ranges(script, "frames = \"1\"\nretries = 0\n");
    project.call(&["run", "--jobs", "8"]).ends(0);
    assert_eq!(threads_given(&project), [format!("1-{cores}")]);
    // One process at a time is left its own choice, and what the job says stays.
    let project = ranges(script, "frames = \"1-3\"\nretries = 0\n");
    project.call(&["run", "--jobs", "1"]).ends(0);
    assert_eq!(threads_given(&project), ["1-"]);
    let project = ranges(script, "frames = \"1\"\nretries = 0\nthreads = 3\n");
    project.call(&["run"]).ends(0);
    assert_eq!(threads_given(&project), ["1-3"]);
}

#[test]
fn what_no_number_of_processes_is_is_refused() {
    let project = kiln("1-2", "jobs = \"many\"\n", "");
    let called = project.call(&["check"]).ends(2);
    assert!(
        called.err.contains("it takes a number from 1, or `auto`"),
        "{}",
        called.err
    );
    let project = kiln("1-2", "memory = \"much\"\n", "");
    let called = project.call(&["check"]).ends(2);
    assert!(
        called.err.contains("it takes a size such as `48GB`"),
        "{}",
        called.err
    );
    let called = project.call(&["run", "--jobs", "none"]).ends(2);
    assert!(
        called.err.contains("it takes a number from 1, or `auto`"),
        "{}",
        called.err
    );
    kiln("1-2", "jobs = \"auto\"\nchunk = 1\n", "")
        .call(&["run"])
        .ends(0);
}
