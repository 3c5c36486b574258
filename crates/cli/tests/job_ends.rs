//! The end of a job: several in a row, who is notified, and terminals that close.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{Read, Write};
use std::process::{Command, Stdio};

use common::{Project, kiln, needs, on, scene, signal};
use rustix::process::Signal;

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
