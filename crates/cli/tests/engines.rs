//! Engines: what ships, driven for real, and what profiles can say.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Project, needs};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::Value;
use truepath_core::command::literal;
use truepath_core::profile::Language;

/// The pixels of a picture, by a decoder that is not ours.
fn pixels(path: &Path) -> Vec<u8> {
    let output = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(path)
        .args(["-f", "rawvideo", "-pix_fmt", "rgba64le", "-"])
        .output()
        .unwrap();
    assert!(
        output.status.success() && !output.stdout.is_empty(),
        "{}",
        path.display()
    );
    output.stdout
}

/// A project by `run`, and the same by its script alone: the same files with the same pixels.
fn by_run_and_by_script(make: &dyn Fn() -> Project, files: usize) {
    let by_run = make();
    by_run.call(&["run"]).ends(0);
    let script = make();
    script
        .call(&["commands", "--as", "sh", "--to", "night.sh"])
        .ends(0);
    let output = Command::new("sh")
        .arg(script.path("night.sh"))
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    let names = by_run.files("r");
    assert_eq!(names.len(), files, "{names:?}");
    let logs = |name: &&String| !name.contains("truepath-");
    let alone: Vec<String> = script.files("r").iter().filter(logs).cloned().collect();
    assert_eq!(alone, names);
    for name in &names {
        let name = format!("r/{name}");
        let (one, other) = (pixels(&by_run.path(&name)), pixels(&script.path(&name)));
        assert!(one == other, "{name}");
    }
    script.call(&["audit"]).ends(0);
}

#[test]
fn the_understudy_draws_the_same_by_run_and_by_script() {
    if !needs("ffmpeg") {
        return;
    }
    by_run_and_by_script(
        &|| {
            let project = Project::new(
                "[project]\nchunk = 2\nengine = \"understudy\"\nsize = \"64x64\"\nfps = 24\n\
                 [shot.dawn]\nscene = \"dawn.toml\"\nframes = \"-1-4\"\n\
                 [output.o]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\"]\ncolor = { pixels = \"display\" }\n\
                 [output.m]\npath = \"r/{shot}.mp4\"\nmovie = { from = \"o\", pass = \"beauty\", codec = \"h264\" }\n",
            );
            project.write("dawn.toml", include_str!("../../../demo/scenes/dawn.toml"));
            project
        },
        13,
    );
}

#[test]
fn the_ray_tracer_draws_the_same_by_run_and_by_script() {
    if !needs("ffmpeg") || !needs("povray") {
        return;
    }
    by_run_and_by_script(
        &|| {
            let project = Project::new(
                "scene = \"model.pov\"\nframes = \"1-4\"\nchunk = 2\nengine = \"povray\"\nsize = \"48x48\"\nbits = 16\n\
                 path = \"r/{shot}.{frame:04}.png\"\n",
            );
            project.write("model.pov", include_str!("../../../demo/scenes/model.pov"));
            project.write(
                "model-brass.inc",
                include_str!("../../../demo/scenes/model-brass.inc"),
            );
            project
        },
        4,
    );
}

#[test]
fn a_program_driven_by_a_script_draws_the_same_by_run_and_by_script() {
    if !needs("ffmpeg") || !needs("python3") {
        return;
    }
    by_run_and_by_script(
        &|| {
            let project = Project::new(
                "scene = \"gears.py\"\nframes = \"1-3,7\"\nengine = \"python\"\nsize = \"48x32\"\nbits = 16\nchannels = \"rgba\"\n\
                 path = \"r/{shot}.{frame:04}.png\"\nsettings = { light = 0.5, note = 'of \"brass\"' }\n",
            );
            project.write("gears.py", include_str!("../../../demo/scenes/gears.py"));
            project
        },
        4,
    );
}

