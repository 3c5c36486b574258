//! However the work is cut, the pictures are those that the plain program makes of the whole clip.
#![allow(clippy::unwrap_used)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::process::Command;

use common::{Project, called, needs, signal};
use rustix::process::Signal;

/// A project whose renderer draws like this; `job` is more of its job file.
fn project(words: &[&str], frames: &str, job: &str) -> Project {
    let (mode, more) = words.split_first().unwrap();
    let more: String = more.iter().map(|word| format!(", \"{word}\"")).collect();
    let project = Project::new(&format!(
        "frames = \"{frames}\"\nretry-pause = \"0.01s\"\npath = \"r/cam.{{frame:04}}.png\"\n\
         run = [\"python3\", \"{{place.job}}/draws.py\", \"{mode}\", \"{{first}}\", \"{{last}}\", \"{{target}}\"{more}]\n{job}"
    ));
    project.write("draws.py", include_str!("fixtures/draws_a_range.py"));
    project
}

/// What the plain program makes of the whole clip, by frame.
fn plain(project: &Project, mode: &str, first: i64, last: i64) -> BTreeMap<String, Vec<u8>> {
    let folder = project.path("plain");
    fs::create_dir_all(&folder).unwrap();
    let starts = fs::read(project.path("starts")).unwrap_or_default();
    let status = Command::new("python3")
        .arg(project.path("draws.py"))
        .args([mode, &first.to_string(), &last.to_string()])
        .arg(folder.join("cam..png"))
        .status();
    assert!(status.unwrap().success());
    fs::write(project.path("starts"), starts).unwrap();
    pictures(project, "plain")
}

/// The pictures in a folder; what was set aside is no part of them.
fn pictures(project: &Project, folder: &str) -> BTreeMap<String, Vec<u8>> {
    let names = project.files(folder).into_iter();
    names
        .filter(|name| !name.contains('/'))
        .map(|name| {
            let bytes = fs::read(project.path(folder).join(&name)).unwrap();
            (name, bytes)
        })
        .collect()
}

/// The ranges that the renderer was started with, sorted.
fn starts(project: &Project) -> Vec<String> {
    let text = fs::read_to_string(project.path("starts")).unwrap_or_default();
    let mut starts: Vec<String> = text.lines().map(str::to_owned).collect();
    starts.sort();
    starts
}

/// How many frames the renderer was asked for.
fn rendered(project: &Project) -> i64 {
    let starts = starts(project).into_iter();
    let frames = starts.map(|range| {
        let (first, last) = range.split_once('-').unwrap();
        last.parse::<i64>().unwrap() - first.parse::<i64>().unwrap() + 1
    });
    frames.sum()
}

