//! A run with nobody watching: retries, takeovers, licences, checkpoints, signals, warnings, the end.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, Command, Stdio};

use common::{Project, kiln, needs, scene, wrote};
use rustix::process::{Pid, Signal, kill_process};

fn ledgers(project: &Project) -> String {
    let mut all = String::new();
    for ledger in fs::read_dir(project.path(".truepath/ledger"))
        .unwrap()
        .flatten()
    {
        all.push_str(&fs::read_to_string(ledger.path()).unwrap());
    }
    all
}

fn logs(project: &Project) -> usize {
    let folders = fs::read_dir(project.path(".truepath/logs"))
        .unwrap()
        .flatten();
    folders
        .map(|folder| fs::read_dir(folder.path()).unwrap().count())
        .sum()
}

/// Starts a run as on a machine of this name, and waits for a line of it.
fn on(project: &Project, machine: &str, arguments: &[&str], line: &str) -> Child {
    let mut run = project
        .command(&[&["run", "--verbose"], arguments].concat())
        .env("TRUEPATH_MACHINE", machine)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(run.stderr.take().unwrap()).lines();
    assert!(
        lines.any(|one| one.unwrap().contains(line)),
        "no line with {line}"
    );
    // The rest is read too, so that the run never waits for it.
    std::thread::spawn(move || lines.for_each(drop));
    run
}

fn signal(run: &Child, signal: Signal) {
    let id = Pid::from_raw(run.id().try_into().unwrap()).unwrap();
    kill_process(id, signal).unwrap();
}

#[test]
fn the_time_left_is_reported_from_what_it_took_before() {
    let project = Project::new(
        "scene = \"dawn.toml\"\nengine = \"understudy\"\nframes = \"1-40\"\nchunk = 10\n\
         path = \"r/{shot}.{frame:04}.png\"\nsize = \"64x64\"\nsettings = { samples = 2 }\n",
    );
    project.write("dawn.toml", &scene("[mishap]\nslow = 330\n"));
    let begun = |arguments: &[&str]| {
        let run = project.call(&[&["run"], arguments].concat());
        let shown = run.err.lines().find(|line| line.contains(" wanted, "));
        shown.unwrap().to_owned()
    };
    // Nothing is known yet.
    assert_eq!(begun(&["--trial"]), "3 files wanted, none is there yet");
    let trial = "\"frames\":1.0,\"pixels\":64,\"samples\":2.0";
    assert!(ledgers(&project).contains(trial), "{}", ledgers(&project));
    // From the trial, in other pixels and samples.
    let first = begun(&["--frames", "1-20"]);
    assert!(
        first.starts_with("20 files wanted, none is there yet; about "),
        "{first}"
    );
    assert!(first.ends_with(" left, by what it took before"), "{first}");
    assert!(ledgers(&project).contains("\"frames\":10.0,\"pixels\":4096,\"samples\":2.0"));
    // Nothing is left, and nothing is foretold.
    assert_eq!(
        begun(&["--frames", "1-20"]),
        "20 files wanted, 20 are there already"
    );
}

fn made_up(profile: &str, script: &str, job: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"dawn.toml\"\nengine = \"made-up\"\npath = \"r/{{shot}}.{{frame:04}}.png\"\n{job}"
    ));
    project.write("dawn.toml", "a scene");
    let head = "engine = { name = \"made-up\", program = \"./made-up\", frames = \"one\"";
    project.write("engines/made-up.toml", &format!("{head}{profile}"));
    project.write("made-up", &format!("#!/bin/sh\nset -e\n{script}"));
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    fs::set_permissions(project.path("made-up"), mode).unwrap();
    let drawn = kiln("1", "", "");
    drawn.call(&["run"]).ends(0);
    fs::copy(drawn.path("renders/kiln.0001.png"), project.path("one.png")).unwrap();
    project
}