/// Two balls on a plane, in the format of the second ray tracer.
fn model(frame: i64) -> String {
    format!(
        "BEGIN_SCENE\nRESOLUTION 64 48\nCAMERA\n ZOOM 1.0\n ASPECTRATIO 1.0\n ANTIALIASING 0\n RAYDEPTH 4\n \
         CENTER 0.0 0.0 -6.0\n VIEWDIR 0.0 0.0 1.0\n UPDIR 0.0 1.0 0.0\nEND_CAMERA\n\
         LIGHT CENTER 3.0 4.0 -5.0 RAD 0.2 COLOR 1.0 1.0 1.0\n\
         SPHERE CENTER {}.0 0.0 2.0 RAD 1.0\n TEXTURE AMBIENT 0.2 DIFFUSE 0.8 SPECULAR 0.0 OPACITY 1.0\n \
         COLOR 0.8 0.6 0.3 TEXFUNC 0\nEND_SCENE\n",
        frame - 2
    )
}

fn tachyon() -> Project {
    let project = Project::new(
        "scene = \"model.dat\"\nframes = \"1-3\"\nengine = \"tachyon\"\nsize = \"64x48\"\nthreads = 1\n\
         settings = { shade = \"medium\" }\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    project.write("model.dat", "the frames have scenes of their own\n");
    for frame in 1..=3 {
        project.write(&format!("model.{frame:04}.dat"), &model(frame));
    }
    project
}

#[test]
fn the_scene_of_a_frame_alone_is_its_input_and_goes_into_bundles() {
    if !needs("tachyon") {
        return;
    }
    let project = tachyon();
    project.call(&["run"]).ends(0);
    project.write("model.0002.dat", &model(5));
    let status = project.call(&["status", "--stale"]).ends(1);
    assert!(
        status.out.contains("frame 2") && status.out.contains("the files of the frame alone"),
        "{}",
        status.out
    );
    let audit = project.audit();
    assert_eq!(audit["deliverables"][0]["stale"], "2", "{audit:#}");
    let why = project.call(&["why", "r/model.0001.png"]).ends(0);
    assert!(why.out.contains("shade"), "{}", why.out);
    project.call(&["run", "--rerender-stale"]).ends(0);
    project.call(&["audit"]).ends(0);
    // Adopted files are taken for the scenes of that moment.
    fs::remove_dir_all(project.path(".truepath")).unwrap();
    project.call(&["run"]).ends(0);
    project.write("model.0003.dat", &model(4));
    project.call(&["audit"]).ends(1);
    project.write("model.0003.dat", &model(3));
    project.call(&["audit"]).ends(0);

    fs::remove_dir_all(project.path("r")).unwrap();
    fs::remove_dir_all(project.path(".truepath")).unwrap();
    project.call(&["pack", "--to", "away"]).ends(0);
    let away = project.path("away");
    let bundle = fs::read_dir(&away).unwrap().next().unwrap().unwrap().path();
    assert!(bundle.join("model.0002.dat").is_file());
    let mut run = project.command(&["run"]);
    run.current_dir(&bundle);
    common::called(run).ends(0);
    let bundle = bundle.to_str().unwrap();
    project.call(&["gather", bundle]).ends(0);
    project.call(&["audit"]).ends(0);
    // A frame that was rendered from another scene is not gathered.
    fs::remove_file(project.path("r/model.0001.png")).unwrap();
    project.write("model.0001.dat", &model(6));
    let gathered = project.call(&["gather", bundle]).ends(1);
    assert!(
        gathered.out.contains("stale") || gathered.out.contains("other settings"),
        "{}",
        gathered.out
    );
    assert!(!project.path("r/model.0001.png").exists());
}

#[test]
fn a_second_ray_tracer_is_described_without_touching_code() {
    if !needs("ffmpeg") || !needs("tachyon") {
        return;
    }
    by_run_and_by_script(&tachyon, 3);
}

#[test]
fn movies_of_every_codec_are_made_and_proven() {
    if !needs("ffmpeg") || !needs("ffprobe") {
        return;
    }
    let rows = [
        ("h264", "mp4", "aac", "quality = \"lossless\""),
        ("hevc", "mp4", "aac", "quality = \"draft\""),
        ("av1", "webm", "opus", "quality = \"draft\""),
        ("vp9", "webm", "opus", "rate = \"800k\""),
        ("prores", "mov", "pcm-16", "pixels = \"4:4:4:4 10\""),
        ("mjpeg", "avi", "pcm-16", "quality = \"high\""),
        ("ffv1", "mkv", "flac", "pixels = \"rgb 16\""),
    ];
    let mut job = "[project]\nengine = \"understudy\"\nfps = 23.976\nsize = \"64x48\"\n\
                   [shot.dawn]\nscene = \"dawn.toml\"\nframes = \"-2-9\"\naudio = \"dawn.wav\"\n\
                   [output.frames]\npath = \"f/{shot}.{frame:04}.exr\"\nchannels = \"rgba\"\nbits = \"half\"\n\
                   color = { pixels = \"linear\", transfer = \"srgb\" }\n"
        .to_owned();
    for (codec, container, audio, more) in rows {
        job.push_str(&format!(
            "[output.{codec}]\npath = \"r/{codec}.{container}\"\nmovie = {{ from = \"frames\", codec = \"{codec}\", audio-codec = \"{audio}\", {more} }}\n"
        ));
    }
    let project = Project::new(&job);
    project.write("dawn.toml", include_str!("../../../demo/scenes/dawn.toml"));
    std::fs::write(project.path("dawn.wav"), common::wav(5)).unwrap();
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), rows.len());
    for (codec, container, ..) in rows {
        let output = Command::new("ffprobe")
            .args([
                "-v",
                "error",
                "-count_frames",
                "-show_entries",
                "stream=codec_name,nb_read_frames",
                "-of",
                "csv=p=0",
            ])
            .arg(project.path(&format!("r/{codec}.{container}")))
            .output()
            .unwrap();
        let printed = String::from_utf8(output.stdout).unwrap();
        let lines: Vec<&str> = printed.lines().collect();
        assert_eq!(lines.len(), 2, "{codec}: {printed}");
        assert_eq!(lines[0], format!("{codec},12"), "{printed}");
    }
    project.call(&["audit"]).ends(0);
}

