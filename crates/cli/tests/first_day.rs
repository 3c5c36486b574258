//! What a technician asks for on the first day, and what the commands then show.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, kiln, picture, picture_of, scene};

#[test]
fn channels_and_bits_can_be_set_for_a_pass_of_a_shot() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\nsize = \"48x32\"\npasses = [\"beauty\", \"depth\"]\n\
         [pass.depth]\nchannels = \"gray\"\n\
         [shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1\"\n[shot.kiln.pass.depth]\nchannels = \"rgb\"\n\
         [shot.gate]\nscene = \"kiln.toml\"\nframes = \"1\"\n\
         [output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\nbits = 8\nchannels = \"rgb\"\n",
    );
    project.write("kiln.toml", &scene(""));
    let shown = project
        .call(&["tokens", "channels", "--pass", "depth"])
        .ends(0);
    assert!(shown.out.contains("pass of the shot"), "{}", shown.out);
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
}

#[test]
fn a_movie_of_pictures_that_are_there_needs_no_engine() {
    let project = Project::new(
        "[project]\nfps = 24\n[shot.gate]\nframes = \"1-4\"\n\
         [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\ncolor = { pixels = \"display\" }\n\
         [output.cut]\npath = \"r/{shot}.mp4\"\nmovie = { from = \"frames\", codec = \"h264\" }\n",
    );
    fs::create_dir(project.path("r")).unwrap();
    for frame in 1..=3 {
        fs::write(
            project.path(&format!("r/gate.{frame:04}.png")),
            picture_of(32, 32, png::ColorType::Rgb, frame),
        )
        .unwrap();
    }
    project.call(&["check"]).ends(0);
    let called = project.call(&["run"]).ends(1);
    assert!(
        called.out.contains("the job names no engine"),
        "{}",
        called.out
    );
    fs::write(
        project.path("r/gate.0004.png"),
        picture_of(32, 32, png::ColorType::Rgb, 4),
    )
    .unwrap();
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    assert_eq!(project.files("r").len(), 5);
}

#[test]
fn frames_may_be_what_the_scene_says() {
    // An engine that reports the frames of its scenes.
    let project = kiln("1-2", "", "");
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("frames = \"1-2\"\n", ""));
    project.write("kiln.toml", &scene("").replace("1-60", "1-3"));
    let asked = project.call(&["check"]).ends(1);
    assert!(asked.out.contains("frames"), "{}", asked.out);
    project.call(&["check", "--ask-engine"]).ends(0);
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 3);
    // What was reported is known from now on.
    project.call(&["audit"]).ends(0);
    // A renderer that needs no frames: one picture.
    let project = Project::new(
        "scene = \"kiln.scene\"\npath = \"r/still.png\"\nrun = [\"cp\", \"{place.job}/one.png\", \"{target}\"]\n",
    );
    project.write("kiln.scene", "");
    fs::write(project.path("one.png"), picture(1)).unwrap();
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r"), ["still.png"]);
}

#[test]
fn quiet_says_only_results_and_a_dry_run_starts_nothing() {
    let project = kiln("1-3", "", "");
    let dry = project.call(&["run", "--dry-run"]).ends(0);
    assert!(
        dry.out
            .contains("3 of 3 files to make in as many processes"),
        "{}",
        dry.out
    );
    assert!(!project.path(".truepath").exists() && !project.path("renders").exists());
    let quiet = project.call(&["--quiet", "run"]).ends(0);
    assert_eq!(quiet.err, "");
    assert!(quiet.out.contains("complete"), "{}", quiet.out);
    let colours = project.call(&["check", "--color", "always"]).ends(0).out;
    assert!(colours.contains("\u{1b}["), "{colours}");
    for shell in ["bash", "zsh", "fish", "powershell"] {
        let text = project.call(&["completions", shell]).ends(0).out;
        assert!(text.contains("truepath"), "{shell}");
    }
    project.call(&["man", "--to", "man"]).ends(0);
    assert!(
        project.read("man/truepath-run.1").contains("dry"),
        "{:?}",
        project.files("man")
    );
}

#[test]
fn stale_frames_say_what_has_changed_from_what_to_what() {
    let project = kiln("1-4", "settings = { samples = 2, exposure = 1 }\n", "");
    project.call(&["run"]).ends(0);
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &job.replace("samples = 2", "samples = 1"));
    let called = project.call(&["status", "--stale"]).ends(1);
    assert!(
        called.out.contains("settings.samples: 2 is now 1"),
        "{}",
        called.out
    );
    let called = project.call(&["audit"]).ends(1);
    assert!(
        called.out.contains("settings.samples: 2 is now 1"),
        "{}",
        called.out
    );
    project.write(
        "kiln.toml",
        &scene("").replace("radius = 0.2", "radius = 0.3"),
    );
    let called = project.call(&["audit"]).ends(1);
    assert!(
        called.out.contains("the scene has changed"),
        "{}",
        called.out
    );
}

