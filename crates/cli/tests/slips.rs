//! Slips of the first day: those that are plain are taken as they are meant, the others are explained
//! before anything is rendered.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, kiln, needs, scene};

#[test]
fn slips_that_are_plain_are_taken_or_explained_in_one_line() {
    let job = |line: &str| format!("scene = \"kiln.toml\"\nengine = \"understudy\"\n{line}\n");
    // Taken as they are meant.
    for line in [
        "frames = \"1-4\"\npath = \"r/k.{frame:04}.{ext}\"\nformat = \"PNG\"",
        "frames = \"1-4\"\npath = \"r/k.{frame:04}.png\"\nsize = \"320 x 180\"",
    ] {
        let project = Project::new(&job(line));
        project.write("kiln.toml", &scene(""));
        project.call(&["check"]).ends(0);
    }
    let movie = "[project]\nengine = \"understudy\"\nfps = 24\nsize = \"HD\"\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
                 [output.frames]\npath = \"r/{shot}.{frame:04}.{ext}\"\nformat = \"tif\"\n\
                 [output.cut]\npath = \"r/{shot}.mp4\"\nmovie = { from = \"frames\", codec = \"H.264\" }\n";
    let project = Project::new(&movie.replace("tif", "jpg"));
    project.write("kiln.toml", &scene(""));
    let called = project.call(&["paths"]);
    assert!(
        called.out.contains("jpeg"),
        "{}\n{}",
        called.out,
        called.err
    );
    // Explained.
    for (line, advice) in [
        (
            "frames = 1-24\npath = \"r/k.{frame:04}.png\"",
            "frames = \"1-24\"",
        ),
        (
            "frames = \"1-4\"\npath = \"renders\\{shot}.png\"",
            "renders/{shot}.png",
        ),
        (
            "frames = \"1-4\"\npath = \"~/renders/k.{frame:04}.png\"",
            "{place.renders}",
        ),
        (
            "frames = \"1-4\"\npath = \"{place.r}/k.{frame:04}.png\"\n[place]\nr = \"~/renders\"",
            "a folder called `~` would be made",
        ),
    ] {
        let project = Project::new(&job(line));
        let called = project.call(&["check"]).ends(2);
        assert!(called.err.contains(advice), "{line}: {}", called.err);
        assert!(!project.path("~").exists());
    }
}

#[test]
fn other_notations_of_a_frame_or_a_token_are_found_and_fixed() {
    for (path, fixed) in [
        ("r/gate.%04d.png", "r/gate.{frame:04}.png"),
        ("r/gate.####.png", "r/gate.{frame:04}.png"),
        ("r/gate.#####.png", "r/gate.{frame:05}.png"),
        ("r/gate.%04d.{frame:04}.png", "r/gate.{frame:04}.png"),
        ("r/gate.[###].png", "r/gate.{frame:03}.png"),
        ("r/gate_@@.png", "r/gate_{frame:02}.png"),
        ("r/<<shot>>_@4.{{frame}}.png", "r/{shot}_{frame:04}.png"),
        ("r/gate.[1-4].{frame}.png", "r/gate.{frame}.png"),
    ] {
        let project = Project::new(&format!(
            "scene = \"kiln.toml\"\nengine = \"understudy\"\nframes = \"1-4\"\npath = \"{path}\"\n"
        ));
        project.write("kiln.toml", &scene(""));
        let called = project.call(&["check"]).ends(1);
        assert!(called.out.contains("TP124"), "{path}: {}", called.out);
        project.call(&["check", "--fix"]).ends(0);
        let job = project.read("truepath.toml");
        assert!(job.contains(&format!("\"{fixed}\"")), "{path}: {job}");
        project.call(&["check"]).ends(0);
    }
}

#[test]
fn what_is_meant_as_text_is_exempt() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
         [output.frames]\npath = \"r/[shot].{frame:04}.png\"\n\
         [check]\nexempt = [{ rule = \"TP124\", at = \"output.frames.path\", reason = \"the client's names\" }]\n",
    );
    project.write("kiln.toml", &scene(""));
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("r").len(), 4);
    assert!(project.path("r/[shot].0001.png").is_file());
}

#[test]
fn a_variable_of_the_environment_reaches_paths_by_a_place_alone() {
    let job = |folder: &str, path: &str| {
        let project = Project::new(&format!(
            "scene = \"kiln.toml\"\nengine = \"understudy\"\nframes = \"1-2\"\nplace = {{ root = \"{folder}\" }}\npath = \"{path}\"\n"
        ));
        project.write("kiln.toml", &scene(""));
        project
    };
    let in_place = "{place.root}/{shot}.{frame:04}.png";
    let project = job("{env.SHOWROOT}/r", in_place);
    let root = project.path("studio").display().to_string();
    let set = ("SHOWROOT", root.as_str());
    project.call_with(&["run"], set).ends(0);
    assert_eq!(project.files("studio/r").len(), 2);
    project.call_with(&["audit"], set).ends(0);
    // Without it nothing is guessed, by any command.
    for command in ["check", "run", "status", "audit", "commands"] {
        let called = project.call(&[command]).ends(2);
        let words = "the variable `SHOWROOT` of the environment is not set";
        assert!(called.err.contains(words), "{command}: {}", called.err);
    }
    for (folder, path) in [
        ("$SHOWROOT/r", in_place),
        ("${SHOWROOT}/r", in_place),
        ("%SHOWROOT%/r", in_place),
        ("r", "$SHOWROOT/{shot}.{frame:04}.png"),
        ("r", "${SHOWROOT}/{shot}.{frame:04}.png"),
        ("r", "{env.SHOWROOT}/{shot}.{frame:04}.png"),
    ] {
        let project = job(folder, path);
        let called = project.call_with(&["run"], set);
        assert_ne!(called.code, Some(0), "{folder} {path}");
        let said = format!("{}{}", called.out, called.err);
        assert!(said.contains("{env.SHOWROOT}"), "{folder} {path}: {said}");
        assert!(!project.path("studio").exists());
    }
}