/// A renderer of our own making: a shell script beside the job.
fn made_up(profile: &str, script: &str, frames: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"dawn.toml\"\nframes = \"{frames}\"\nengine = \"made-up\"\nretries = 0\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"
    ));
    project.write("dawn.toml", "a scene");
    project.write("engines/made-up.toml", profile);
    project.write("made-up", &format!("#!/bin/sh\nset -e\n{script}"));
    Command::new("chmod")
        .arg("+x")
        .arg(project.path("made-up"))
        .status()
        .unwrap();
    let drawn = Project::new(
        "scene = \"dawn.toml\"\nframes = \"1\"\nengine = \"understudy\"\nsize = \"8x8\"\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    drawn.write("dawn.toml", include_str!("../../../demo/scenes/dawn.toml"));
    drawn.call(&["run"]).ends(0);
    std::fs::copy(drawn.path("r/dawn.0001.png"), project.path("one.png")).unwrap();
    project
}

const HEAD: &str = "engine = { name = \"made-up\", program = \"./made-up\", frames = \"one\" }\n";

#[test]
fn a_scene_is_prepared_once_and_again_when_it_changed() {
    let profile = format!(
        "{HEAD}arguments = [\"{{prepared}}\", \"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\n\
         prepare = {{ program = \"sh\", arguments = [\"-c\", \"echo made >>../../../made; cp $0 $1\", \"{{scene.file}}\", \"{{prepared}}\"], makes = \"{{scene}}.exported\" }}\n"
    );
    let script =
        "grep -q scene \"$1\"\ncp ../../one.png p$2.png 2>/dev/null || cp ../one.png p$2.png\n";
    let project = made_up(&profile, script, "1-3");
    project.write("made", "");
    project.call(&["run"]).ends(0);
    assert_eq!(project.read("made"), "made\n");
    std::fs::remove_file(project.path("r/dawn.0002.png")).unwrap();
    project.call(&["run"]).ends(0);
    assert_eq!(project.read("made"), "made\n");
    assert_eq!(project.files(".truepath/prepared").len(), 1);
    // Another state of the scene: what was made of it is made again.
    project.write("dawn.toml", "another scene");
    std::fs::remove_file(project.path("r/dawn.0003.png")).unwrap();
    project.call(&["run"]).ends(1);
    assert_eq!(project.read("made"), "made\nmade\n");
}