#[test]
fn a_chunk_that_keeps_failing_is_halved_until_the_bad_frame_is_alone() {
    // This engine does not say which frame it is at, and writes nothing unless all goes well.
    let script = "for frame in $(seq $1 $2); do [ $frame = 11 ] && exit 4; done\n\
                  for frame in $(seq $1 $2); do cp \"$3/one.png\" p$frame.png; done\n";
    let project = made_up(
        " }\narguments = [\"{first}\", \"{last}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1-16\"\nchunk = 16\nretries = 1\nretry-pause = \"0.01s\"\n",
    );
    let profile = project
        .read("engines/made-up.toml")
        .replace("\"one\"", "\"range\"");
    project.write("engines/made-up.toml", &profile);
    let called = project.call(&["run"]).ends(1);
    assert_eq!(project.files("r").len(), 15, "{}", called.out);
    assert!(
        called
            .out
            .contains("frame 11\n        the engine ended with exit code 4"),
        "{}",
        called.out
    );
    assert!(
        called.err.contains("tried again in 0.01s"),
        "{}",
        called.err
    );
    // 1-16 twice, then halves of what is left: 1-8, 9-16; 9-12, 13-16; 9-10, 11-12; 11, 12.
    assert!(logs(&project) <= 12, "{}", called.err);
}

#[test]
fn what_a_dead_machine_held_is_taken_over_once() {
    let project = kiln(
        "1-12",
        "chunk = 4\ndead-after = \"1s\"\n",
        "[mishap]\nhang-at = 3\n",
    );
    let mut north = on(&project, "north", &[], "frame 2 ");
    let south = on(&project, "south", &[], "started");
    let east = on(&project, "east", &[], "started");
    north.kill().unwrap();
    north.wait().unwrap();
    // What hung does not hang any more, and the pictures are the same.
    project.write("kiln.toml", &scene("[mishap]\n"));
    let ended = [south, east].map(|run| run.wait_with_output().unwrap());
    let shown: String = ended
        .iter()
        .map(|one| String::from_utf8_lossy(&one.stdout).into_owned())
        .collect();
    // The scene is another now, so they stop where they had not begun: the point is who took over.
    assert_eq!(
        ledgers(&project).matches("\"recovered\"").count(),
        1,
        "{shown}"
    );
    assert!(
        shown.contains("recovered") || shown.contains("changed"),
        "{shown}"
    );
    for name in ["0001", "0001.dead", "0001.beat", "0001.wants"] {
        assert!(
            !project.path(&format!(".truepath/sessions/{name}")).exists(),
            "{name}"
        );
    }
    project.call(&["run", "--rerender-stale"]).ends(0);
}

#[test]
fn a_licence_limit_holds_over_two_machines() {
    // The engine itself sees whether another of its kind is at work.
    let script = "mkdir \"$2/busy\" || { echo 'error: no licence'; exit 9; }\ncp \"$2/one.png\" p$1.png\n\
                  sleep 0.02\nrmdir \"$2/busy\"\n";
    let project = made_up(
        " }\nmax-processes = 1\narguments = [\"{frame}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1-24\"\nretries = 0\n",
    );
    let south = on(&project, "south", &["--jobs", "3"], "wanted");
    let north = on(&project, "north", &["--jobs", "3"], "wanted");
    for run in [south, north] {
        let output = run.wait_with_output().unwrap();
        let out = String::from_utf8_lossy(&output.stdout).into_owned();
        assert!(output.status.success(), "{out}");
    }
    assert_eq!(project.files("r").len(), 24);
    assert_eq!(logs(&project), 24);
}

#[test]
fn checkpoints_are_taken_while_it_works_and_the_last_are_kept() {
    let script = "for i in $(seq 1 60); do echo $i >p$1.state; sleep 0.02; done\nexit 5\n";
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n\
         checkpoint = { files = \"p{frame:?}.state\", put = \"--go-on\" }\n",
        script,
        "frames = \"1\"\nretries = 0\ncheckpoint = { every = \"0.1s\", keep = 2 }\n",
    );
    project.call(&["run"]).ends(1);
    let kept = project.files(".truepath/checkpoints");
    assert_eq!(kept.len(), 2, "{kept:?}");
    let numbers: Vec<u32> = kept
        .iter()
        .map(|name| name.rsplit('~').next().unwrap().parse().unwrap())
        .collect();
    assert!(numbers[1] > 3, "they were taken all along: {kept:?}");
    // The last of them is what stood there at the end.
    let last = kept.iter().max_by_key(|name| name.len()).unwrap();
    assert!(
        !project
            .read(&format!(".truepath/checkpoints/{last}"))
            .is_empty()
    );
}

