//! Engines as processes: nothing outlives a run, and nothing is published before it is finished.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::Stdio;

use common::{Project, made_up, needs};

/// Writes a small PNG; `{frame}` shows in its pixels.
const PNG: &str = r#"
import os, struct, sys, time, zlib
def png(frame):
    rows = b"".join(b"\0" + bytes((x * 7 + frame) % 256 for x in range(24 * 3)) for _ in range(16))
    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    head = struct.pack(">IIBBBBB", 24, 16, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
"#;

/// A project whose engine is a Python program that is called with first and last frame.
fn project(body: &str, frames: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"{frames}\"\nengine = \"brass\"\nframe-timeout = \"20s\"\nretries = 0\npath = \"out/kiln.{{frame:04}}.png\"\n"
    ));
    project.write(
        "engines/brass.toml",
        "split = \"free\"\nengine = { name = \"brass\", program = \"python3\", frames = \"range\" }\n\
         arguments = [\"{place.job}/brass.py\", \"{first}\", \"{last}\"]\n\
         output-name = \"b{frame:?}.png\"\nin-order = true\nlog = [{ error = '^error: (?P<text>.*)' }]\n",
    );
    project.write(
        "brass.py",
        &format!("{PNG}\nfirst, last = int(sys.argv[1]), int(sys.argv[2])\n{body}"),
    );
    project
}

fn processes_in(project: &Project) -> usize {
    let folder = project.path("");
    fs::read_dir("/proc")
        .unwrap()
        .flatten()
        .filter(|entry| {
            fs::read_link(entry.path().join("cwd"))
                .is_ok_and(|cwd| cwd != folder && cwd.starts_with(&folder))
        })
        .count()
}

#[test]
fn a_killed_run_takes_the_engine_and_its_children_along() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "import subprocess\n\
         open('b1.png', 'wb').write(png(1))\nopen('b2.png', 'wb').write(png(2))\n\
         child = subprocess.Popen(['sleep', '1000'])\nprint('error: up', flush=True)\ntime.sleep(1000)\n",
        "1-4",
    );
    let mut run = project
        .command(&["run", "--verbose", "--jobs", "1"])
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(run.stderr.take().unwrap()).lines();
    assert!(lines.any(|line| line.unwrap().contains("frame 1 ")));
    // Engine and child; the supervisor stands where the run does.
    while processes_in(&project) < 2 {
        std::thread::yield_now();
    }
    run.kill().unwrap();
    run.wait().unwrap();
    while processes_in(&project) > 0 {
        std::thread::yield_now();
    }
    assert_eq!(
        project.audit()["deliverables"][0]["broken"]
            .as_array()
            .unwrap()
            .len(),
        0
    );
}

#[test]
fn a_child_that_an_engine_leaves_behind_does_not_hold_up_the_run() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "import subprocess\n\
         for frame in range(first, last + 1):\n    open(f'b{frame}.png', 'wb').write(png(frame))\n\
         subprocess.Popen(['sleep', '1000'])\n",
        "1-3",
    );
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("out").len(), 3);
    assert_eq!(processes_in(&project), 0);
}

#[test]
fn a_file_that_is_still_open_is_not_published() {
    if !needs("python3") {
        return;
    }
    // Frame 1 looks whole from the start, and is written to until frame 2 has its true name.
    let project = project(
        "late = open('b1.png', 'wb', buffering=0)\nlate.write(png(1))\n\
         for frame in (2, 3):\n    open(f'b{frame}.png', 'wb').write(png(frame))\n\
         while not os.path.exists('../kiln.0002.png'):\n    time.sleep(0.01)\n\
         late.write(b'more')\nlate.seek(0)\nlate.truncate()\nlate.write(png(1))\nlate.close()\n\
         open('b4.png', 'wb').write(png(4))\n",
        "1-4",
    );
    let called = project.call(&["run", "--verbose", "--jobs", "1"]).ends(0);
    let order: Vec<&str> = called
        .err
        .lines()
        .filter_map(|line| line.split(" frame ").nth(1)?.split(' ').next())
        .collect();
    assert!(
        order.iter().position(|frame| *frame == "1") > order.iter().position(|frame| *frame == "2"),
        "{order:?}"
    );
    // Size and time of every file are those of the ledger: nothing was written to afterwards.
    let again = project.call(&["run", "--jobs", "1"]).ends(0);
    assert!(!again.out.contains("adopted"), "{}", again.out);
}

