//! Versions that are free, and replacing runs that were stopped. The table of the guide is in `verdicts/policies.rs`.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{kiln, scene, wrote};

const FRAME: &str = "renders/kiln.0002.png";

#[test]
fn the_next_version_is_the_first_that_is_free() {
    let project = kiln("1-2", "existing = \"next-version\"\nversion = 3\n", "");
    let job = project
        .read("truepath.toml")
        .replace("{shot}.", "{shot}_v{version:03}.");
    project.write("truepath.toml", &job);
    project.call(&["run"]).ends(0);
    project.write("renders/kiln_v004.0002.png", "somebody's");
    let called = project.call(&["run"]).ends(0);
    assert!(called.err.contains("version 4 is taken"), "{}", called.err);
    let files = project.files("renders");
    assert_eq!(
        files,
        [
            "kiln_v003.0001.png",
            "kiln_v003.0002.png",
            "kiln_v004.0002.png",
            "kiln_v005.0001.png",
            "kiln_v005.0002.png"
        ]
    );
    assert_eq!(project.read("renders/kiln_v004.0002.png"), "somebody's");
    // Without the version in the path there is no next one.
    project.write("truepath.toml", &job.replace("_v{version:03}", ""));
    project.call(&["run"]).ends(0);
    let wrong = project.call(&["run"]).ends(2);
    assert!(
        wrong.err.contains("{version} in every path"),
        "{}",
        wrong.err
    );
}

#[test]
fn a_replacing_run_that_was_stopped_does_not_begin_again() {
    let project = kiln("1-6", "", "");
    project.call(&["run"]).ends(0);
    let first = fs::read(project.path(FRAME)).unwrap();
    let job = project.read("truepath.toml");
    project.write("truepath.toml", &format!("existing = \"replace\"\n{job}"));
    project.write(
        "kiln.toml",
        &scene("[mishap]\nfail-at = 4\n").replace("radius = 0.2", "radius = 0.3"),
    );
    project.call(&["run"]).ends(1);
    assert!(fs::read(project.path(FRAME)).unwrap() != first);
    project.write(
        "kiln.toml",
        &scene("").replace("radius = 0.2", "radius = 0.3"),
    );
    let called = project.call(&["run"]);
    // The scene without the mishap is another one: frames of this run are reported and not made twice.
    assert!(called.out.contains("rendered"), "{}", called.out);
    assert_eq!(
        project
            .files("renders")
            .iter()
            .filter(|name| !name.contains('/'))
            .count(),
        6
    );
}

#[test]
fn a_file_put_there_while_its_successor_is_made_is_set_aside() {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    for frame in 1..=3 {
        let [from, to] = ["renders/kiln.", "kept."].map(|name| format!("{name}000{frame}.png"));
        fs::copy(project.path(&from), project.path(&to)).unwrap();
    }
    // A renderer of other pictures, during whose work somebody retouches the second one.
    let render =
        "[ $1 != 2 ] || printf retouched >$3/renders/kiln.0002.png\ncp $3/kept.0003.png $2\n";
    project.write("render.sh", render);
    let folder = project.path("");
    let job = format!(
        "existing = \"replace\"\nrun = [\"sh\", \"{0}/render.sh\", \"{{frame}}\", \"{{target}}\", \"{0}\"]\n{1}",
        folder.display(),
        project
            .read("truepath.toml")
            .replace("engine = \"understudy\"\n", "")
    );
    project.write("truepath.toml", &job);
    let printed = project.call(&["run"]).ends(0).err;
    let begun = "3 files wanted, 3 there give way to new ones";
    assert!(printed.contains(begun), "{printed}");
    assert!(
        printed.contains("set aside the file that it replaces"),
        "{printed}"
    );
    let third = fs::read(project.path("kept.0003.png")).unwrap();
    for frame in 1..=3 {
        let made = fs::read(project.path(&format!("renders/kiln.000{frame}.png"))).unwrap();
        assert!(made == third, "{frame}");
    }
    let aside = project.files("renders/set-aside");
    assert_eq!(aside, ["kiln.0002.png"]);
    assert_eq!(project.read("renders/set-aside/kiln.0002.png"), "retouched");
}

#[test]
fn a_file_that_the_scene_needs_and_that_has_changed_makes_frames_stale() {
    let project = kiln("1-4", "", "");
    project.write("kiln.toml.facts.json", "{ \"files\": [\"brass.tex\"] }");
    project.write("brass.tex", "polished");
    project.call(&["run"]).ends(0);
    let before = std::fs::read(project.path("renders/kiln.0001.png")).unwrap();
    project.call(&["status"]).ends(0);
    project.write("brass.tex", "dull");
    let status = project.call(&["status"]).ends(1);
    assert!(
        status.out.contains("0 of 4 files valid, 0 %, 4 stale"),
        "{}",
        status.out
    );
    assert!(status.out.contains(" 0/4  ~~~~"), "{}", status.out);
    let status = project.call(&["status", "--format", "json"]).ends(1).json();
    assert_eq!(status["deliverables"][0]["stale"], "1-4");
    // They are kept, reported, and rendered again when that is asked for.
    let run = project.call(&["run"]).ends(1);
    assert!(run.err.contains("TP610"), "{}", run.err);
    assert_eq!(
        std::fs::read(project.path("renders/kiln.0001.png")).unwrap(),
        before
    );
    project.call(&["run", "--rerender-stale"]).ends(0);
    project.call(&["status"]).ends(0);
}

#[test]
fn a_policy_means_the_same_wherever_it_is_set() {
    for (policy, by_option) in [
        ("replace", false),
        ("replace", true),
        ("refuse", false),
        ("refuse", true),
        ("keep", false),
        ("keep", true),
    ] {
        let line = format!("existing = \"{policy}\"\n");
        let project = kiln("1-3", if by_option { "" } else { &line }, "");
        let option = format!("existing={policy}");
        let mut words = vec!["run"];
        if by_option {
            words.extend(["--set", &option]);
        }
        project.call(&words).ends(0);
        assert_eq!(wrote(&project).len(), 3, "{policy}, {by_option}");
        // Again and again, and each time the same.
        for again in 1..4 {
            let called = project.call(&words);
            let case = format!(
                "{policy}, {by_option}, {again}: {}\n{}",
                called.out, called.err
            );
            let (code, rendered) = match policy {
                "replace" => (0, 3 + 3 * again),
                "refuse" => (3, 3),
                _ => (0, 3),
            };
            assert_eq!(called.code, Some(code), "{case}");
            assert_eq!(wrote(&project).len(), rendered, "{case}");
        }
        // One policy after another.
        let called = project.call(&["run", "--set", "existing=refuse"]);
        assert_eq!(
            called.code,
            Some(3),
            "{policy}: {}\n{}",
            called.out,
            called.err
        );
        let before = wrote(&project).len();
        project.call(&["run", "--set", "existing=replace"]).ends(0);
        assert_eq!(wrote(&project).len(), before + 3);
    }
}