#[test]
fn what_was_prepared_is_removed_afterwards_if_asked() {
    let profile = format!(
        "{HEAD}arguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\n\
         prepare = {{ program = \"cp\", arguments = [\"{{scene.file}}\", \"{{prepared}}\"], makes = \"x\", keep = false }}\n"
    );
    let script = "cp ../../one.png p$1.png 2>/dev/null || cp ../one.png p$1.png\n";
    let project = made_up(&profile, script, "1-2");
    project.call(&["run"]).ends(0);
    assert_eq!(project.files(".truepath/prepared").len(), 0);
}

#[test]
fn what_a_set_up_script_sets_reaches_the_engine() {
    let profile = format!(
        "{HEAD}set-up = \"env.sh\"\nenvironment = {{ LAMP = \"{{shot}}\" }}\narguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\nsuccess-codes = [7]\n"
    );
    let script = "test \"$BRASS\" = 'a  b'\ntest \"$LAMP\" = dawn\ncp ../../one.png p$1.png 2>/dev/null || cp ../one.png p$1.png\nexit 7\n";
    let project = made_up(&profile, script, "1-2");
    project.write("env.sh", "BRASS='a  b'\nLAMP=other\nexport BRASS LAMP\n");
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 2);
}

#[test]
fn an_engine_that_writes_where_the_scene_says_harms_no_file_there() {
    let profile = format!(
        "{HEAD}arguments = [\"{{scene.folder}}\", \"{{frame}}\"]\nwrites = \"{{scene.folder}}/own/p{{frame:?}}.png\"\n"
    );
    let project = made_up(&profile, "cp \"$1/one.png\" \"$1/own/p$2.png\"\n", "1-3");
    project.write("own/p2.png", "somebody's");
    project.write("own/notes.txt", "mine");
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 3);
    assert_eq!(project.files("own"), ["notes.txt", "p2.png"]);
    assert_eq!(project.read("own/p2.png"), "somebody's");
}

#[test]
fn processes_that_write_where_the_scene_says_take_turns() {
    let profile = format!(
        "{HEAD}arguments = [\"{{scene.folder}}\", \"{{frame}}\"]\nwrites = \"{{scene.folder}}/own/p{{frame:?}}.png\"\n"
    );
    // Two at once would find each other's mark.
    let script =
        "mkdir \"$1/mark\"\ncp \"$1/one.png\" \"$1/own/p$2.png\"\nsleep 0.01\nrmdir \"$1/mark\"\n";
    let project = made_up(&profile, script, "1-12");
    project.write("own/p2.png", "somebody's");
    project
        .call(&["run", "--jobs", "4", "--set", "chunk=1"])
        .ends(0);
    assert_eq!(project.files("r").len(), 12);
    assert_eq!(project.files("own"), ["p2.png"]);
    assert_eq!(project.read("own/p2.png"), "somebody's");
}

#[test]
fn frames_of_another_version_of_the_engine_are_reported() {
    let profile = format!(
        "{HEAD}version = {{ ask = [\"--version\"], find = 'version (?P<version>[0-9.]+)' }}\n\
         arguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\n"
    );
    let script = "if [ \"$1\" = --version ]; then cat \"$(dirname \"$0\")/version\"; exit; fi\ncp ../../one.png p$1.png\n";
    let project = made_up(&profile, script, "1-3");
    project.write("version", "version 3.1");
    let run = project.call(&["run"]).ends(0);
    assert!(!run.err.contains("today it is"), "{}", run.err);
    project.write("version", "version 3.2");
    let shown = "3 files are there that made-up 3.1 made; today it is made-up 3.2";
    let run = project.call(&["run"]).ends(0);
    assert!(run.err.contains(shown), "{}", run.err);
}