#[test]
fn frames_of_an_engine_that_never_pauses_in_its_talk_are_published_while_it_works() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "open('b1.png', 'wb').write(png(1))\nopen('b2.png', 'wb').write(png(2))\n\
         first = os.path.dirname(os.path.abspath(sys.argv[0])) + '/out/kiln.0001.png'\n\
         for count in range(2000):\n    print('at work', count, flush=True)\n    time.sleep(0.005)\n    \
         if os.path.exists(first):\n        break\nelse:\n    sys.exit('error: nothing is published')\n\
         open('b3.png', 'wb').write(png(3))\n",
        "1-3",
    );
    let printed = project.call(&["run", "--jobs", "1"]).ends(0).err;
    assert_eq!(project.files(".truepath/logs/0001").len(), 1, "{printed}");
}

#[test]
fn frames_that_are_reported_before_they_are_written_are_published_while_the_engine_works() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "first = os.path.dirname(os.path.abspath(sys.argv[0])) + '/out/kiln.0001.png'\n\
         open('b1.png', 'wb').close()\nprint('file b1.png', flush=True)\ntime.sleep(0.3)\nopen('b1.png', 'wb').write(png(1))\n\
         for count in range(200):\n    time.sleep(0.05)\n    \
         if os.path.exists(first):\n        break\nelse:\n    sys.exit('error: nothing is published')\n\
         open('b2.png', 'wb').write(png(2))\n",
        "1-2",
    );
    let profile = project.read("engines/brass.toml");
    let log = "log = [{ file = '^file (?P<file>.*)' },";
    project.write("engines/brass.toml", &profile.replace("log = [", log));
    let printed = project.call(&["run", "--jobs", "1"]).ends(0).err;
    assert_eq!(project.files(".truepath/logs/0001").len(), 1, "{printed}");
}

#[test]
fn a_folder_that_the_engine_leaves_is_kept_aside() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "open('b1.png', 'wb').write(png(1))\nos.mkdir('cache')\nopen('cache/light', 'w').write('x')\nopen('notes', 'w').write('y')\n",
        "1",
    );
    let called = project.call(&["run"]).ends(0);
    assert!(called.err.contains("not asked for"), "{}", called.err);
    let left = project.files("out");
    assert_eq!(left.len(), 3, "{left:?}");
    assert!(
        left.iter().any(|name| name.ends_with("cache/light")),
        "{left:?}"
    );
}

#[test]
fn a_file_that_appears_under_a_true_name_is_never_replaced() {
    if !needs("python3") {
        return;
    }
    // The engine itself writes where it should not.
    let project = project(
        "open('../kiln.0001.png', 'w').write('somebody else')\nopen('b1.png', 'wb').write(png(1))\n",
        "1",
    );
    let called = project.call(&["run"]).ends(1);
    assert!(
        called
            .out
            .contains("a file appeared under its name meanwhile"),
        "{}",
        called.out
    );
    assert_eq!(
        fs::read_to_string(project.path("out/kiln.0001.png")).unwrap(),
        "somebody else"
    );
    // What was rendered is not lost either.
    assert_eq!(project.files("out/set-aside").len(), 1);
}

#[test]
fn lines_that_never_end_and_binary_noise_harm_nothing() {
    if !needs("python3") {
        return;
    }
    let project = project(
        "sys.stdout.buffer.write(b'\\xff\\x00' * 200000)\nsys.stdout.buffer.write(b'\\rprogress 50%\\r')\n\
         open('b1.png', 'wb').write(png(1))\n",
        "1",
    );
    project.call(&["run"]).ends(0);
}

