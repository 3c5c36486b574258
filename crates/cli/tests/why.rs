//! Why a file is what it is.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::kiln;

#[test]
fn a_file_tells_what_it_is_who_made_it_and_how_it_is_named() {
    let project = kiln("1-4", "[settings]\n", "");
    project.call(&["run", "--jobs", "1"]).ends(0);
    let called = project.call(&["why", "renders/kiln.0003.png"]).ends(0);
    let text = project.plain(&called.out);
    for part in [
        "is         frame 3 of kiln · frames",
        "state      valid",
        "made by    rendered ",
        "understudy ",
        ", run 1",
        "content    ",
        "blake3:",
        "shows      brightness ",
        "--frames=1-4",
        "made of    ",
        "named by   {shot} = kiln",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
    // The line of the log says that this file has its name.
    let log = called
        .out
        .lines()
        .find_map(|line| line.trim().strip_prefix("log"))
        .unwrap();
    let (path, line) = log.trim().rsplit_once(':').unwrap();
    let log = fs::read_to_string(path).unwrap();
    let line = log.lines().nth(line.parse::<usize>().unwrap() - 1).unwrap();
    assert!(line.ends_with("renders/kiln.0003.png"), "{line}");
}

#[test]
fn every_state_has_its_reason() {
    let project = kiln("1-4", "", "");
    project.call(&["run"]).ends(0);
    let why = |frame: u32, code: i32| {
        let called = project
            .call(&["why", &format!("renders/kiln.{frame:04}.png")])
            .ends(code);
        called.out
    };
    fs::remove_file(project.path("renders/kiln.0001.png")).unwrap();
    assert!(why(1, 1).contains("state      missing"));
    let path = project.path("renders/kiln.0002.png");
    let bytes = fs::read(&path).unwrap();
    fs::write(&path, &bytes[..bytes.len() / 2]).unwrap();
    assert!(why(2, 1).contains("state      broken: it is cut short or damaged"));
    let job = project.read("truepath.toml");
    project.write(
        "truepath.toml",
        &format!("{job}settings = {{ samples = 2 }}\n"),
    );
    let stale = why(3, 1);
    assert!(
        stale.contains("state      stale: settings.samples: 2 is new (truepath.toml:7)"),
        "{stale}"
    );
    // A file that no run has made.
    fs::copy(
        project.path("renders/kiln.0003.png"),
        project.path("renders/kiln.0009.png"),
    )
    .unwrap();
    let strange = why(9, 1);
    assert!(strange.contains("made by    nobody knows"), "{strange}");
    assert!(
        strange.contains("the job does not want this frame"),
        "{strange}"
    );
}

#[test]
fn a_name_that_the_job_does_not_give_is_refused() {
    let project = kiln("1-4", "", "");
    let called = project.call(&["why", "renders/other.0003.png"]).ends(2);
    assert!(
        called
            .err
            .contains("no part of truepath.toml gives a file this name"),
        "{}",
        called.err
    );
}

#[test]
fn a_file_that_was_rendered_twice_says_both() {
    let project = kiln("1-2", "", "");
    project.call(&["run"]).ends(0);
    fs::remove_file(project.path("renders/kiln.0002.png")).unwrap();
    project.call(&["run"]).ends(0);
    let called = project.call(&["why", "renders/kiln.0002.png"]).ends(0);
    assert!(called.out.contains(", run 2"), "{}", called.out);
    assert!(
        called.out.contains("before     rendered "),
        "{}",
        called.out
    );
}

#[test]
fn the_warnings_of_a_frame_are_shown_with_their_lines() {
    let project = kiln("1-4", "", "[mishap]\nnoisy = 7\n");
    project.call(&["run", "--jobs", "1"]).ends(0);
    let called = project.call(&["why", "renders/kiln.0003.png"]).ends(0);
    let warnings: Vec<&str> = called
        .out
        .lines()
        .filter(|line| line.contains("flickers"))
        .collect();
    // Those of its own frame, not of the others.
    assert_eq!(warnings.len(), 5, "{}", called.out);
    assert!(warnings[0].contains("lamp 0 of frame 3 flickers"));
    assert!(called.out.contains("and 2 more in the log"));
    let log = called
        .out
        .lines()
        .find_map(|line| line.trim().strip_prefix("log"))
        .unwrap();
    let (path, _) = log.trim().rsplit_once(':').unwrap();
    let (_, number) = warnings[0].rsplit_once("(line ").unwrap();
    let number: usize = number.trim_end_matches(')').parse().unwrap();
    let text = fs::read_to_string(path).unwrap();
    let line = text.lines().nth(number - 1).unwrap();
    assert!(
        line.ends_with("warning: lamp 0 of frame 3 flickers"),
        "{line}"
    );
}