#[test]
fn what_was_held_aside_is_given_back_after_a_kill() {
    let profile = format!(
        "{HEAD}arguments = [\"{{scene.folder}}\", \"{{frame}}\"]\nwrites = \"{{scene.folder}}/own/p{{frame:?}}.png\"\n"
    );
    // It kills the run while somebody's file is out of the way, and its own is half there.
    let script = "if [ ! -e \"$1/killed\" ]; then\n  touch \"$1/killed\"\n  test ! -e \"$1/own/p2.png\"\n\
                  echo half >\"$1/own/p2.png\"\n  kill -9 $PPID\n  sleep 60\nfi\n\
                  cp \"$1/one.png\" \"$1/own/p$2.png\"\n";
    let project = made_up(&profile, script, "1-3");
    project.write("own/p2.png", "somebody's");
    let killed = project.call(&["run"]);
    assert_eq!(killed.code, None, "{}", killed.err);
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 3);
    assert_eq!(project.read("own/p2.png"), "somebody's");
    // The half file is nobody's: it is kept, and reported.
    let own = project.files("own");
    assert_eq!(own.len(), 2, "{own:?}");
    let aside = own.iter().find(|name| *name != "p2.png").unwrap();
    assert_eq!(project.read(&format!("own/{aside}")), "half\n");
}

#[test]
fn a_frame_goes_on_from_its_checkpoint() {
    let profile = format!(
        "{HEAD}arguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\ncheckpoint = {{ files = \"p{{frame:?}}.state\", put = \"--go-on\" }}\n"
    );
    // Stops at half of a frame; goes on only when it is asked to and the half is there.
    let script = "if [ \"$2\" = --go-on ]; then\n  grep -q half p$1.state\n  cp ../../one.png p$1.png 2>/dev/null || cp ../one.png p$1.png\nelse\n  echo half >p$1.state\n  exit 5\nfi\n";
    let project = made_up(&profile, script, "1-2");
    project.call(&["run"]).ends(1);
    assert_eq!(project.files("r").len(), 0);
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 2);
    assert_eq!(project.files(".truepath/checkpoints").len(), 0);
}

#[test]
fn what_is_written_into_given_files_is_read_back() {
    let value = prop_oneof![
        "\\PC{0,12}".prop_map(Value::from),
        "['\"\\\\{}$`\\n\\t\\r\\u{0}\\u{7f}\\u{2028}é日\u{1F600}]{0,8}".prop_map(Value::from),
        any::<i64>().prop_map(Value::from),
        any::<i32>().prop_map(|number| Value::from(f64::from(number) / 8.0)),
        any::<bool>().prop_map(Value::from),
        Just(Value::Null),
    ];
    let lists = prop::collection::vec(value, 60..80);
    let list = lists
        .new_tree(&mut TestRunner::deterministic())
        .unwrap()
        .current();
    let mut object = serde_json::Map::new();
    for (number, value) in list.iter().enumerate() {
        object.insert(format!("k\"{number}'\n"), value.clone());
    }
    let value = Value::from(vec![Value::from(list.clone()), Value::from(object)]);
    if needs("python3") {
        let literal = literal(Language::Python, &value).unwrap();
        let project = Project::empty();
        project.write(
            "read.py",
            &format!("import json\nvalue = {literal}\nprint(json.dumps(value))\n"),
        );
        let output = Command::new("python3")
            .arg(project.path("read.py"))
            .output()
            .unwrap();
        let read: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!(read, value);
    }
    for text in list.iter().filter_map(Value::as_str) {
        if text.contains('\0') {
            continue;
        }
        let word = literal(Language::Shell, &Value::from(text)).unwrap();
        let line = format!("printf '%s' {word}");
        let output = Command::new("sh").args(["-c", &line]).output().unwrap();
        assert_eq!(output.stdout, text.as_bytes(), "{word}");
        let plain = literal(Language::Plain, &Value::from(text));
        assert_eq!(
            plain.is_err(),
            text.chars().any(char::is_control),
            "{text:?}"
        );
    }
}