#[test]
fn a_checkpoint_that_an_engine_fails_on_is_passed_over() {
    // It gets one part further each time, but for what it writes second, which it cannot read.
    let script = r#"
state=p$1.state
case "$(cat $state 2>/dev/null)" in
  '')     echo first >$state; exit 1 ;;
  first)  if [ -e ../../seen ]; then cp ../../one.png p$1.png; exit 0; fi
          touch ../../seen; echo broken >$state; exit 1 ;;
  broken) echo "cannot read $state"; exit 1 ;;
esac
"#;
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n\
         checkpoint = { files = \"p{frame:?}.state\", put = \"--go-on\" }\n",
        script,
        "frames = \"1\"\nsize = \"48x32\"\nretries = 0\n",
    );
    let numbers = || -> Vec<String> {
        let kept = project.files(".truepath/checkpoints");
        kept.iter()
            .map(|name| name.rsplit('~').next().unwrap().to_owned())
            .collect()
    };
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1"]);
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1", "2"]);
    // What it fails on is not kept again and again.
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1", "2"]);
    project
        .call(&["run", "--set", "retries=1", "--set", "retry-pause=0.01s"])
        .ends(0);
    assert_eq!(numbers(), [""; 0]);
}

#[test]
fn the_understudy_goes_on_with_a_frame_after_a_crash() {
    let project = kiln(
        "1",
        "checkpoint = { every = \"0.05s\" }\n",
        "[mishap]\nslow = 2000\nparts = true\n",
    );
    let events = project.path("events.jsonl");
    let mut run = on(
        &project,
        "north",
        &["--events", events.to_str().unwrap()],
        "started",
    );
    while !fs::read_to_string(&events)
        .unwrap_or_default()
        .contains("\"percent\":60")
    {
        std::thread::yield_now();
    }
    signal(&run, Signal::INT);
    let mut printed = String::new();
    run.stdout
        .take()
        .unwrap()
        .read_to_string(&mut printed)
        .unwrap();
    run.wait().unwrap();
    assert!(
        printed.contains("in the middle of frame 1; the next run continues it from its checkpoint"),
        "{printed}"
    );
    let called = project.call(&["run"]).ends(0);
    assert!(called.out.contains("complete"), "{}", called.out);
    assert!(
        called
            .err
            .contains("frame 1 is continued from its checkpoint"),
        "{}",
        called.err
    );
    assert!(called.out.contains("continued"), "{}", called.out);
    let log = fs::read_dir(project.path(".truepath/logs/0002"))
        .unwrap()
        .next()
        .unwrap();
    let log = fs::read_to_string(log.unwrap().path()).unwrap();
    assert!(log.contains("going on from part"), "{log}");
    assert_eq!(project.files(".truepath/checkpoints").len(), 0);
}

#[test]
fn an_interrupt_finishes_what_is_nearly_done_and_a_second_one_stops_at_once() {
    let project = kiln("1-9", "", "[mishap]\nhang-at = 4\n");
    let run = on(&project, "north", &[], "frame 3 ");
    signal(&run, Signal::INT);
    signal(&run, Signal::INT);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    assert_eq!(project.files("renders").len(), 3);
    // Once: the frame at work is finished, and no other is begun.
    let slow = kiln(
        "1-60",
        "checkpoint = { every = \"1h\" }\n",
        "[mishap]\nslow = 100\n",
    );
    let run = on(&slow, "north", &[], "frame 2 ");
    signal(&run, Signal::INT);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    let there = slow.files("renders").len();
    assert!((2..10).contains(&there), "{there}");
    // Neither left anything behind, and both are gone on with.
    slow.write("kiln.toml", &slow.read("kiln.toml"));
    slow.call(&["run"]).ends(0);
    let mut frames = wrote(&slow);
    frames.sort();
    frames.dedup();
    assert_eq!(frames.len(), 60);
}

