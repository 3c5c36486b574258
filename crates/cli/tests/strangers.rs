//! Folders of strangers: what came with a folder starts no program by itself, and nothing that was planted there makes a
//! run write elsewhere.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};

use common::{Project, kiln, scene};

/// A script of a project that leaves a sign that it was started.
fn plant(project: &Project, name: &str, more: &str) {
    let sign = project.path("started").display().to_string();
    project.write(name, &format!("#!/bin/sh\ntouch '{sign}'\n{more}\n"));
    let mode = fs::Permissions::from_mode(0o755);
    fs::set_permissions(project.path(name), mode).unwrap();
}

#[test]
fn looking_starts_no_program_of_a_profile_of_the_project() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 24\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-3\"\n\
         [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n\
         [output.review]\npath = \"m/{shot}.mp4\"\nmovie = { from = \"frames\", codec = \"hevc\" }\n",
    );
    project.write("kiln.toml", &scene(""));
    // It takes the place of the profile that ships.
    let shipped = include_str!("../../../engines/ffmpeg.toml");
    let at = shipped.find("[proof]").unwrap();
    let proof = shipped[at..].replacen("program = \"ffprobe\"", "program = \"./evil.sh\"", 1);
    project.write("engines/ffmpeg.toml", &format!("{}{proof}", &shipped[..at]));
    assert!(project.read("engines/ffmpeg.toml").contains("./evil.sh"));
    plant(&project, "evil.sh", "");
    project.write("m/kiln.mp4", "a movie of somebody");
    project.write("r/kiln.0001.png", "a picture of somebody");
    for call in [
        &["check"][..],
        &["status"],
        &["audit"],
        &["why", "m/kiln.mp4"],
        &["report", "--to", "page.html"],
        &["sheet", "--to", "sheet.png"],
        &["commands"],
        &["run", "--dry-run"],
        &["manifest", "--to", "list.txt"],
        &["paths"],
        &["tokens"],
        &["overview"],
        &["clean"],
        &["pack", "--to", "away"],
        &["engines"],
        &["new", "--engine", "ffmpeg", "--to", "other.toml"],
    ] {
        let called = project.call(call);
        assert!(
            !project.path("started").exists(),
            "{call:?}: {}{}",
            called.out,
            called.err
        );
    }
    let check = project.call(&["check"]);
    assert!(
        check.err.contains("TP527") || check.out.contains("TP527"),
        "{}",
        check.out
    );
    // Who calls a run agrees.
    let audit = project.call(&["audit"]);
    let reason = "belongs to this project: only a run starts the program that proves it";
    assert!(audit.out.contains(reason), "{}{}", audit.out, audit.err);
}

#[test]
fn a_start_file_asks_no_engine_of_the_project_unless_told_to() {
    let project = Project::empty();
    project.write("kiln.scn", "a scene");
    project.write(
        "engines/made-up.toml",
        "engine = { name = \"made-up\", program = \"./evil.sh\", frames = \"one\", scenes = [\"scn\"] }\n\
         arguments = [\"{frame}\", \"{target}\"]\ndescribe = [\"--describe\", \"{scene.file}\"]\n",
    );
    plant(&project, "evil.sh", "echo '{\"frames\": \"1-7\"}'");
    let called = project
        .call(&["new", "--for-scene", "kiln.scn", "--to", "a.toml"])
        .ends(0);
    assert!(!project.path("started").exists());
    assert!(
        called.err.contains("--ask-engine asks it"),
        "{}",
        called.err
    );
    project
        .call(&[
            "new",
            "--for-scene",
            "kiln.scn",
            "--to",
            "b.toml",
            "--ask-engine",
        ])
        .ends(0);
    assert!(project.path("started").exists());
    assert!(
        project.read("b.toml").contains("1-7"),
        "{}",
        project.read("b.toml")
    );
}

