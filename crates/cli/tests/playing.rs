//! The player in a terminal: its keys, what it finds, and the terminal after it.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::pictures::{count, five_frames, read};
use common::{Project, linear};

/// The player as keys are sent to it; what it has drawn.
fn played(project: &Project, what: &[&str], keys: &str) -> String {
    let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_truepath"))
        .args(["show", "--play", "--always", "--width", "60"])
        .args(what)
        .current_dir(project.path("."))
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), keys.as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    assert!(output.status.success());
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn the_player_follows_its_keys_and_leaves_the_terminal_as_it_was() {
    let project = five_frames();
    // It stands, steps twice, back once, and ends.
    let drawn = played(&project, &["p"], " ..,q");
    let (before, rest) = drawn.split_once("\u{1b}[?1049h\u{1b}[?25l").unwrap();
    let (screens, after) = rest.split_once("\u{1b}[?25h\u{1b}[?1049l").unwrap();
    assert_eq!((before, after), ("", ""));
    let titles: Vec<&str> = screens
        .split("\u{1b}[H")
        .skip(1)
        .map(|screen| screen.split("\u{1b}[K").next().unwrap().trim())
        .collect();
    let name = "p/a.{frame:04}.exr";
    let wanted = [
        format!("{name}  1  1/5  plays"),
        format!("{name}  1  1/5  stands"),
        format!("{name}  2  2/5  stands"),
        format!("{name}  3  3/5  stands"),
        format!("{name}  2  2/5  stands"),
    ];
    assert_eq!(titles, wanted);
    // The next frame that is not as it should be; a stop brighter; the first.
    let drawn = played(&project, &["p"], " n]]0q");
    assert!(
        drawn.contains("4  4/5  stands missing") && drawn.contains("missing\u{1b}[K"),
        "{drawn}"
    );
    assert!(drawn.contains("1  1/5  stands, +1 stops"), "{drawn}");
    // A pipe that closes ends it, and so does a terminal that is none.
    played(&project, &["p"], "");
    let refused = project.call(&["show", "p", "--play"]).ends(2);
    assert!(
        refused.err.contains("--play needs a terminal"),
        "{}",
        refused.err
    );
}

#[test]
fn what_is_whole_and_may_be_wrong_is_found_by_looking_too() {
    let project = Project::new(
        "scene = \"kiln.scene\"\nframes = \"1-5\"\npath = \"r/kiln.{frame:04}.exr\"\n\
         run = [\"sh\", \"{place.job}/engine.sh\", \"{frame}\", \"{target}\", \"{place.job}\"]\n",
    );
    project.write("kiln.scene", "");
    project.write("engine.sh", "cp \"$3/now$1.exr\" \"$2\"\n");
    for frame in 1..=5 {
        // The fourth is black all over.
        let light = if frame == 4 { 0.0 } else { 0.1 };
        let middle = light * frame as f32;
        linear(
            &project.path(&format!("now{frame}.exr")),
            light,
            middle + light,
        );
    }
    project.call(&["run", "--quiet"]).ends(0);
    let drawn = played(&project, &[], " nq");
    assert!(drawn.contains("4  4/5  stands TP802"), "{drawn}");
    project.call(&["report", "--to", "page.html"]).ends(0);
    let page = project.read("page.html");
    assert!(page.contains("frame 4, valid, TP802") && page.contains("frame 3, valid\""));
    project.call(&["sheet", "--to", "sheet.png"]).ends(0);
    assert!(count(&read(&project.path("sheet.png")), [226, 170, 60]) > 100);
    // A file that was exchanged is changed, and what its picture showed before says nothing.
    fs::copy(project.path("now3.exr"), project.path("r/kiln.0004.exr")).unwrap();
    let drawn = played(&project, &[], " nq");
    assert!(
        drawn.contains("4  4/5  stands changed") && !drawn.contains("TP802"),
        "{drawn}"
    );
}

#[test]
fn a_real_terminal_gets_its_modes_back() {
    if !common::needs("python3") {
        return;
    }
    let project = five_frames();
    let script = r#"
import os, pty, sys, termios
master, slave = pty.openpty()
before = termios.tcgetattr(slave)
pid = os.fork()
if pid == 0:
    os.setsid()
    for fd in (0, 1, 2):
        os.dup2(slave, fd)
    os.execv(sys.argv[1], [sys.argv[1], "show", "p", "--play", "--width", "40"])
seen = b""
while b"1/5" not in seen:
    seen += os.read(master, 65536)
raw = termios.tcgetattr(slave)
assert not raw[3] & termios.ECHO and not raw[3] & termios.ICANON, "it reads keys"
os.write(master, sys.argv[2].encode().decode("unicode_escape").encode())
while b"[?1049l" not in seen:
    seen += os.read(master, 65536)
assert os.waitpid(pid, 0)[1] == 0
assert termios.tcgetattr(slave) == before, "the terminal is as it was"
"#;
    for key in ["q", "\\x03"] {
        let output = std::process::Command::new("python3")
            .args(["-c", script, env!("CARGO_BIN_EXE_truepath"), key])
            .env("TERM", "xterm-256color")
            .env_remove("NO_COLOR")
            .current_dir(project.path("."))
            .output()
            .unwrap();
        assert!(
            output.status.success(),
            "{}",
            String::from_utf8_lossy(&output.stderr)
        );
    }
}