#[test]
fn warnings_that_no_earlier_run_had_come_first() {
    let project = kiln("1-6", "", "[mishap]\nnoisy = 2\n");
    let first = project.call(&["run", "--frames", "1-3"]).ends(0);
    assert!(
        first
            .out
            .contains("warning 6 times, new: lamp 0 of frame 1 flickers"),
        "{}",
        first.out
    );
    assert!(first.out.contains("line 4"), "{}", first.out);
    let second = project
        .call(&["run", "--set", "settings.fog=3", "--ignore", "TP514"])
        .ends(1);
    let at = |text: &str| {
        second
            .out
            .find(text)
            .unwrap_or_else(|| panic!("{text}: {}", second.out))
    };
    let new = at("warning 1 time, new: the scene has no setting `fog`");
    assert!(new < at("warning 6 times: lamp 0"), "{}", second.out);
}

#[test]
fn a_scene_that_changes_stops_new_chunks_or_is_reported() {
    for (key, code) in [("", 1), ("scene-changes = \"report\"\n", 0)] {
        let project = kiln(
            "1-40",
            &format!("chunk = 2\n{key}"),
            "[mishap]\nslow = 20\n",
        );
        let run = on(&project, "north", &[], "frame 3 ");
        project.write("kiln.toml", &scene("[mishap]\nslow = 1\n"));
        let output = run.wait_with_output().unwrap();
        let out = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(output.status.code(), Some(code), "{out}");
        assert_eq!(
            out.contains("a sequence must not mix two states of it"),
            code == 1,
            "{out}"
        );
    }
}

#[test]
fn a_file_that_the_scene_needs_and_that_changes_stops_new_chunks() {
    let project = kiln("1-60", "chunk = 2\n", "[mishap]\nslow = 50\n");
    project.write("kiln.toml.facts.json", "{ \"files\": [\"brass.txt\"] }");
    project.write("brass.txt", "polished");
    let run = on(&project, "north", &[], "frame 3 ");
    project.write("brass.txt", "tarnished");
    let output = run.wait_with_output().unwrap();
    let out = String::from_utf8_lossy(&output.stdout).into_owned();
    assert_eq!(output.status.code(), Some(1), "{out}");
    assert!(out.contains("brass.txt, which the scene"), "{out}");
    assert!(project.files("renders").len() < 60);
}

#[test]
fn a_run_that_is_given_a_time_stops_then() {
    let project = kiln("1-60", "chunk = 2\n", "[mishap]\nslow = 50\n");
    let called = project
        .call(&["run", "--for", "0.5s", "--low-priority"])
        .ends(1);
    assert!(called.out.contains("stopped"), "{}", called.out);
    assert!(called.out.contains("its time is over"), "{}", called.out);
    assert!(project.files("renders").len() < 60);
    let wrong = project.call(&["run", "--until", "7 pm"]).ends(2);
    assert!(wrong.err.contains("07:00"), "{}", wrong.err);
}

#[test]
fn several_jobs_run_in_order_each_with_its_own_state() {
    let project = kiln("1-2", "", "");
    let job = project.read("truepath.toml").replace("renders/", "other/");
    project.write(
        "other/second.toml",
        &job.replace("other/", "renders/")
            .replace("kiln.toml", "../kiln.toml"),
    );
    project.write("broken.toml", "frames = ");
    let called = project
        .call(&[
            "run",
            "truepath.toml",
            "broken.toml",
            "other/second.toml",
            "--then",
            "echo $TRUEPATH_RESULT $TRUEPATH_THERE of $TRUEPATH_WANTED >>shown",
            "--then-each",
            "echo $TRUEPATH_JOB $TRUEPATH_RESULT >>each",
        ])
        .ends(2);
    assert_eq!(project.read("shown"), "aborted 4 of 4\n");
    assert_eq!(
        project.read("each"),
        "truepath.toml complete\nbroken.toml aborted\nother/second.toml complete\n"
    );
    // A line for each at the end, the worst last.
    let lines: Vec<&str> = called.out.lines().rev().take(3).collect();
    assert!(
        lines[0].starts_with("aborted       broken.toml"),
        "{}",
        called.out
    );
    assert!(
        lines[1].starts_with("complete      other/second.toml"),
        "{}",
        called.out
    );
    assert!(
        lines[2].starts_with("complete      truepath.toml"),
        "{}",
        called.out
    );
    assert_eq!(project.files("other/renders").len(), 2);
    assert!(project.path("other/.truepath/ledger/0001.jsonl").is_file());
}

