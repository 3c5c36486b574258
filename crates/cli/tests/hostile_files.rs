//! Files of strangers that are no files, that never end, or that are small and ask for much: each costs an error in plain
//! words, within seconds and little memory, in every command.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::os::unix::fs::symlink;
use std::process::Command;

use common::{Called, Project, called, kiln, needs, picture, scene};

/// A call that may take ten seconds.
fn within_seconds(project: &Project, arguments: &[&str]) -> Called {
    let call = project.command(arguments);
    let mut limited = Command::new("timeout");
    limited.args(["-s", "KILL", "20"]).arg(call.get_program());
    limited.args(call.get_args()).current_dir(project.path(""));
    for (name, value) in call.get_envs() {
        match value {
            Some(value) => limited.env(name, value),
            None => limited.env_remove(name),
        };
    }
    called(limited)
}

/// Puts something else than a file under a name.
fn plant(project: &Project, name: &str, kind: &str) {
    let path = project.path(name);
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    let _ = fs::remove_file(&path);
    match kind {
        "pipe" => assert!(
            Command::new("mkfifo")
                .arg(&path)
                .status()
                .unwrap()
                .success()
        ),
        "endless" => symlink("/dev/zero", &path).unwrap(),
        _ => fs::create_dir_all(&path).unwrap(),
    }
}

#[test]
fn what_is_no_file_is_refused_at_once_wherever_a_file_is_read() {
    let movie = "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 24\n[shot.kiln]\nscene = \"kiln.toml\"\n\
                 frames = \"1-3\"\n[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n[output.review]\n\
                 path = \"m/{shot}.mp4\"\nmovie = { from = \"frames\" }\naudio = \"sound.wav\"\n";
    let cases: &[(&str, &[&str])] = &[
        ("truepath.toml", &["check"]),
        ("truepath.toml", &["run"]),
        ("base.toml", &["check", "based.toml"]),
        ("shots.csv", &["paths", "listed.toml"]),
        ("engines/mine.toml", &["check"]),
        ("kiln.toml", &["check"]),
        ("kiln.toml", &["run"]),
        ("kiln.toml", &["commands"]),
        ("queue.toml", &["queue", "queue.toml"]),
        ("away/bundle.json", &["gather", "away"]),
        ("away.tar.zst", &["gather", "away.tar.zst"]),
        ("list.txt", &["manifest", "--verify", "list.txt"]),
        ("lines.sh", &["adopt", "--script", "lines.sh"]),
        ("r/kiln.0002.png", &["audit"]),
        ("r/kiln.0002.png", &["status"]),
        ("r/kiln.0002.png", &["run"]),
        ("r/kiln.0002.png", &["show", "r/kiln.0002.png"]),
        ("r/kiln.0002.png", &["sheet", "r", "--to", "sheet.png"]),
        ("r/kiln.0002.png", &["report", "r", "--to", "page.html"]),
        ("r/kiln.0002.png", &["scan", "r", "--verify"]),
        ("r/kiln.0002.png", &["compare", "r", "other"]),
        ("r/kiln.0002.png", &["movie", "r", "--to", "made.mp4"]),
        ("r/kiln.0002.png", &["manifest", "r", "--to", "made.txt"]),
        ("m/kiln.mp4", &["audit"]),
        ("m/kiln.mp4", &["movie", "--verify", "m/kiln.mp4"]),
        ("sound.wav", &["check"]),
        ("sound.wav", &["run"]),
        (
            "sound.wav",
            &["movie", "other", "--audio", "sound.wav", "--to", "made.mp4"],
        ),
        ("layers.exr", &["passes", "list", "layers.exr"]),
        (
            "layers.exr",
            &["passes", "split", "layers.exr", "--to", "made/{pass}.exr"],
        ),
        (".truepath/ledger/0001.jsonl", &["status"]),
        (".truepath/ledger/0001.jsonl", &["run"]),
        (".truepath/sessions/0001", &["run"]),
        (".truepath/run-truepath.toml.json", &["status"]),
        (".truepath/format", &["run"]),
        (".truepath/line-files.json", &["run"]),
    ];
    for (name, arguments) in cases {
        for kind in ["pipe", "endless", "folder"] {
            let project = Project::new(movie);
            project.write("kiln.toml", &scene(""));
            project.write("based.toml", "base = \"base.toml\"\n");
            project.write(
                "listed.toml",
                "[project]\nengine = \"understudy\"\nshots = \"shots.csv\"\n[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n",
            );
            fs::write(project.path("sound.wav"), common::wav(10)).unwrap();
            fs::create_dir_all(project.path("other")).unwrap();
            for frame in 1..=3 {
                let name = format!("other/kiln.{frame:04}.png");
                fs::write(project.path(&name), picture(9)).unwrap();
            }
            plant(&project, name, kind);
            let call = within_seconds(&project, arguments);
            assert!(
                matches!(call.code, Some(0..=3)),
                "{kind} {name} {arguments:?}: {:?}\n{}{}",
                call.code,
                call.out,
                call.err
            );
            // A name that nobody may replace is still what it was.
            let left = fs::symlink_metadata(project.path(name)).unwrap();
            assert!(!left.is_file(), "{kind} {name} {arguments:?}");
        }
    }
}
