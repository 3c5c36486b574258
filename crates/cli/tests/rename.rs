//! Files get other names, and none is lost or replaced.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln};

fn pictures(names: &[&str]) -> Project {
    let project = Project::empty();
    for name in names {
        project.write(name, &format!("picture {name}"));
    }
    project
}

#[test]
fn names_are_read_with_any_padding_shown_first_and_renamed_when_asked() {
    let project = pictures(&["A1.png", "A02.png", "A0010.png", "note.txt"]);
    let line = [
        "rename",
        "A{frame}.png",
        "renders/{shot}_{frame:04}.png",
        "--set",
        "shot=dawn",
        "--shift",
        "+1000",
    ];
    let called = project.call(&line).ends(0);
    assert!(
        called.out.contains("A02.png    to  renders/dawn_1002.png"),
        "{}",
        called.out
    );
    assert!(
        called.err.contains("nothing was renamed; --apply does it"),
        "{}",
        called.err
    );
    assert_eq!(
        project.files(""),
        ["A0010.png", "A02.png", "A1.png", "note.txt"]
    );
    let called = project.call(&[&line[..], &["--apply"]].concat()).ends(0);
    assert!(called.out.contains("renamed 3 files"), "{}", called.out);
    let renamed = [
        "note.txt",
        "renders/dawn_1001.png",
        "renders/dawn_1002.png",
        "renders/dawn_1010.png",
    ];
    assert_eq!(project.files(""), renamed);
    assert_eq!(project.read("renders/dawn_1010.png"), "picture A0010.png");
    project.call(&["rename", "--undo"]).ends(0);
    assert_eq!(
        project.files(""),
        ["A0010.png", "A02.png", "A1.png", "note.txt"]
    );
    assert!(!project.path("renders").exists());
    // There is nothing more to take back.
    let called = project.call(&["rename", "--undo"]).ends(2);
    assert!(
        called.err.contains("nothing was renamed from here"),
        "{}",
        called.err
    );
}

#[test]
fn frames_are_shifted_over_each_other_and_swaps_go_by_a_temporary_name() {
    let names: Vec<String> = (1..=40).map(|frame| format!("s.{frame:04}.png")).collect();
    let project = pictures(&names.iter().map(String::as_str).collect::<Vec<_>>());
    project
        .call(&[
            "rename",
            "s.{frame:04}.png",
            "s.{frame:04}.png",
            "--shift",
            "1",
            "--apply",
        ])
        .ends(0);
    assert!(!project.path("s.0001.png").exists());
    assert_eq!(project.read("s.0041.png"), "picture s.0040.png");
    project
        .call(&[
            "rename",
            "s.{frame:04}.png",
            "s.{frame:04}.png",
            "--shift",
            "-1",
            "--apply",
        ])
        .ends(0);
    assert_eq!(project.read("s.0001.png"), "picture s.0001.png");
}

#[test]
fn names_that_are_taken_wanted_twice_or_unclear_are_refused_before_anything_moves() {
    let project = pictures(&["A1.png", "A01.png", "B2.png", "out/0002.png"]);
    let called = project
        .call(&["rename", "A{frame}.png", "out/{frame:04}.png", "--apply"])
        .ends(1);
    assert!(called.err.contains("would both be"), "{}", called.err);
    let called = project
        .call(&["rename", "B{frame}.png", "out/{frame:04}.png", "--apply"])
        .ends(1);
    assert!(
        called.err.contains("there is a file of that name"),
        "{}",
        called.err
    );
    let called = project
        .call(&["rename", "C{frame}.png", "x{frame}.png"])
        .ends(2);
    assert!(
        called.err.contains("no file fits C{frame}.png"),
        "{}",
        called.err
    );
    let called = project
        .call(&["rename", "B{frame}.png", "{shot}{frame}.png"])
        .ends(1);
    assert!(
        called.err.contains("left B2.png") && called.err.contains("--set can give it"),
        "{}",
        called.err
    );
    let unclear = pictures(&["dawn_sky_beauty_0001.png"]);
    let line = [
        "rename",
        "{shot}_{pass}_{frame}.png",
        "{pass}/{shot}.{frame:04}.png",
    ];
    let called = unclear.call(&line).ends(1);
    assert!(called.err.contains("it can be read as"), "{}", called.err);
    unclear
        .call(&[&line[..], &["--set", "pass=beauty", "--apply"]].concat())
        .ends(0);
    assert_eq!(unclear.files(""), ["beauty/dawn_sky.0001.png"]);
    assert_eq!(
        project.files(""),
        ["A01.png", "A1.png", "B2.png", "out/0002.png"]
    );
}

#[test]
fn what_somebody_changed_meanwhile_is_not_taken_back_over() {
    let project = pictures(&["A1.png", "A2.png"]);
    project
        .call(&["rename", "A{frame}.png", "B{frame:02}.png", "--apply"])
        .ends(0);
    // Somebody writes a new file under an old name.
    project.write("A1.png", "new work");
    let called = project.call(&["rename", "--undo"]).ends(2);
    assert!(
        called.err.contains("is taken by another file by now"),
        "{}",
        called.err
    );
    assert_eq!(project.read("A1.png"), "new work");
    assert_eq!(project.files(""), ["A1.png", "B01.png", "B02.png"]);
    // Two names of one file, and a link, are said.
    let linked = pictures(&["A1.png"]);
    fs::hard_link(linked.path("A1.png"), linked.path("kept.png")).unwrap();
    let called = linked
        .call(&["rename", "A{frame}.png", "B{frame:02}.png", "--apply"])
        .ends(0);
    assert!(
        called.out.contains("they have further names, which stay"),
        "{}",
        called.out
    );
    assert_eq!(linked.files(""), ["B01.png", "kept.png"]);
}

#[test]
fn files_get_the_true_names_of_a_job_and_are_adopted() {
    let project = kiln("1-4", "", "");
    project.call(&["run"]).ends(0);
    // Somebody brought them home under other names, one frame too early.
    fs::create_dir(project.path("home")).unwrap();
    for frame in 1..=4 {
        let from = project.path(&format!("renders/kiln.{frame:04}.png"));
        fs::rename(from, project.path(&format!("home/kiln-{}.png", frame - 1))).unwrap();
    }
    fs::remove_dir_all(project.path(".truepath")).unwrap();
    let line = [
        "rename",
        "home/{shot}-{frame}.png",
        "--to-job",
        "--shift",
        "1",
        "--apply",
    ];
    let called = project.call(&line).ends(0);
    assert!(
        called.err.contains("takes them as adopted"),
        "{}",
        called.err
    );
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 4);
    let why = project.call(&["why", "renders/kiln.0003.png"]).ends(0).out;
    assert!(why.contains("found there and adopted"), "{why}");
    // What no part of the job wants is left.
    project.write("home/moon-1.png", "a moon");
    let called = project
        .call(&["rename", "home/{shot}-{frame}.png", "--to-job"])
        .ends(1);
    assert!(
        called.err.contains("no output of the job is like it"),
        "{}",
        called.err
    );
}