#[test]
fn the_end_is_reported_to_a_command_and_to_an_address() {
    let project = kiln("1-2", "", "[mishap]\nfail-at = 2\n");
    let then = "echo $TRUEPATH_RESULT $TRUEPATH_THERE of $TRUEPATH_WANTED >shown";
    project
        .call(&["run", "--then", then, "--then-when", "success"])
        .ends(1);
    assert!(!project.path("shown").exists());
    project.call(&["run", "--then", then]).ends(1);
    assert_eq!(project.read("shown"), "not-complete 1 of 2\n");
    // One that cannot even begin is reported as well: nobody watches.
    let whole = project.read("truepath.toml");
    project.write("truepath.toml", &whole.replace("kiln.toml", "kilm.toml"));
    let then = "echo $TRUEPATH_JOB $TRUEPATH_RESULT: $TRUEPATH_REASON >shown";
    project.call(&["run", "--then", then]).ends(1);
    let shown = project.read("shown");
    assert!(
        shown.ends_with("truepath.toml aborted: the job has errors, so nothing was rendered\n"),
        "{shown}"
    );
    project.write("truepath.toml", &whole.replace("scene", "scnee"));
    project
        .call(&["run", "--then", then, "--then-when", "failure"])
        .ends(2);
    assert!(
        project.read("shown").starts_with("truepath.toml aborted: "),
        "{}",
        project.read("shown")
    );
    project.write("truepath.toml", &whole);
    if !needs("curl") {
        return;
    }
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}/shown", listener.local_addr().unwrap());
    let server = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let mut seen = String::new();
        let mut buffer = [0; 4096];
        while !seen.trim_end().ends_with('}') {
            let read = stream.read(&mut buffer).unwrap();
            seen.push_str(&String::from_utf8_lossy(&buffer[..read]));
        }
        stream
            .write_all(b"HTTP/1.1 204 No Content\r\n\r\n")
            .unwrap();
        seen
    });
    project.call(&["run", "--notify", &address]).ends(1);
    let seen = server.join().unwrap();
    assert!(seen.starts_with("POST /shown"), "{seen}");
    assert!(seen.contains("\"result\":\"not-complete\""), "{seen}");
    assert!(seen.contains("\"there\":1"), "{seen}");
}

#[test]
fn the_end_is_reported_although_its_summary_cannot_be_printed() {
    let shots: Vec<String> = (0..100)
        .map(|number| format!("[shot.s{number:03}]\nscene = \"kiln.toml\"\nframes = \"1\"\n"))
        .collect();
    let project = Project::new(&format!(
        "[project]\nrun = [\"false\", \"{{frame}}\", \"{{target}}\"]\nsize = \"16x8\"\nretries = 0\n{}\
         [output.o]\npath = \"renders/{{shot}}.{{frame:04}}.png\"\n",
        shots.concat()
    ));
    project.write("kiln.toml", &scene(""));
    let full = fs::File::options().write(true).open("/dev/full").unwrap();
    let then = "echo $TRUEPATH_RESULT $TRUEPATH_FAILED >shown";
    let mut run = project.command(&["run", "--verbose", "--jobs", "4", "--then", then]);
    let code = run.stdout(full).stderr(Stdio::null()).status().unwrap();
    assert_eq!(code.code(), Some(3));
    assert_eq!(project.read("shown"), "not-complete 100\n");
}

