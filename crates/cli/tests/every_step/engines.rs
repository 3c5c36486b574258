//! The same with an engine that asks for everything else that a run can do: it is set up by a script, its scene
//! is prepared, it is given a file, it goes on from checkpoints, and it writes where its scene says, over
//! somebody's file.

use std::fs;
use std::io;
use std::sync::atomic::Ordering;

use truepath_runner::disk::RealDisk;
use truepath_runner::make::run::Policy;

use crate::common::{Project, made_up};
use crate::faults::{Fault, FaultyDisk, render};

const PROFILE: &str = r#" }
set-up = "env.sh"
arguments = ["{scene.folder}", "{frame}", "{prepared}", "list.txt"]
writes = "{scene.folder}/own/p{frame:?}.png"
checkpoint = { files = "p{frame:?}.state", put = "--go-on" }
prepare = { program = "cp", arguments = ["{scene.file}", "{prepared}"], makes = "{scene}.exported" }

[[file]]
name = "list.txt"
language = "plain"
text = "frame {frame}"
"#;

/// Fails half way through the second frame the first time, and goes on from there.
const SCRIPT: &str = r#"
test "$LAMP" = on
grep -q scene "$3"
grep -q "frame $2" "$4"
if [ "$2" = 2 ] && [ "$5" != --go-on ] && [ ! -e "$1/failed" ]; then
  touch "$1/failed"
  echo half >p2.state
  exit 5
fi
cp "$1/one.png" "$1/own/p$2.png"
"#;

fn project() -> Project {
    let project = made_up(
        PROFILE,
        SCRIPT,
        "frames = \"1-3\"\nchunk = 1\nretries = 1\nretry-pause = \"0.001s\"\n",
    );
    project.write("env.sh", "LAMP=on\nexport LAMP\n");
    project.write("own/p2.png", "somebody's");
    project
}

/// What is there whatever happened: no half frame under a true name, and somebody's file, wherever a run
/// that was stopped has left it.
fn nothing_is_lost(project: &Project, shown: &str) {
    let one = fs::read(project.path("one.png")).unwrap();
    for name in project.files("r") {
        let is_true_name = name.starts_with("dawn.") && !name.contains("set-aside");
        if is_true_name {
            let found = fs::read(project.path(&format!("r/{name}"))).unwrap();
            assert!(found == one, "{shown}: {name} is not whole");
        }
    }
    let kept = find(&project.path("own"), b"somebody's");
    assert_eq!(kept, 1, "{shown}: somebody's file");
}

/// How many files below a folder hold exactly these bytes.
fn find(folder: &std::path::Path, content: &[u8]) -> usize {
    let entries = fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path());
    entries
        .map(|path| {
            if path.is_dir() {
                find(&path, content)
            } else {
                usize::from(fs::read(path).unwrap() == content)
            }
        })
        .sum()
}

fn disturbed(at: u64, fault: Fault) {
    let shown = format!("{fault:?} at operation {at}");
    let project = project();
    let first = render(&project, &FaultyDisk::new(at, fault), Policy::default());
    nothing_is_lost(&project, &shown);
    let report = render(&project, &RealDisk, Policy::default());
    let report = report.unwrap_or_else(|error| panic!("{shown}, then: {error}; first {first:?}"));
    assert!(report.is_complete(), "{shown}: {report:?}");
    nothing_is_lost(&project, &shown);
    let frames = ["dawn.0001.png", "dawn.0002.png", "dawn.0003.png"];
    let mut there = project.files("r");
    there.retain(|name| !name.contains("set-aside"));
    assert_eq!(there, frames, "{shown}");
    assert_eq!(project.read("own/p2.png"), "somebody's", "{shown}");
    let state = project.path(".truepath");
    assert!(!state.join("claims").exists(), "{shown}");
    assert_eq!(project.files(".truepath/checkpoints"), [""; 0], "{shown}");
    let prepared = project.files(".truepath/prepared");
    assert_eq!(prepared.len(), 1, "{shown}: {prepared:?}");
}

#[test]
fn an_engine_that_asks_for_everything_is_disturbed_at_every_operation() {
    let whole = project();
    let disk = FaultyDisk::new(0, Fault::Once(io::ErrorKind::Other));
    let report = render(&whole, &disk, Policy::default()).unwrap();
    assert!(report.is_complete(), "{report:?}");
    nothing_is_lost(&whole, "undisturbed");
    let operations = disk.count.load(Ordering::SeqCst);
    assert!(operations > 60, "{operations}");
    for at in 0..=operations {
        disturbed(at, Fault::Stop);
        // The others in turn: with all of them at each step it takes minutes.
        let others = [
            Fault::Once(io::ErrorKind::StorageFull),
            Fault::Done(io::ErrorKind::Other),
            Fault::AskedTwice,
        ];
        disturbed(at, others[at as usize % others.len()]);
    }
}
