//! One job on machines of several systems.
#![allow(clippy::unwrap_used)]

mod common;

use common::Project;

const JOB: &str = r#"[project]
engine = "understudy"
[place]
scenes  = { linux = "/srv/scenes", windows = 'S:\' }
renders = { linux = "/srv/renders", windows = 'R:\renders', macos = "/Volumes/renders" }
[shot.dawn]
scene  = "{place.scenes}/dawn.toml"
frames = "1-2"
[shot.dusk]
scene  = "{place.scenes}/dusk.toml"
frames = "1-2"
[output.frames]
path   = "{place.renders}/{shot}/{shot}.{frame:04}.{ext}"
format = "png"
"#;

fn listed(project: &Project, arguments: &[&str], configuration: &str) -> Vec<String> {
    project.write("machine.toml", configuration);
    let path = project.path("machine.toml").display().to_string();
    let all = [&["paths", "--all"], arguments].concat();
    let called = project.call_with(&all, ("TRUEPATH_CONFIG", &path)).ends(0);
    called.out.lines().map(str::to_owned).collect()
}

#[test]
fn two_machines_give_the_same_names_under_their_own_places() {
    let project = Project::new(JOB);
    let linux = listed(&project, &["--for", "linux"], "");
    let windows = listed(&project, &["--for", "windows"], "");
    assert_eq!(linux[0], "/srv/renders/dawn/dawn.0001.png");
    assert_eq!(windows[0], r"R:\renders\dawn\dawn.0001.png");
    let below = |all: &[String], place: &str| -> Vec<String> {
        all.iter()
            .map(|path| path.strip_prefix(place).unwrap().replace('\\', "/"))
            .collect()
    };
    assert_eq!(
        below(&linux, "/srv/renders"),
        below(&windows, r"R:\renders")
    );
    // A machine whose configuration says otherwise wins, for its own system.
    let own = "[place]\nrenders = { windows = 'D:\\fast' }\n";
    assert_eq!(
        listed(&project, &["--for", "windows"], own)[0],
        r"D:\fast\dawn\dawn.0001.png"
    );
    assert_eq!(listed(&project, &["--for", "linux"], own), linux);
}

#[test]
fn a_place_that_a_system_has_not_is_reported() {
    let project = Project::new(JOB);
    let called = project.call(&["paths", "--for", "macos"]).ends(1);
    assert!(
        called
            .err
            .contains("the place `scenes` has no folder on macos"),
        "{}",
        called.err
    );
    let called = project.call(&["paths", "--for", "window"]).ends(2);
    assert!(called.err.contains("windows"), "{}", called.err);
}

#[test]
fn the_folder_of_the_job_elsewhere_is_said_and_not_guessed() {
    let short = "scene = \"kiln.toml\"\nframes = \"1-2\"\nengine = \"understudy\"\npath = \"r/{shot}.{frame:04}.png\"\n";
    let project = Project::new(short);
    let called = project.call(&["paths", "--for", "windows"]).ends(2);
    assert!(
        called.err.contains("[place] job = { windows = '…' }"),
        "{}",
        called.err
    );
    project.write(
        "truepath.toml",
        &format!("{short}[place]\njob = {{ windows = '\\\\server\\show' }}\n"),
    );
    let windows = listed(&project, &["--for", "windows"], "");
    assert_eq!(windows[0], r"\\server\show\r\kiln.0001.png");
    let tokens = project
        .call(&["tokens", "place.job", "--for", "windows"])
        .ends(0);
    assert!(tokens.out.contains(r"\\server\show"), "{}", tokens.out);
}