#[track_caller]
fn is_complete(project: &Project) {
    let status = project.call(&["status", "--format", "json"]).json();
    assert_eq!(status["complete"], true, "{status}");
    let left: Vec<_> = fs::read_dir(project.path("r"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .filter(|name| name.starts_with('.') || name == "set-aside")
        .collect();
    assert_eq!(left, [""; 0]);
}

#[test]
fn what_depends_on_its_range_is_rendered_in_one_process() {
    if !needs("python3") {
        return;
    }
    for mode in ["clock", "state", "late", "opening"] {
        for jobs in ["1", "4"] {
            let project = project(&[mode], "1-96", "chunk = 6\n");
            let run = project.call(&["run", "--jobs", jobs]).ends(0);
            assert_eq!(
                pictures(&project, "r"),
                plain(&project, mode, 1, 96),
                "{mode} -j{jobs}"
            );
            assert!(
                starts(&project).contains(&"1-96".to_owned()),
                "{:?}",
                starts(&project)
            );
            assert!(run.out.contains("one process for the clip"), "{}", run.out);
            assert!(run.err.contains("{clip.first}"), "{}", run.err);
            is_complete(&project);
        }
    }
}

#[test]
fn what_is_the_same_alone_is_cut_and_costs_two_frames() {
    if !needs("python3") {
        return;
    }
    for jobs in ["1", "4"] {
        let project = project(&["free"], "1-48", "chunk = 6\n");
        let run = project.call(&["run", "--jobs", jobs]).ends(0);
        assert_eq!(pictures(&project, "r"), plain(&project, "free", 1, 48));
        assert_eq!(rendered(&project), 48 + 2, "{:?}", starts(&project));
        assert!(
            run.out.contains("found free by frames 3 and 27"),
            "{}",
            run.out
        );
        let discarded = run.out.lines().find(|line| line.contains("discarded"));
        assert!(discarded.unwrap().contains(" 2 "), "{}", run.out);
        is_complete(&project);
        let why = project.call(&["why", "r/cam.0007.png"]).ends(0);
        assert!(
            why.out.contains("found free by frames 3 and 27"),
            "{}",
            why.out
        );
        let status = project.call(&["status"]).ends(0);
        assert!(
            status.out.contains("found free by frames 3 and 27"),
            "{}",
            status.out
        );
    }
}

#[test]
fn noise_alone_is_no_reason_and_a_still_clip_is_not_cut() {
    if !needs("python3") {
        return;
    }
    let noisy = project(&["noise"], "1-24", "");
    let run = noisy.call(&["run", "--jobs", "2"]).ends(0);
    assert!(run.out.contains("found free by frames"), "{}", run.out);
    is_complete(&noisy);
    let still = project(&["still"], "1-24", "");
    let run = still.call(&["run", "--jobs", "2"]).ends(0);
    assert!(run.out.contains("nothing moves at"), "{}", run.out);
    assert!(starts(&still).contains(&"1-24".to_owned()));
    is_complete(&still);
}

#[test]
fn what_the_job_says_is_not_tested() {
    if !needs("python3") {
        return;
    }
    let never = project(&["free"], "1-24", "split = \"never\"\nchunk = 6\n");
    never.call(&["run", "--jobs", "2"]).ends(0);
    assert_eq!(starts(&never), ["1-24"]);
    is_complete(&never);
    let free = project(&["free"], "1-24", "split = \"free\"\nchunk = 6\n");
    free.call(&["run", "--jobs", "2"]).ends(0);
    assert!(starts(&free).len() >= 4, "{:?}", starts(&free));
    assert_eq!(rendered(&free), 24);
    is_complete(&free);
    // A clip of three frames is one process.
    let short = project(&["state"], "5-7", "chunk = 1\n");
    short.call(&["run", "--jobs", "2"]).ends(0);
    assert_eq!(starts(&short), ["5-7"]);
    assert_eq!(pictures(&short, "r"), plain(&short, "state", 5, 7));
}

#[test]
fn some_frames_of_a_clip_that_may_not_be_split_are_those_of_the_whole_clip() {
    if !needs("python3") {
        return;
    }
    let project = project(&["state"], "1-24", "");
    project.call(&["run", "--frames", "5,9"]).ends(0);
    let whole = plain(&project, "state", 1, 24);
    let there = pictures(&project, "r");
    assert_eq!(
        there.keys().collect::<Vec<_>>(),
        ["cam.0005.png", "cam.0009.png"]
    );
    assert!(there.iter().all(|(name, bytes)| whole[name] == *bytes));
    // The rest: the clip again, and what is there stays. It is known by now.
    let before = starts(&project).len();
    let run = project.call(&["run"]).ends(0);
    assert_eq!(starts(&project).len(), before + 1);
    assert!(
        run.err.contains("rendered besides and thrown away"),
        "{}",
        run.err
    );
    assert_eq!(pictures(&project, "r"), whole);
    is_complete(&project);
}

#[test]
fn gaps_are_rendered_and_thrown_away_where_the_clip_may_not_be_split() {
    if !needs("python3") {
        return;
    }
    let project = project(&["state"], "1-40/3", "");
    project.call(&["run", "--jobs", "2"]).ends(0);
    let whole = plain(&project, "state", 1, 40);
    let there = pictures(&project, "r");
    assert_eq!(there.len(), 14);
    assert!(there.iter().all(|(name, bytes)| whole[name] == *bytes));
    is_complete(&project);
}

#[test]
fn what_is_lost_of_a_clip_means_the_clip_again() {
    if !needs("python3") {
        return;
    }
    let once = project(&["state", "dies=18", "once"], "1-24", "split = \"never\"\n");
    let run = once.call(&["run", "--jobs", "2"]).ends(0);
    assert!(
        run.err.contains("the clip is rendered again"),
        "{}",
        run.err
    );
    assert_eq!(starts(&once), ["1-24", "1-24"]);
    assert_eq!(pictures(&once, "r"), plain(&once, "state", 1, 24));
    is_complete(&once);
    let always = project(
        &["state", "dies=18"],
        "1-24",
        "split = \"never\"\nretries = 1\n",
    );
    let run = always.call(&["run"]).ends(1);
    assert!(
        run.out
            .contains("its clip may not be split, and the process always ends at frame 17"),
        "{}",
        run.out
    );
    let whole = plain(&always, "state", 1, 24);
    let there = pictures(&always, "r");
    // Nothing proves the last one, which the process may still have been at.
    assert_eq!(there.len(), 16);
    assert!(there.iter().all(|(name, bytes)| whole[name] == *bytes));
}

#[test]
fn a_run_that_is_killed_while_it_finds_out_publishes_nothing_wrong() {
    if !needs("python3") {
        return;
    }
    // In the row, in the frame alone, and in the whole clip; and in a row of which two frames are gaps.
    for (waits, frames, last, wanted) in [
        ("2", "1-24", 24, 24),
        ("3", "1-24", 24, 24),
        ("17", "1-24", 24, 24),
        ("4", "1-40/3", 40, 14),
    ] {
        let project = project(&["state", &format!("waits={waits}")], frames, "");
        let mut run = project.start();
        while !project.path("waits").exists() {
            std::thread::yield_now();
        }
        signal(&run, Signal::KILL);
        run.wait().unwrap();
        project.write("go", "");
        let whole = plain(&project, "state", 1, last);
        let are_right = || {
            for (name, bytes) in pictures(&project, "r") {
                assert_eq!(whole[&name], bytes, "waits at {waits}: {name}");
            }
        };
        are_right();
        project.call(&["run"]).ends(0);
        are_right();
        assert_eq!(pictures(&project, "r").len(), wanted, "waits at {waits}");
        is_complete(&project);
    }
}

#[test]
fn several_runs_agree_on_a_clip() {
    if !needs("python3") {
        return;
    }
    for mode in ["state", "free"] {
        let project = project(&[mode], "1-48", "chunk = 6\n");
        let start = |name: &str| {
            let mut command = project.command(&["run", "--jobs", "2"]);
            command.env("TRUEPATH_MACHINE", name).output()
        };
        std::thread::scope(|scope| {
            let runs = ["one", "two", "three"].map(|name| scope.spawn(move || start(name)));
            for run in runs {
                let output = run.join().unwrap().unwrap();
                assert!(
                    output.status.success(),
                    "{}",
                    String::from_utf8_lossy(&output.stderr)
                );
            }
        });
        assert_eq!(
            pictures(&project, "r"),
            plain(&project, mode, 1, 48),
            "{mode}"
        );
        is_complete(&project);
        let found = fs::read_dir(project.path(".truepath/ledger")).unwrap();
        let found: usize = found
            .map(|entry| fs::read_to_string(entry.unwrap().path()).unwrap())
            .map(|text| text.matches("\"split\":{\"key\"").count())
            .sum();
        assert_eq!(found, 1, "one run finds it out");
    }
}

/// Runs the script `night.sh`.
fn run_script(project: &Project) {
    let mut script = Command::new("sh");
    script.arg(project.path("night.sh"));
    script.current_dir(project.path(""));
    let ended = called(script);
    assert_eq!(ended.code, Some(0), "{}", ended.err);
}

#[test]
fn scripts_and_bundles_render_in_one_process_what_nobody_says_to_be_free() {
    if !needs("python3") {
        return;
    }
    let project = project(&["state"], "1-24", "chunk = 6\n");
    let whole = plain(&project, "state", 1, 24);
    project
        .call(&["commands", "--as", "sh", "--to", "night.sh"])
        .ends(0);
    run_script(&project);
    assert_eq!(starts(&project), ["1-24"]);
    assert_eq!(pictures(&project, "r"), whole);
    // Some frames: the clip is rendered, and no other frame is left anywhere.
    fs::remove_dir_all(project.path("r")).unwrap();
    fs::remove_file(project.path("night.sh")).unwrap();
    project
        .call(&[
            "commands", "--as", "sh", "--frames", "5,9", "--to", "night.sh",
        ])
        .ends(0);
    run_script(&project);
    let there = pictures(&project, "r");
    assert_eq!(
        there.keys().collect::<Vec<_>>(),
        ["cam.0005.png", "cam.0009.png"]
    );
    assert!(there.iter().all(|(name, bytes)| whole[name] == *bytes));
    // Shares: one of them has all of it.
    let frames: Vec<usize> = ["1/2", "2/2"]
        .iter()
        .map(|part| {
            project
                .call(&["paths", "--share", part, "--all"])
                .ends(0)
                .out
        })
        .map(|out| out.matches("cam.").count())
        .collect();
    assert!(frames.contains(&24) && frames.contains(&0), "{frames:?}");
}

#[test]
fn a_trial_finds_it_out_before_the_night() {
    if !needs("python3") {
        return;
    }
    let project = Project::new(
        "[project]\nframes = \"1-24\"\nsize = \"24x24\"\nsame-picture = \"it draws one size\"\n\
         run = [\"python3\", \"{place.job}/draws.py\", \"state\", \"{first}\", \"{last}\", \"{target}\"]\n\
         [shot.dawn]\n[output.cam]\npath = \"r/cam.{frame:04}.png\"\n\
         [preset.look]\nonly = \"first-middle-last\"\nsubfolder = \"look\"\n",
    );
    project.write("draws.py", include_str!("fixtures/draws_a_range.py"));
    let trial = project.call(&["run", "--preset", "look"]).ends(0);
    assert!(
        trial.err.contains("size and look, not motion"),
        "{}",
        trial.err
    );
    let before = starts(&project).len();
    project.call(&["run", "--jobs", "4"]).ends(0);
    assert_eq!(starts(&project).len(), before + 1, "{:?}", starts(&project));
    let there = pictures(&project, "r");
    assert_eq!(there, plain(&project, "state", 1, 24));
}

#[test]
fn nothing_works_is_found_out_with_five_starts() {
    if !needs("python3") {
        return;
    }
    let lines = [
        // A range of which nobody says whether it may be split, one that may be, and a frame a process.
        ("\"{first}\", \"{last}\"", ""),
        ("\"{first}\", \"{last}\"", "split = \"free\"\n"),
        ("\"{first}\", \"{last}\"", "split = \"free\"\nchunk = 8\n"),
        ("\"{frame}\", \"{frame}\"", ""),
        ("\"{frame}\", \"{frame}\"", "order = \"spread\"\n"),
    ];
    for (range, more) in lines {
        for jobs in ["1", "2", "4", "auto"] {
            let project = Project::new(&format!(
                "frames = \"0-239\"\npath = \"r/cam.{{frame:04}}.png\"\n\
                 run = [\"python3\", \"{{place.job}}/fails.py\", {range}, \"{{target}}\"]\n{more}"
            ));
            project.write(
                "fails.py",
                "import sys, os\nhere = os.path.dirname(os.path.abspath(__file__))\n\
                 open(os.path.join(here, 'starts'), 'a').write(sys.argv[1] + '-' + sys.argv[2] + '\\n')\n\
                 print('error: no licence')\nsys.exit(9)\n",
            );
            let run = project.call(&["run", "--jobs", jobs]).ends(1);
            let case = format!("{range} {more} -j{jobs}");
            assert_eq!(starts(&project).len(), 5, "{case}: {:?}", starts(&project));
            assert!(
                run.out.contains("235 frames were not tried"),
                "{case}: {}",
                run.out
            );
            assert!(run.out.contains("no licence"), "{case}: {}", run.out);
        }
    }
}
