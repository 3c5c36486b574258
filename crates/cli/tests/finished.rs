//! When a frame is finished: a rough picture of an engine that dies, hangs or is stopped never gets a
//! true name, whatever the engine, the frame and the end; frames before it that are finished do.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::path::Path;
use std::process::{Child, Stdio};

use common::{Project, picture, signal};
use rustix::process::Signal;

/// What an engine does at the bad frame, once it has left its picture there.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Ending {
    /// It leaves the final picture, says so, and is killed.
    SaysItIsFinal,
    /// It leaves the final picture, begins the next frame roughly, and is killed.
    BeginsTheNext,
    ExitsWith(i32),
    Killed,
    /// It hangs until `frame-timeout`.
    TimedOut,
    /// It hangs, and the run is interrupted twice.
    Interrupted,
    /// It hangs, and the run is killed.
    RunKilled,
    /// It hangs, and the run and the engine's log die before the run hears more.
    SavedAndKilled,
}

/// How the engine is described.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Described {
    RunLine,
    Profile,
    /// A profile whose log patterns name files.
    ProfileWithLog,
}

impl Ending {
    fn script(self) -> String {
        match self {
            Self::SaysItIsFinal => {
                "cp final.png $to/p$f.png; echo wrote p$f.png; kill -9 $$".into()
            }
            Self::BeginsTheNext => {
                "cp final.png $to/p$f.png; sleep 0.02; cp rough.png $to/p$((f + 1)).png; kill -9 $$"
                    .into()
            }
            Self::ExitsWith(code) => format!("cp rough.png $to/p$f.png; exit {code}"),
            Self::Killed => "cp rough.png $to/p$f.png; kill -9 $$".into(),
            Self::SavedAndKilled => {
                "cp rough.png $to/p$f.png; echo saved p$f.png; kill -9 $$".into()
            }
            Self::TimedOut | Self::Interrupted | Self::RunKilled => {
                "cp rough.png $to/p$f.png; touch hangs; exec sleep 600".into()
            }
        }
    }

    /// Whether the picture that it leaves is published.
    fn is_published(self, described: Described) -> bool {
        match self {
            Self::SaysItIsFinal => described == Described::ProfileWithLog,
            Self::BeginsTheNext => true,
            _ => false,
        }
    }
}

/// A project whose engine ends badly at a frame unless there is a file `fixed`.
fn project(described: Described, frames: &str, bad: i64, ending: Ending) -> Project {
    let run = "[\"sh\", \"{place.job}/engine.sh\", \"{first}\", \"{last}\", \"{target.folder}\"]";
    let engine = match described {
        Described::RunLine => format!("run = {run}"),
        Described::Profile | Described::ProfileWithLog => "engine = \"brass\"".to_owned(),
    };
    let limit = match ending {
        Ending::TimedOut => "frame-timeout = \"0.4s\"\n",
        _ => "",
    };
    let project = Project::new(&format!(
        "frames = \"{frames}\"\nsplit = \"free\"\n{engine}\npath = \"out/kiln.{{frame:04}}.png\"\nretries = 0\n{limit}"
    ));
    if described != Described::RunLine {
        let log = match described {
            Described::ProfileWithLog => {
                "log = [{ file = '^wrote (?P<file>.*)' }, { saved = '^saved (?P<file>.*)' }]\n"
            }
            _ => "",
        };
        project.write(
            "engines/brass.toml",
            &format!(
                "engine = {{ name = \"brass\", program = \"sh\", frames = \"range\" }}\nin-order = true\n\
                 arguments = [\"{{place.job}}/engine.sh\", \"{{first}}\", \"{{last}}\", \"{{target.folder}}\"]\n\
                 output-name = \"p{{frame:?}}.png\"\n{log}"
            ),
        );
    }
    project.write(
        "engine.sh",
        &format!(
            "cd \"$(dirname \"$0\")\"\nto=$3\necho start >>starts\n\
             for f in $(seq $1 $2); do\n  if [ $f = {bad} ] && [ ! -e fixed ]; then\n    {}\n  fi\n  \
             cp final.png $to/p$f.png\n  echo wrote p$f.png\ndone\n",
            ending.script()
        ),
    );
    fs::write(project.path("final.png"), picture(1)).unwrap();
    fs::write(project.path("rough.png"), picture(2)).unwrap();
    project
}

