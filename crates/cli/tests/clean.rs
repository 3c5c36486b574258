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
    let line = ["clean", "--logs", "--older-than", "30d", "--apply"];
    let shown = project.call(&line[..4]).ends(0);
    assert!(shown.out.contains("removed with --apply"), "{}", shown.out);
    assert!(shown.out.contains("younger"), "{}", shown.out);
    assert!(there(&project, ".truepath/logs/0001"));
    project.call(&line).ends(0);
    assert!(!there(&project, ".truepath/logs/0001"));
    assert!(there(&project, ".truepath/logs/0002"));
    // A date ahead of this clock is not old.
    let ahead = fs::read_dir(project.path(".truepath/logs/0002")).unwrap();
    for entry in ahead {
        let file = fs::File::options().write(true).open(entry.unwrap().path());
        let then = SystemTime::now() + Duration::from_secs(86_400);
        file.unwrap().set_modified(then).unwrap();
    }
    project.call(&line).ends(0);
    assert!(there(&project, ".truepath/logs/0002"));
    // Ledgers and frames stay, whatever is named.
    let all = [
        "clean",
        "--logs",
        "--set-aside",
        "--checkpoints",
        "--caches",
        "--apply",
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
    project
        .call(&["clean", "--logs", "--caches", "--apply"])
        .ends(0);
    assert_eq!(project.files(".truepath/checkpoints").len(), 1);
    project.call(&["clean", "--checkpoints", "--apply"]).ends(0);
    assert!(project.files(".truepath/checkpoints").is_empty());
    // What engines answered is asked again.
    let project = kiln("1-4", "", "");
    project.call(&["check", "--ask-engine"]).ends(0);
    assert!(!project.files(".truepath/scenes").is_empty());
    project.call(&["clean", "--caches", "--apply"]).ends(0);
    assert!(project.files(".truepath/scenes").is_empty());
    project.call(&["check", "--ask-engine"]).ends(0);
    assert!(!project.files(".truepath/scenes").is_empty());
}

/// The BLAKE3 of some bytes.
fn hash_file_of(project: &Project, bytes: &[u8]) -> String {
    fs::write(project.path("hashed"), bytes).unwrap();
    let kinds = [truepath_media::HashKind::Blake3];
    let hashes = truepath_media::hash_file(&project.path("hashed"), &kinds);
    hashes.unwrap().concat()
}

#[test]
fn earlier_versions_are_removed_only_by_name_and_leave_their_hashes() {
    let project = kiln("1-3", "version = 1\n", "");
    let job = project.read("truepath.toml");
    let job = job.replace(
        "renders/{shot}.",
        "renders/v{version:03}/{shot}_v{version:03}.",
    );
    for version in 1..=5 {
        let text = job.replace("version = 1", &format!("version = {version}"));
        project.write("truepath.toml", &text);
        project.call(&["run", "--quiet"]).ends(0);
    }
    let frame = |version: u32, frame: u32| {
        format!("renders/v{version:03}/kiln_v{version:03}.{frame:04}.png")
    };
    // Somebody has changed one, and put another beside them.
    fs::copy(project.path(&frame(2, 1)), project.path(&frame(1, 2))).unwrap();
    project.write("renders/v002/notes.txt", "keep me");
    let clean = ["clean", "--superseded", "--keep-last", "2", "--apply"];
    let before = project.files("renders");
    for refused in [&clean[..2], &["clean", "--keep-last", "2"]] {
        project.call(refused).ends(2);
    }
    let shown = project.call(&clean[..4]).ends(0);
    for part in [
        "version 4",
        "version 3",
        "removed with --apply",
        "1 file not as a run has published",
    ] {
        assert!(shown.out.contains(part), "{part}: {}", shown.out);
    }
    project
        .call(&["clean", "--logs", "--set-aside", "--caches", "--apply"])
        .ends(0);
    assert_eq!(project.files("renders"), before);
    let old = fs::read(project.path(&frame(2, 3))).unwrap();
    project.call(&clean).ends(0);
    let left = |version: u32| {
        (1..=3)
            .filter(|one| there(&project, &frame(version, *one)))
            .collect::<Vec<u32>>()
    };
    assert_eq!([left(5), left(4), left(3)], [[1, 2, 3]; 3].map(Vec::from));
    assert_eq!((left(2), left(1)), (vec![], vec![2]));
    assert!(there(&project, "renders/v002/notes.txt"));
    // The lists say what was there.
    let list = project.read(".truepath/removed/v002.b3");
    assert_eq!(list.lines().count(), 3);
    let hash = hash_file_of(&project, &old);
    let line = format!("{hash}  {}", frame(2, 3));
    assert!(list.lines().any(|one| one == line), "{line}: {list}");
    assert_eq!(project.read(".truepath/removed/v001.b3").lines().count(), 2);
    project.call(&clean).ends(0);
    // Of a shot with a version of its own, its own last versions stay.
    let two = kiln("1-2", "", "");
    let job = |dawn: u32, dusk: u32| {
        let shot = |name: &str, version: u32| {
            format!("[shot.{name}]\nscene = \"kiln.toml\"\nframes = \"1-2\"\nversion = {version}\n")
        };
        format!(
            "[project]\nengine = \"understudy\"\nsize = \"48x32\"\n{}{}\
             [output.frames]\npath = \"r/{{shot}}_v{{version:03}}.{{frame:04}}.png\"\nsame-picture = \"a test\"\n",
            shot("dawn", dawn),
            shot("dusk", dusk)
        )
    };
    for (dawn, dusk) in [(1, 1), (2, 2), (2, 3), (2, 4), (3, 5)] {
        two.write("truepath.toml", &job(dawn, dusk));
        two.call(&["run", "--quiet"]).ends(0);
    }
    two.call(&clean).ends(0);
    let left: Vec<String> = two
        .files("r")
        .into_iter()
        .filter(|name| name.ends_with("0001.png"))
        .collect();
    let wanted = [
        "dawn_v001",
        "dawn_v002",
        "dawn_v003",
        "dusk_v003",
        "dusk_v004",
        "dusk_v005",
    ];
    assert_eq!(left, wanted.map(|name| format!("{name}.0001.png")));
    // A job without versions has none to remove.
    let plain = kiln("1-3", "", "");
    let refused = plain.call(&clean).ends(2);
    assert!(
        refused.err.contains("no number as `version`"),
        "{}",
        refused.err
    );
}
