//! What runs leave is removed by kind and age, and nothing else is.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::time::{Duration, SystemTime};

use common::{Project, kiln, made_up};

/// Makes everything below a path so many days old.
fn age(path: &Path, days: u64) {
    if path.is_dir() {
        for entry in fs::read_dir(path).unwrap() {
            age(&entry.unwrap().path(), days);
        }
        return;
    }
    let file = fs::File::options().write(true).open(path).unwrap();
    let then = SystemTime::now() - Duration::from_secs(days * 86_400);
    file.set_modified(then).unwrap();
}

fn there(project: &Project, name: &str) -> bool {
    project.path(name).exists()
}

#[test]
fn what_is_old_enough_is_removed_and_the_rest_stays() {
    let project = kiln("1-4", "", "");
    project.call(&["run", "--frames", "1-2"]).ends(0);
    project.call(&["run"]).ends(0);
    age(&project.path(".truepath/logs/0001"), 40);
    let frames = project.files("renders");
    let line = ["clean", "--logs", "--older-than", "30d", "--dry-run"];
    let shown = project.call(&line).ends(0);
    assert!(shown.out.contains("would be removed"), "{}", shown.out);
    assert!(shown.out.contains("younger"), "{}", shown.out);
    assert!(there(&project, ".truepath/logs/0001"));
    project.call(&line[..4]).ends(0);
    assert!(!there(&project, ".truepath/logs/0001"));
    assert!(there(&project, ".truepath/logs/0002"));
    // A date ahead of this clock is not old.
    let ahead = fs::read_dir(project.path(".truepath/logs/0002")).unwrap();
    for entry in ahead {
        let file = fs::File::options().write(true).open(entry.unwrap().path());
        let then = SystemTime::now() + Duration::from_secs(86_400);
        file.unwrap().set_modified(then).unwrap();
    }
    project.call(&line[..4]).ends(0);
    assert!(there(&project, ".truepath/logs/0002"));
    // Ledgers and frames stay, whatever is named.
    let all = [
        "clean",
        "--logs",
        "--set-aside",
        "--checkpoints",
        "--caches",
    ];
    project.call(&all).ends(0);
    assert_eq!(project.files("renders"), frames);
    let shown = project.call(&["clean"]).ends(0);
    assert!(shown.out.contains("never removed"), "{}", shown.out);
    project.call(&["audit"]).ends(0);
    for wrong in ["30", "0d", "soon", "-3d"] {
        let called = project.call(&["clean", "--logs", &format!("--older-than={wrong}")]);
        assert!(called.ends(2).err.contains("30d, 12h or 90m"), "{wrong}");
    }
}

#[test]
fn checkpoints_and_caches_go_only_when_they_are_named() {
    let script = "echo half >p$1.state\nexit 5\n";
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n\
         checkpoint = { files = \"p{frame:?}.state\", put = \"--go-on\" }\n",
        script,
        "frames = \"1\"\nretries = 0\n",
    );
    project.call(&["run"]).ends(1);
    assert_eq!(project.files(".truepath/checkpoints").len(), 1);
    let shown = project.call(&["clean"]).ends(0);
    assert!(
        shown.out.contains("removed by --checkpoints"),
        "{}",
        shown.out
    );
    project.call(&["clean", "--logs", "--caches"]).ends(0);
    assert_eq!(project.files(".truepath/checkpoints").len(), 1);
    project.call(&["clean", "--checkpoints"]).ends(0);
    assert!(project.files(".truepath/checkpoints").is_empty());
    // What engines answered is asked again.
    let project = kiln("1-4", "", "");
    project.call(&["check", "--ask-engine"]).ends(0);
    assert!(!project.files(".truepath/scenes").is_empty());
    project.call(&["clean", "--caches"]).ends(0);
    assert!(project.files(".truepath/scenes").is_empty());
    project.call(&["check", "--ask-engine"]).ends(0);
    assert!(!project.files(".truepath/scenes").is_empty());
}