#[test]
fn a_detached_run_goes_on_and_a_closed_terminal_ends_nothing() {
    let project = kiln("1-20", "", "[mishap]\nslow = 20\n");
    let called = project.call(&["run", "--detach"]).ends(0);
    assert!(called.out.contains("goes on as process"), "{}", called.out);
    // It is followed to its end from here.
    while project.call(&["status"]).code != Some(0) {
        std::thread::yield_now();
    }
    assert_eq!(project.files("renders").len(), 20);
    // A terminal that is gone takes no more output, and the end is reported all the same.
    if needs("python3") {
        let closed = kiln("1-20", "", "[mishap]\nslow = 20\n");
        let terminal = "import os, pty, subprocess, sys\nmaster, slave = pty.openpty()\n\
             run = subprocess.Popen(sys.argv[1:], stdin=slave, stdout=slave, stderr=slave)\nos.close(slave)\n\
             while not os.path.exists('renders/kiln.0002.png'):\n    os.read(master, 4096)\n\
             os.close(master)\nrun.wait()\n";
        let run = closed.command(&["run", "--verbose", "--then", "echo $TRUEPATH_RESULT >shown"]);
        let words = std::iter::once(run.get_program()).chain(run.get_args());
        let mut python = Command::new("python3");
        python.args(["-c", terminal]).args(words);
        let ended = python.current_dir(closed.path("")).status().unwrap();
        assert!(ended.success());
        assert_eq!(closed.files("renders").len(), 20);
        assert_eq!(closed.read("shown"), "complete\n");
    }
    let hung_up = kiln("1-20", "", "[mishap]\nslow = 20\n");
    let run = on(&hung_up, "north", &[], "frame 1 ");
    signal(&run, Signal::HUP);
    let output = run.wait_with_output().unwrap();
    assert!(output.status.success());
    assert_eq!(hung_up.files("renders").len(), 20);
}

#[test]
fn the_environment_is_what_is_reported_and_no_more() {
    let script = "[ -z \"$SECRET\" ]\n[ \"$LAMP\" = brass ]\n[ -n \"$KEPT\" ]\n[ -n \"$PATH\" ]\ncp \"$2/one.png\" p$1.png\n";
    let project = made_up(
        " }\nneeds = [\"KEPT\"]\narguments = [\"{frame}\", \"{place.job}\"]\noutput-name = \"p{frame:?}.png\"\n",
        script,
        "frames = \"1\"\nretries = 0\nenv = { LAMP = \"brass\" }\n",
    );
    let output = project
        .command(&["run", "--verbose"])
        .env("SECRET", "1")
        .env("KEPT", "1")
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stdout)
    );
}

#[test]
fn limits_for_the_start_and_for_silence_end_an_engine() {
    for (key, shown) in [
        ("start-timeout", "no frame was begun"),
        ("silence-timeout", "the engine printed nothing"),
    ] {
        let project = made_up(
            " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n",
            "exec sleep 600\n",
            &format!("frames = \"1\"\nretries = 0\n{key} = \"0.3s\"\n"),
        );
        let called = project.call(&["run"]).ends(1);
        assert!(
            called.out.contains(&format!("{shown} for 0.3s, the {key}")),
            "{}",
            called.out
        );
    }
}

#[test]
fn status_shows_what_is_done_running_and_failed() {
    let project = kiln(
        "1-12",
        "chunk = 4\n",
        "[mishap]\nhang-at = 7\nfail-at = 2\n",
    );
    let run = on(&project, "north", &["--jobs", "2"], "frame 6 ");
    let status = project.call(&["status", "--format", "json"]).ends(1).json();
    assert_eq!(status["machines"][0]["machine"], "north");
    assert_eq!(status["machines"][0]["jobs"], 2);
    assert!(status["running"][0]["frames"].is_string(), "{status}");
    assert_eq!(status["wanted"], 12);
    let text = project.call(&["status"]).ends(1).out;
    assert!(text.contains("north: run 1, 2 processes at once"), "{text}");
    signal(&run, Signal::TERM);
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130));
    let status = project.call(&["status", "--format", "json"]).ends(1).json();
    assert_eq!(status["running"].as_array().unwrap().len(), 0);
    assert_eq!(status["machines"].as_array().unwrap().len(), 0);
}