fn start(project: &Project) -> Child {
    let mut run = project.command(&["run"]);
    let run = run.stdout(Stdio::null()).stderr(Stdio::null());
    run.spawn().unwrap()
}

/// Waits until the engine hangs.
fn until_it_hangs(project: &Project) {
    while !project.path("hangs").exists() {
        std::thread::yield_now();
    }
}

fn run_badly(project: &Project, ending: Ending) {
    match ending {
        Ending::Interrupted => {
            let mut run = start(project);
            until_it_hangs(project);
            // Two that come at once may count as one.
            let ended = loop {
                signal(&run, Signal::INT);
                match run.try_wait().unwrap() {
                    Some(ended) => break ended,
                    None => std::thread::sleep(std::time::Duration::from_millis(5)),
                }
            };
            assert_eq!(ended.code(), Some(130));
        }
        Ending::RunKilled => {
            let mut run = start(project);
            until_it_hangs(project);
            run.kill().unwrap();
            run.wait().unwrap();
        }
        _ => {
            project.call(&["run", "--jobs", "1"]);
        }
    }
}

/// Every frame under a true name, and whether it is the final picture.
fn published(project: &Project) -> Vec<(i64, bool)> {
    let wanted = fs::read(project.path("final.png")).unwrap();
    let files = project.files("out");
    let frames = files.iter().filter_map(|name| {
        let frame = name.strip_prefix("kiln.")?.strip_suffix(".png")?;
        let bytes = fs::read(project.path("out").join(name)).unwrap();
        Some((frame.parse().unwrap(), bytes == wanted))
    });
    frames.collect()
}

fn every_case(ending: Ending) {
    for described in [
        Described::RunLine,
        Described::Profile,
        Described::ProfileWithLog,
    ] {
        for (frames, bad) in [("7", 7), ("1-5", 1), ("1-5", 3), ("1-5", 5)] {
            let case = format!("{ending:?}, {described:?}, frame {bad} of {frames}");
            // A single frame has no next one.
            if ending == Ending::BeginsTheNext && bad != 3 && bad != 1 {
                continue;
            }
            let project = project(described, frames, bad, ending);
            run_badly(&project, ending);
            let there = published(&project);
            assert!(
                there.iter().all(|(_, is_final)| *is_final),
                "{case}: {there:?}"
            );
            let is_there = there.iter().any(|(frame, _)| *frame == bad);
            assert_eq!(
                is_there,
                ending.is_published(described),
                "{case}: {there:?}"
            );
            if !matches!(ending, Ending::Interrupted | Ending::RunKilled) {
                // What can be rendered is rendered, wherever the bad frame stands.
                let others = if frames == "7" { 0 } else { 4 };
                let good = there.iter().filter(|(frame, _)| *frame != bad).count();
                assert_eq!(good, others, "{case}: {there:?}");
            }
            // An audit agrees with what the disk shows.
            let audit = project.audit();
            let valid = &audit["deliverables"][0]["valid"];
            assert_eq!(*valid, there.len(), "{case}: {audit}");
            // Fixed, the next run brings the final picture and leaves nothing else.
            project.write("fixed", "");
            project.call(&["run"]).ends(0);
            let there = published(&project);
            let count = if frames == "7" { 1 } else { 5 };
            assert_eq!(there.len(), count, "{case}: {there:?}");
            assert!(
                there.iter().all(|(_, is_final)| *is_final),
                "{case}: {there:?}"
            );
            assert_eq!(
                project.files("out").len(),
                count,
                "{case}: {:?}",
                project.files("out")
            );
            assert_eq!(hidden(&project.path("out")), 0, "{case}");
        }
    }
}

fn hidden(folder: &Path) -> usize {
    let entries = fs::read_dir(folder).unwrap().flatten();
    entries
        .filter(|entry| entry.file_name().to_string_lossy().starts_with('.'))
        .count()
}

#[test]
fn an_engine_that_names_its_final_file_and_is_killed() {
    every_case(Ending::SaysItIsFinal);
}