#[test]
fn the_token_that_only_some_shots_have_is_put_in_as_an_optional_part() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\n[variant.day]\n[variant.night]\nsettings = { exposure = -2 }\n\
         [shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-4\"\nvariants = [\"day\", \"night\"]\n\
         [shot.gate]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
         [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    project.write("kiln.toml", &scene(""));
    project.call(&["check", "--fix"]).ends(0);
    let job = project.read("truepath.toml");
    assert!(
        job.contains("r/{shot}{?_{variant}}.{frame:04}.png"),
        "{job}"
    );
    project.call(&["check"]).ends(0);
}

#[test]
fn every_program_that_a_run_needs_is_checked_before() {
    if !needs("ffmpeg") {
        return;
    }
    let movie = "[project]\nengine = \"understudy\"\nfps = 24\nsize = \"48x32\"\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
                 [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\ncolor = { pixels = \"display\" }\n\
                 [output.cut]\npath = \"r/{shot}.mp4\"\nmovie = { from = \"frames\", codec = \"h264\", encoder = \"ffmpeg\" }\n";
    let project = Project::new(movie);
    project.write("kiln.toml", &scene(""));
    // An encoder without the program that proves its movies.
    let bin = project.path("bin");
    fs::create_dir(&bin).unwrap();
    let ffmpeg = truepath_runner::find_program("ffmpeg", std::path::Path::new("/")).unwrap();
    std::os::unix::fs::symlink(ffmpeg, bin.join("ffmpeg")).unwrap();
    let path = bin.display().to_string();
    let called = project.call_with(&["check"], ("PATH", &path)).ends(1);
    assert!(
        called.out.contains("the program `ffprobe`"),
        "{}",
        called.out
    );
    // Odd sizes are known although it is not set how pixels are stored.
    project.write("truepath.toml", &movie.replace("48x32", "47x31"));
    let called = project.call(&["check"]).ends(1);
    assert!(called.out.contains("TP405"), "{}", called.out);
    // So is alpha that the codec drops.
    let alpha = movie.replace("color = ", "channels = \"rgba\"\ncolor = ");
    project.write("truepath.toml", &alpha);
    let called = project.call(&["check"]).ends(0);
    assert!(called.out.contains("TP418"), "{}", called.out);
}

#[test]
fn a_scene_in_place_of_a_job_leads_on() {
    let project = kiln("1", "", "");
    project.write("cube.pov", "");
    project.write("cube.blob", "");
    let called = project.call(&["run", "cube.pov"]).ends(2);
    assert!(
        called.err.contains("truepath new --for-scene cube.pov"),
        "{}",
        called.err
    );
    let called = project
        .call(&["new", "--for-scene", "cube.blob", "--to", "b.toml"])
        .ends(2);
    assert!(called.err.contains("truepath adopt"), "{}", called.err);
    // Every command takes the job file as its argument.
    for command in ["check", "audit", "paths", "status", "overview", "commands"] {
        let called = project.call(&[command, "truepath.toml"]);
        assert!(
            matches!(called.code, Some(0 | 1)),
            "{command}: {}",
            called.err
        );
    }
}

#[test]
fn findings_of_one_cause_are_gathered() {
    let shots: String = (0..300)
        .map(|shot| format!("[shot.s{shot}]\nscene = \"missing{shot}.toml\"\nframes = \"1-4\"\n"))
        .collect();
    let project = Project::new(&format!(
        "[project]\nengine = \"understudy\"\n{shots}[output.o]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"
    ));
    for words in [&["check"][..], &["run"], &["commands"]] {
        let called = project.call(words).ends(1);
        let printed = format!("{}{}", called.out, called.err);
        assert!(
            printed.lines().count() < 40,
            "{words:?}: {} lines",
            printed.lines().count()
        );
        assert!(printed.contains("299 more times"), "{words:?}: {printed}");
        let all = project.call(&[words, &["--all"]].concat());
        assert!(
            all.out.len() + all.err.len() > 10 * printed.len(),
            "{words:?}"
        );
    }
}

#[test]
fn small_pictures_under_final_names_are_warned_of() {
    let project = kiln("1-4", "", "");
    let called = project.call(&["check", "--set", "scale=1/4"]).ends(0);
    assert!(called.out.contains("TP203"), "{}", called.out);
    assert!(called.out.contains("--trial"), "{}", called.out);
    // A trial has a folder of its own.
    let called = project.call(&["check", "--trial"]).ends(0);
    assert!(called.out.starts_with("no findings"), "{}", called.out);
}

#[test]
fn alpha_that_a_movie_drops_is_named_as_the_job_has_it() {
    for channels in ["rgba", "graya"] {
        let project = Project::new(&format!(
            "[project]\nengine = \"understudy\"\nfps = 24\nsize = \"48x32\"\n[shot.kiln]\nscene = \"kiln.toml\"\nframes = \"1-4\"\n\
             [output.frames]\npath = \"r/{{shot}}.{{frame:04}}.png\"\nchannels = \"{channels}\"\n\
             [output.cut]\npath = \"r/{{shot}}.mp4\"\nmovie = {{ from = \"frames\", codec = \"h264\", pixels = \"4:2:0 8\" }}\n"
        ));
        project.write("kiln.toml", &scene(""));
        let shown = project.call(&["check"]).out;
        let label = format!("its pictures are {channels}");
        assert!(shown.contains(&label), "{shown}");
    }
}