#[test]
fn links_in_a_state_folder_lead_a_run_nowhere() {
    let precious = tempfile::tempdir().unwrap();
    let file = precious.path().join("letter.txt");
    for planted in [
        "sessions/0001.new",
        "sessions/0001",
        "sessions/0001.beat",
        "sessions/0001.wants",
        "run-truepath.toml.json",
        "format",
        "ledger/0001.jsonl",
        "line-files.json",
        "claims/of-1-1",
    ] {
        for is_hard in [false, true] {
            fs::write(&file, "the only copy").unwrap();
            let project = kiln("1-3", "", "");
            let path = project.path(&format!(".truepath/{planted}"));
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            if is_hard {
                fs::hard_link(&file, &path).unwrap();
            } else {
                symlink(&file, &path).unwrap();
            }
            let run = project.call(&["run"]);
            let text = fs::read_to_string(&file).unwrap();
            assert_eq!(
                text, "the only copy",
                "{planted}, hard {is_hard}: {}",
                run.err
            );
            assert!(matches!(run.code, Some(0..=3)), "{planted}: {:?}", run.code);
        }
    }
    for folder in ["", "ledger", "sessions", "claims", "logs", "scenes"] {
        let project = kiln("1-3", "", "");
        let path = project.path(&format!(".truepath/{folder}"));
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        symlink(
            precious.path(),
            path.to_str().unwrap().trim_end_matches('/'),
        )
        .unwrap();
        let run = project.call(&["run"]).ends(3);
        assert!(run.err.contains("is a link"), "{folder}: {}", run.err);
        assert_eq!(
            fs::read_dir(precious.path()).unwrap().count(),
            1,
            "{folder}"
        );
    }
}

#[test]
fn a_planted_list_of_renames_moves_nothing() {
    let project = Project::empty();
    project.write("s.0001.png", "a picture");
    let letter = project.path("letter.txt").display().to_string();
    project.write("letter.txt", "the only copy");
    let number = |name: &str| {
        let facts = fs::metadata(project.path(name)).unwrap();
        use std::os::unix::fs::MetadataExt;
        (facts.dev(), facts.ino())
    };
    let plan = serde_json::json!({
        "steps": [{ "from": letter, "to": format!("{letter}.gone"), "file": number("letter.txt") }],
        "folders": [],
    });
    for state in ["going", "done", "undoing"] {
        project.write(
            &format!(".truepath-renames/0001.{state}"),
            &plan.to_string(),
        );
    }
    for call in [
        &["rename", "s.{frame:04}.png", "t.{frame:04}.png"][..],
        &["rename", "--undo"],
        &["rename", "s.{frame:04}.png", "t.{frame:04}.png", "--apply"],
        &["rename", "--undo"],
    ] {
        project.call(call);
        assert_eq!(project.read("letter.txt"), "the only copy", "{call:?}");
    }
    assert_eq!(project.read("s.0001.png"), "a picture");
    // A note of somebody else refuses, and does nothing.
    project.write(
        ".truepath-renames/unfinished",
        "files here are being renamed by nobody on nowhere",
    );
    let refused = project.call(&["rename", "s.{frame:04}.png", "t.{frame:04}.png", "--apply"]);
    assert_ne!(refused.code, Some(0));
    assert!(
        refused.err.contains("only that user can finish it"),
        "{}",
        refused.err
    );
    assert_eq!(project.read("s.0001.png"), "a picture");
}

/// A renderer that prints what it gets of its environment.
fn talkative(variables: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"kiln.scene\"\nframes = \"1-2\"\npath = \"r/{{scene}}.{{frame:04}}.png\"\n\
         run = [\"./render.sh\", \"{{target}}\", \"{{frame}}\"]\n{variables}\n"
    ));
    project.write("kiln.scene", "a scene");
    fs::write(project.path("in.png"), common::picture(7)).unwrap();
    let picture = project.path("in.png").display().to_string();
    project.write(
        "render.sh",
        &format!("#!/bin/sh\necho \"token $TOKEN lamp $LAMP\"\ncp '{picture}' \"$1\"\n"),
    );
    let mode = fs::Permissions::from_mode(0o755);
    fs::set_permissions(project.path("render.sh"), mode).unwrap();
    project
}

/// The files of the state folder that hold a text.
fn files_with(project: &Project, text: &str) -> Vec<String> {
    let names = project.files(".truepath").into_iter();
    let holds = |name: &String| {
        let bytes = fs::read(project.path(&format!(".truepath/{name}"))).unwrap_or_default();
        String::from_utf8_lossy(&bytes).contains(text)
    };
    names.filter(holds).collect()
}