#[test]
fn a_frame_that_is_written_byte_by_byte_is_never_seen_half() {
    if !needs("python3") {
        return;
    }
    // Each byte goes to the disk on its own, in a name that is recognised from the first one on, and
    // the next frame is begun before the last bytes of this one are written.
    let project = project(
        "import os\nheld = None\nfor frame in range(first, last + 1):\n    data = png(frame)\n    \
         f = open(f'b{frame}.png', 'wb', buffering=0)\n    for byte in data[:-8]:\n        f.write(bytes([byte]))\n    \
         time.sleep(0.12)\n    if held: held[0].write(held[1]); held[0].close()\n    held = (f, data[-8:])\n\
         held[0].write(held[1]); held[0].close()\n"
            .replacen("import os", "import os, time", 1)
            .as_str(),
        "1-4",
    );
    let mut run = project.start();
    // Whoever looks, whenever, sees a whole file or none, and what is seen never changes.
    let mut seen: std::collections::BTreeMap<String, Vec<u8>> = std::collections::BTreeMap::new();
    loop {
        let ended = run.try_wait().unwrap();
        for name in project.files("out") {
            let bytes = fs::read(project.path(&format!("out/{name}"))).unwrap();
            assert!(bytes.ends_with(b"IEND\xaeB`\x82"), "{name} is half");
            assert_eq!(
                seen.entry(name.clone()).or_insert(bytes.clone()),
                &bytes,
                "{name} changed"
            );
        }
        if let Some(status) = ended {
            assert!(status.success());
            break;
        }
        std::thread::yield_now();
    }
    assert_eq!(seen.len(), 4);
}

/// The staging folder of each process, in their order.
fn staging_folders(project: &Project) -> Vec<String> {
    let ledger = project.read(".truepath/ledger/0001.jsonl");
    let lines = ledger
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
    lines
        .filter_map(|line| Some(line["line"]["staged"]["folder"].as_str()?.to_owned()))
        .collect()
}

#[test]
fn a_staging_folder_is_used_again_while_all_is_well() {
    if !needs("python3") {
        return;
    }
    let draw = "open(f'b{first}.png', 'wb').write(png(first))\n";
    let project = project(draw, "1-6");
    project.call(&["run", "--set", "chunk=1"]).ends(0);
    let mut folders = staging_folders(&project);
    assert_eq!(folders.len(), 6);
    folders.dedup();
    assert_eq!(folders.len(), 1, "{folders:?}");
    assert!(!std::path::Path::new(&folders[0]).exists());
}

#[test]
fn what_an_engine_leaves_is_set_aside_and_its_folder_is_used_no_more() {
    if !needs("python3") {
        return;
    }
    // The second one leaves notes, the fourth one fails and leaves a half frame.
    let body = "if first == 2: open('notes.txt', 'w').write('mine')\n\
                if first == 4:\n    open('b4.png', 'wb').write(png(4)[:40])\n    sys.exit(3)\n\
                open(f'b{first}.png', 'wb').write(png(first))\n";
    let project = project(body, "1-6");
    project.call(&["run", "--set", "chunk=1"]).ends(1);
    let mut folders = staging_folders(&project);
    assert_eq!(folders.len(), 6);
    folders.dedup();
    assert_eq!(folders.len(), 3, "{folders:?}");
    let aside = project.files("out/set-aside");
    assert_eq!(aside.len(), 2, "{aside:?}");
    let notes = aside.iter().find(|name| name.ends_with("notes.txt"));
    let notes = project.read(&format!("out/set-aside/{}", notes.unwrap()));
    assert_eq!(notes, "mine");
    let whole = project.files("out").len() - aside.len();
    assert_eq!(whole, 5, "{:?}", project.files("out"));
}

#[test]
fn an_error_of_a_process_that_ends_with_success_is_in_the_summary() {
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\nlog = [{ error = '^error: (?P<text>.*)' }]\n",
        "echo \"error: the texture wood.png is missing\"\ncp \"$(dirname \"$0\")/one.png\" p$1.png\n",
        "frames = \"1-3\"\n",
    );
    let called = project.call(&["run"]).ends(0);
    assert!(
        called
            .out
            .contains("error: the texture wood.png is missing"),
        "{}",
        called.out
    );
}