#[test]
fn an_engine_that_is_killed_in_the_next_frame() {
    every_case(Ending::BeginsTheNext);
}

#[test]
fn an_engine_that_exits_with_a_code() {
    for code in [1, 211] {
        every_case(Ending::ExitsWith(code));
    }
}

#[test]
fn an_engine_that_is_killed() {
    every_case(Ending::Killed);
}

#[test]
fn an_engine_that_saves_an_intermediate_picture_and_is_killed() {
    every_case(Ending::SavedAndKilled);
}

#[test]
fn an_engine_that_is_ended_at_a_limit() {
    every_case(Ending::TimedOut);
}

#[test]
fn a_run_that_is_interrupted() {
    every_case(Ending::Interrupted);
}

#[test]
fn a_run_that_is_killed() {
    every_case(Ending::RunKilled);
}

/// An engine that renders all frames and ends with a code that does not mean success.
fn odd_code(run: &str, more: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"1-4\"\nsplit = \"free\"\nrun = {run}\npath = \"out/kiln.{{frame:04}}.png\"\n{more}"
    ));
    project.write(
        "engine.sh",
        "cd \"$(dirname \"$0\")\"\necho start >>starts\nfor f in $(seq $1 $2); do cp final.png $3/p$f.png; sleep 0.01; done\nexit 3\n",
    );
    fs::write(project.path("final.png"), picture(1)).unwrap();
    project
}

const RANGE: &str = r#"["sh", "{place.job}/engine.sh", "{first}", "{last}", "{target.folder}"]"#;

#[test]
fn a_code_at_the_very_end_costs_one_more_try_and_is_explained() {
    let project = odd_code(RANGE, "");
    let called = project.call(&["run", "--jobs", "1"]).ends(1);
    // Three are proven by the next, the last one is rendered once more.
    assert_eq!(published(&project).len(), 3, "{}", called.out);
    assert_eq!(project.read("starts").lines().count(), 2, "{}", called.err);
    assert!(called.out.contains("`success-codes`"), "{}", called.out);
    assert!(called.out.contains("--accept-unproven"), "{}", called.out);
    // The picture is kept, and taken when the user says so, without rendering it again.
    assert_eq!(project.files("out/set-aside"), ["unproven-kiln.0004.png"]);
    project.call(&["run", "--accept-unproven"]).ends(0);
    assert_eq!(project.read("starts").lines().count(), 2);
    assert_eq!(project.files("out").len(), 4);
    assert_eq!(project.audit()["deliverables"][0]["valid"], 4);
}

#[test]
fn a_code_that_the_job_calls_success_is_success() {
    let project = odd_code(RANGE, "success-codes = [3]\n");
    project.call(&["run", "--jobs", "1"]).ends(0);
    assert_eq!(project.read("starts").lines().count(), 1);
}

#[test]
fn what_does_not_work_in_order_is_proven_by_success_alone() {
    let project = odd_code(RANGE, "in-order = false\nretries = 0\n");
    project.call(&["run"]).ends(1);
    assert!(published(&project).is_empty());
}

#[test]
fn the_reason_is_the_engines_most_useful_line() {
    let project = Project::new(
        "frames = \"1\"\nrun = [\"sh\", \"{place.job}/engine.sh\", \"{frame}\", \"{target}\"]\n\
         path = \"out/kiln.{frame:04}.png\"\nretries = 0\n",
    );
    for (script, reason) in [
        (
            "echo reading; echo 'kiln.scene:12: error: no lamp'; echo giving up; exit 200",
            "exit code 200: kiln.scene:12: error: no lamp",
        ),
        ("echo one; echo two; exit 4", "exit code 4: two"),
        ("kill -11 $$", "was ended by signal 11 (SIGSEGV)"),
        (
            "exit 137",
            "exit code 137 (from a shell: its program was ended by signal 9 (SIGKILL))",
        ),
        ("exit 255", "exit code 255"),
    ] {
        project.write("engine.sh", script);
        let called = project.call(&["run"]).ends(1);
        assert!(called.out.contains(reason), "{script}: {}", called.out);
    }
}
