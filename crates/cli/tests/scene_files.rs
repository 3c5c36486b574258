//! Files and folders that a job says its scene needs, where the engine does not report them.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::bundles::Home;
use common::{Project, kiln};

const NAMED: &str = "scene-files = [\"textures\", \"brass.inc\"]\n";

/// A job of three frames that needs a folder and a file.
fn textured() -> Project {
    let project = kiln("1-3", NAMED, "");
    fs::create_dir_all(project.path("textures/fine")).unwrap();
    project.write("textures/fine/brass.png", "brass");
    project.write("textures/oak.png", "oak");
    project.write("brass.inc", "shiny");
    project
}

/// The frames that are stale.
fn stale(project: &Project) -> String {
    let status = project.call(&["status", "--format", "json"]).json();
    let frames = status["deliverables"][0]["stale"].as_str();
    frames.unwrap().to_owned()
}

#[test]
fn a_frame_is_stale_when_what_its_scene_needs_is_another() {
    let project = textured();
    project.call(&["run"]).ends(0);
    assert_eq!(stale(&project), "");
    // Bytes count, and not when they were written.
    project.write("textures/oak.png", "oak");
    assert_eq!(stale(&project), "");
    for (file, content) in [
        ("textures/fine/brass.png", "copper"),
        ("brass.inc", "dull"),
        ("textures/new.png", "one more"),
    ] {
        let before = fs::read(project.path(file)).ok();
        project.write(file, content);
        assert_eq!(stale(&project), "1-3", "{file}");
        let why = project.call(&["why", "renders/kiln.0002.png"]).ends(1);
        assert!(why.out.contains(&format!("the file {file}")), "{}", why.out);
        match before {
            Some(bytes) => fs::write(project.path(file), bytes).unwrap(),
            None => fs::remove_file(project.path(file)).unwrap(),
        }
        assert_eq!(stale(&project), "", "{file}");
    }
    fs::rename(
        project.path("textures/oak.png"),
        project.path("textures/elm.png"),
    )
    .unwrap();
    assert_eq!(stale(&project), "1-3");
}

#[test]
fn a_folder_that_frames_go_to_is_refused() {
    let project = textured();
    let job = project
        .read("truepath.toml")
        .replace("textures", "renders/..");
    project.write("truepath.toml", &job);
    let check = project.call(&["check"]).ends(1);
    assert!(check.out.contains("TP612"), "{}", check.out);
    assert!(check.out.contains("the scene needs it"), "{}", check.out);
}

#[test]
fn what_is_not_there_is_an_error_at_its_place() {
    let project = textured();
    fs::remove_file(project.path("brass.inc")).unwrap();
    let check = project.call(&["check"]).ends(1);
    assert!(check.out.contains("TP526"), "{}", check.out);
    assert!(check.out.contains("brass.inc"), "{}", check.out);
    assert!(!check.out.contains("textures/"), "{}", check.out);
    project.call(&["run"]).ends(1);
    assert!(project.files("renders").is_empty());
    // One text is no list.
    let job = project
        .read("truepath.toml")
        .replace(NAMED, "scene-files = \"textures\"\n");
    project.write("truepath.toml", &job);
    let check = project.call(&["check"]).ends(2);
    assert!(
        check.err.contains("a list of paths such as"),
        "{}",
        check.err
    );
}

#[test]
fn links_in_a_circle_and_what_this_program_keeps_there_are_no_files_of_the_scene() {
    let project = textured();
    std::os::unix::fs::symlink("..", project.path("textures/fine/up")).unwrap();
    std::os::unix::fs::symlink("nowhere", project.path("textures/dead.png")).unwrap();
    project.call(&["run"]).ends(0);
    fs::create_dir(project.path("textures/.truepath")).unwrap();
    project.write("textures/.truepath/ledger", "another job");
    assert_eq!(stale(&project), "");
}

/// A job whose first shot needs a folder beside it and one in a place.
fn home() -> Home {
    let home = Home::new("");
    for (folder, file) in [
        ("home/show/textures/fine", "brass.png"),
        ("home/scenes/parts", "gear.inc"),
    ] {
        fs::create_dir_all(home.project.path(folder)).unwrap();
        home.project.write(&format!("{folder}/{file}"), file);
    }
    let job = home.project.read("home/show/truepath.toml").replace(
        "[shot.dawn]\n",
        "[shot.dawn]\nscene-files = [\"textures\", \"{place.scenes}/parts\"]\n",
    );
    home.project.write("home/show/truepath.toml", &job);
    home
}

#[test]
fn a_bundle_holds_them_and_its_frames_come_home() {
    let home = home();
    home.pack(&["--output", "frames"]).ends(0);
    let bundle = home.bundle("orrery-v003-part1of1");
    for file in ["textures/fine/brass.png", "places/scenes/parts/gear.inc"] {
        assert!(bundle.join(file).is_file(), "{file}");
    }
    let bundle = home.render("orrery-v003-part1of1", "north");
    home.gather(&[&bundle]).ends(0);
    // Another folder at home, and they are stale.
    home.project.write("home/scenes/parts/gear.inc", "teeth");
    let gathered = home.gather(&[&bundle]).ends(1);
    assert!(gathered.out.contains("stale"), "{}", gathered.out);
}

#[test]
fn a_folder_outside_of_all_places_is_listed_and_nothing_is_packed() {
    let home = home();
    fs::create_dir(home.project.path("elsewhere")).unwrap();
    home.project.write("elsewhere/oak.png", "oak");
    let job = home.project.read("home/show/truepath.toml");
    let job = job.replace("\"textures\"", "\"../../elsewhere\"");
    home.project.write("home/show/truepath.toml", &job);
    let packed = home.pack(&["--output", "frames"]).ends(2);
    assert!(packed.err.contains("oak.png"), "{}", packed.err);
    assert!(home.project.files("away").is_empty());
}

#[test]
fn a_name_that_is_no_text_is_shown_and_nothing_is_packed() {
    use std::os::unix::ffi::OsStrExt;
    let home = home();
    let name = std::ffi::OsStr::from_bytes(b"b\xe9ton.png");
    fs::write(home.project.path("home/show/textures").join(name), "b").unwrap();
    let packed = home.pack(&["--output", "frames"]).ends(2);
    assert!(
        packed.err.contains(r"textures/b\xe9ton.png"),
        "{}",
        packed.err
    );
    assert!(packed.err.contains("UTF-8"), "{}", packed.err);
    assert!(home.project.files("away").is_empty());
}

#[test]
fn files_that_a_scene_names_and_nobody_watches_are_shown_with_what_to_write() {
    let project = Project::new(
        "scene = \"kiln.txt\"\nframes = \"1-3\"\npath = \"out/{shot}.{frame:04}.png\"\n\
         run = [\"true\", \"{scene.file}\", \"look.cfg\", \"{frame}\", \"{target}\"]\n",
    );
    project.write(
        "kiln.txt",
        "mesh wheel.obj at 0.5\nuse 'look.cfg' and library.inc\n",
    );
    project.write("wheel.obj", "round");
    project.write("look.cfg", "bright");
    let check = project.call(&["check"]).ends(0);
    assert!(check.out.contains("TP530"), "{}", check.out);
    let advice = "scene-files = [\"wheel.obj\"]";
    assert!(check.out.contains(advice), "{}", check.out);
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &format!("{advice}\n{job}"));
    let check = project.call(&["check"]).ends(0);
    assert!(!check.out.contains("TP530"), "{}", check.out);
}