#[test]
fn values_of_variables_are_recorded_as_hashes() {
    let project = talkative("env = { LAMP = \"oil-of-whales\" }");
    project.call(&["run"]).ends(0);
    let logs = files_with(&project, "oil-of-whales");
    assert!(
        !logs.is_empty() && logs.iter().all(|name| name.starts_with("logs/")),
        "{logs:?}"
    );
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("oil-of-whales", "gas"));
    let why = project.call(&["why", "r/kiln.0001.png"]).ends(1);
    assert!(why.out.contains("env.LAMP has changed"), "{}", why.out);
    let status = project.call(&["status"]).ends(1);
    assert!(!status.out.contains("oil-of-whales"), "{}", status.out);
    project.write("truepath.toml", &job);
    project.call(&["audit"]).ends(0);
    // Nobody else may look into it.
    let mode = fs::metadata(project.path(".truepath"))
        .unwrap()
        .permissions()
        .mode();
    assert_eq!(mode & 0o777, 0o700);
}

#[test]
fn secrets_are_written_nowhere() {
    let named = talkative("env = { TOKEN = \"brass-5050\", LAMP = \"gas\" }\nsecret = [\"TOKEN\"]");
    let inherited = talkative("secret = [\"TOKEN\"]");
    for project in [named, inherited] {
        project
            .call_with(
                &["run", "--events", "events.jsonl"],
                ("TOKEN", "brass-5050"),
            )
            .ends(0);
        let log = files_with(&project, "token ***");
        assert_eq!(log.len(), 2, "{log:?}");
        assert_eq!(files_with(&project, "brass-5050"), [""; 0]);
        let lines = project.call(&["commands", "--as", "sh"]).ends(0).out;
        let dry = project.call(&["run", "--dry-run", "--format", "json"]).out;
        for text in [lines, dry, project.read("events.jsonl")] {
            assert!(!text.contains("brass-5050"), "{text}");
        }
        // It has no part in the picture.
        let job = project.read("truepath.toml");
        project.write("truepath.toml", &job.replace("brass-5050", "another"));
        project.call(&["audit"]).ends(0);
    }
}

#[test]
fn what_lies_outside_of_a_project_is_packed_only_when_it_is_named() {
    let outside = tempfile::tempdir().unwrap();
    let key = outside.path().join("key");
    fs::write(&key, "a key of this user").unwrap();
    let place = outside.path().display().to_string();
    let more = "size = \"48x32\"\nengine = \"understudy\"\n";
    for (job, plant) in [
        (String::new(), "kiln.toml.facts.json"),
        ("scene-files = [\"lamp.inc\"]\n".to_owned(), "lamp.inc"),
        (
            "scene-files = [\"textures\"]\n".to_owned(),
            "textures/wood.png",
        ),
        (
            format!("scene-files = [\"{{place.away}}/key\"]\n[place]\naway = \"{place}\"\n"),
            "",
        ),
    ] {
        let project = Project::new(&format!(
            "scene = \"kiln.toml\"\nframes = \"1-2\"\npath = \"r/{{scene}}.{{frame:04}}.png\"\n{more}{job}"
        ));
        project.write("kiln.toml", &scene(""));
        match plant {
            "" => {}
            "kiln.toml.facts.json" => {
                let files = serde_json::json!({ "files": [key.display().to_string()] });
                project.write(plant, &files.to_string());
            }
            link => {
                let link = project.path(link);
                fs::create_dir_all(link.parent().unwrap()).unwrap();
                symlink(&key, link).unwrap();
            }
        }
        let refused = project.call(&["pack", "--to", "away"]);
        assert_ne!(refused.code, Some(0), "{plant}");
        assert!(
            refused.err.contains("key (18 bytes)"),
            "{plant}: {}",
            refused.err
        );
        assert!(!project.path("away").exists(), "{plant}");
        // What has no place in a bundle cannot be packed at all.
        if plant != "kiln.toml.facts.json" {
            assert!(refused.err.contains("--with"), "{plant}: {}", refused.err);
            project
                .call(&["pack", "--to", "away", "--with", &place])
                .ends(0);
        }
    }
    // A file that is no TOML shows nothing of itself.
    let project = Project::new(&format!(
        "base = [\"{}\"]\nframes = \"1-2\"\n",
        key.display()
    ));
    let check = project.call(&["check"]);
    assert!(!check.err.contains("a key of this user"), "{}", check.err);
    assert!(check.err.contains("is not TOML"), "{}", check.err);
}