#[test]
fn tokens_show_merged_tables_and_what_is_handed_back() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\nsettings = { samples = 2 }\nsize = \"48x32\"\n\
         [shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1\"\nsettings = { exposure = 1 }\nunset = [\"size\"]\n\
         [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    project.write("kiln.toml", &scene(""));
    let called = project.call(&["tokens", "settings", "size"]).ends(0);
    assert!(
        called.out.contains("{ samples = 2, exposure = 1 }"),
        "{}",
        called.out
    );
    assert!(
        called.out.contains("unset: left to the scene"),
        "{}",
        called.out
    );
    // In a profile the first frame is that of the process.
    let shown = project.call(&["engines", "show", "povray"]).ends(0);
    assert!(
        shown.out.contains("the first frame of the process"),
        "{}",
        shown.out
    );
}

#[test]
fn the_user_is_known_without_a_variable() {
    let project = kiln("1", "", "");
    let job = project.read("truepath.toml").replace("{shot}", "{user}");
    project.write("truepath.toml", &job);
    let mut command = project.command(&["paths", "--all"]);
    let output = command
        .env_remove("USER")
        .env_remove("LOGNAME")
        .output()
        .unwrap();
    let out = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    assert!(!out.contains("/renders/.0001"), "{out}");
}

#[test]
fn a_machine_with_nothing_left_says_what_it_waits_for() {
    let project = kiln(
        "1-2",
        "chunk = 1\ndead-after = \"1s\"\n",
        "[mishap]\nslow = 1500\n",
    );
    let run = |machine: &str| {
        let mut run = project.command(&["run"]);
        run.env("TRUEPATH_MACHINE", machine);
        run.stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::piped());
        run.spawn().unwrap()
    };
    let north = run("north");
    let south = run("south");
    let east = run("east");
    let printed: Vec<String> = [north, south, east]
        .map(|run| String::from_utf8_lossy(&run.wait_with_output().unwrap().stderr).into_owned())
        .to_vec();
    let waits = printed.iter().filter(|one| one.contains("waiting for"));
    assert!(waits.count() >= 1, "{printed:?}");
    assert_eq!(project.files("renders").len(), 2);
}

#[test]
fn a_junk_line_in_a_ledger_is_reported_and_changes_nothing() {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    let ledger = project.path(".truepath/ledger/0001.jsonl");
    let text = fs::read_to_string(&ledger).unwrap();
    let mut lines: Vec<&str> = text.lines().collect();
    lines.insert(2, "what is this");
    fs::write(&ledger, lines.join("\n") + "\n").unwrap();
    for command in ["status", "audit"] {
        let called = project.call(&[command]).ends(0);
        assert!(
            called.err.contains("ledger/0001.jsonl:3 is no sound line"),
            "{command}: {}",
            called.err
        );
    }
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 3);
}

#[test]
fn every_command_about_a_job_takes_its_file_as_an_argument() {
    let project = Project::new("");
    fs::remove_file(project.path("truepath.toml")).unwrap();
    project.write(
        "other.toml",
        "engine = \"understudy\"\nscene = \"kiln.toml\"\nframes = \"1-2\"\nsize = \"32x32\"\npath = \"r/k.{frame:04}.png\"\n",
    );
    project.write("kiln.toml", &scene(""));
    project.call(&["run", "other.toml"]).ends(0);
    for line in [
        vec!["check", "other.toml"],
        vec!["audit", "other.toml"],
        vec!["paths", "other.toml"],
        vec!["status", "other.toml"],
        vec!["overview", "other.toml"],
        vec!["commands", "other.toml"],
        vec!["tokens", "other.toml"],
        vec!["tokens", "other.toml", "frames"],
        vec!["tokens", "other.toml", "--keys"],
        vec!["match", "other.toml", "r/k.0001.png"],
    ] {
        project.call(&line).ends(0);
    }
    // Words that name no job are reported as what they are.
    let called = project.call(&["tokens", "absent.toml"]).ends(2);
    assert!(called.err.contains("absent.toml"), "{}", called.err);
    assert!(!called.err.contains("no token"), "{}", called.err);
    let called = project.call(&["match", "other.toml"]).ends(2);
    assert!(called.err.contains("name files"), "{}", called.err);
    project
        .call(&["tokens", "other.toml", "--keys", "frames"])
        .ends(2);
}