#[test]
fn mistakes_in_profiles_are_reported_like_those_in_jobs() {
    let project = made_up(
        "engine = { name = \"made-up\", program = \"./made-up\", makes = \"pictures\" }\n\
         arguments = [\"{map.kindd}\"]\nmap.kind = { by = [\"format\"], png = \"P\" }\n\
         log = [{ warning = '(?P<tex>.*)' }, { error = '(' }]\n\
         [setting]\nsamples = { takes = \"whole\", form = 1 }\n[[file]]\nname = \"a/b\"\ntext = \"x\"\n",
        "",
        "1",
    );
    let called = project.call(&["check"]).ends(2);
    for part in [
        "there is no table `map.kindd`",
        "did you mean `kind`?",
        "it has no group called text",
        "unclosed group",
        "a profile has no key `form` here",
        "\"a/b\"",
        "engines/made-up.toml:2",
    ] {
        assert!(called.err.contains(part), "{part}\n{}", called.err);
    }
}

#[test]
fn a_run_line_becomes_a_profile_that_does_the_same() {
    let project = Project::new(
        "scene = \"dawn.toml\"\nframes = \"1-2\"\npath = \"r/{shot}.{frame:04}.png\"\n\
         run = [\"cp\", \"{scene.folder}/dawn.png\", \"{target}\", \"--backup=none\"]\n"
            .replace("\"{target}\"", "\"{target.folder}/p{frame}.png\"")
            .as_str(),
    );
    project.write("dawn.toml", "");
    let before = project.call(&["commands", "--as", "json"]).ends(0).json();
    project
        .call(&["engines", "make", "copier", "--to", "engines/copier.toml"])
        .ends(0);
    let job = project.read("truepath.toml");
    let (rest, _) = job.split_once("run = ").unwrap();
    project.write("truepath.toml", &format!("{rest}engine = \"copier\"\n"));
    let after = project.call(&["commands", "--as", "json"]).ends(0).json();
    for step in 0..2 {
        assert_eq!(
            before["steps"][step]["arguments"],
            after["steps"][step]["arguments"]
        );
    }
    let shown = project.call(&["engines", "show", "copier"]).ends(0);
    assert!(shown.out.contains("--backup=none"), "{}", shown.out);
}

#[test]
fn engines_are_listed_and_asked() {
    let project = Project::empty();
    project.write(
        "engines/ghost.toml",
        "engine = { name = \"ghost\", program = \"no-such-program\" }\narguments = [\"{frame}\"]\n",
    );
    let listed = project
        .call(&["engines", "--format", "json", "--probe"])
        .json();
    let rows = listed["engines"].as_array().unwrap();
    let of = |name: &str| rows.iter().find(|row| row["name"] == name).unwrap();
    assert!(of("ghost")["found"].is_null());
    assert_eq!(of("understudy")["version"], env!("CARGO_PKG_VERSION"));
    for (name, program) in [
        ("povray", "povray"),
        ("tachyon", "tachyon"),
        ("ffmpeg", "ffmpeg"),
        ("python", "python3"),
    ] {
        if needs(program) {
            assert!(of(name)["version"].is_string(), "{name}");
        }
    }
    let unknown = project.call(&["engines", "show", "povrya"]).ends(2);
    assert!(
        unknown.err.contains("did you mean `povray`?"),
        "{}",
        unknown.err
    );
}

#[test]
fn every_profile_that_lies_in_the_folder_ships() {
    let project = Project::empty();
    let listed = project.call(&["engines", "--format", "json"]).json();
    let listed = listed["engines"].as_array().unwrap();
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("engines");
    let mut files = 0;
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        assert!(listed.iter().any(|one| one["name"] == *name), "{name}");
        files += 1;
    }
    assert_eq!(files, listed.len());
}
