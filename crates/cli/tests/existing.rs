//! Every policy, and every kind of file that can be in the way: the table of the guide, cell by cell.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{Project, kiln, scene, wrote};

/// What is in the way of frame 2.
#[derive(Debug, Clone, Copy, PartialEq)]
enum There {
    /// A frame that a run made with today's settings.
    Valid,
    /// A frame that a run made of another state of the scene.
    Stale,
    /// A frame that is cut off.
    Broken,
    /// Another whole picture under the name of one that a run has made.
    Changed,
    /// A whole picture that no run has recorded.
    Foreign,
}

const FRAME: &str = "renders/kiln.0002.png";

/// A project with two of three frames done and something in the way of the second, and its bytes.
fn project(existing: &str, there: There) -> (Project, Vec<u8>) {
    let project = kiln("1-3", existing, "");
    if there == There::Stale {
        project.write(
            "kiln.toml",
            &scene("").replace("radius = 0.2", "radius = 0.3"),
        );
    }
    // The run that made it is over: it made all that the job wants.
    let whole = project.read("truepath.toml");
    project.write("truepath.toml", &whole.replace(existing, ""));
    project.call(&["run"]).ends(0);
    project.write("truepath.toml", &whole);
    for name in ["renders/kiln.0001.png", "renders/kiln.0003.png"] {
        fs::remove_file(project.path(name)).unwrap();
    }
    project.write("kiln.toml", &scene(""));
    let path = project.path(FRAME);
    match there {
        There::Valid | There::Stale => {}
        There::Broken => fs::File::options()
            .write(true)
            .open(&path)
            .unwrap()
            .set_len(40)
            .unwrap(),
        There::Changed | There::Foreign => {
            // Somebody put a picture of his own there, whole and of the right size.
            let made = kiln("2", "", "");
            made.write(
                "kiln.toml",
                &scene("").replace("radius = 0.2", "radius = 0.4"),
            );
            made.call(&["run"]).ends(0);
            fs::remove_file(&path).unwrap();
            fs::copy(made.path("renders/kiln.0002.png"), &path).unwrap();
            if there == There::Foreign {
                fs::remove_dir_all(project.path(".truepath")).unwrap();
            }
        }
    }
    let bytes = fs::read(&path).unwrap();
    (project, bytes)
}

/// What a cell of the table says.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Cell {
    /// It stays, and the job is complete.
    Kept,
    /// It stays, is reported, and the job is not complete.
    Reported,
    /// It is rendered again; nothing is left of the old one.
    Replaced,
    /// It is rendered again; the old one is set aside.
    SetAside,
    /// Nothing is rendered at all.
    Refused,
}

fn look(existing: &str, options: &[&str], there: There) -> Cell {
    let (project, before) = project(existing, there);
    let renders = wrote(&project).len();
    let called = project.call(&[&["run"], options].concat());
    let now = fs::read(project.path(FRAME)).unwrap();
    let aside: Vec<Vec<u8>> = project
        .files("renders/set-aside")
        .iter()
        .map(|name| fs::read(project.path(&format!("renders/set-aside/{name}"))).unwrap())
        .collect();
    // Whatever happens, what was there before is either there, or set aside, or was replaced because
    // somebody asked for that; and the other frames are made unless the run was refused.
    let others = ["renders/kiln.0001.png", "renders/kiln.0003.png"];
    let made = others
        .iter()
        .filter(|name| project.path(name).is_file())
        .count();
    if called.code == Some(3) {
        assert_eq!(made, 0);
        assert!(
            called.err.contains("existing = \"refuse\""),
            "{}",
            called.err
        );
        assert_eq!(now, before);
        assert_eq!(wrote(&project).len(), renders);
        return Cell::Refused;
    }
    assert_eq!(made, 2, "{}\n{}", called.out, called.err);
    let again = wrote(&project).len() - renders == 3;
    match (called.code, again, aside.contains(&before)) {
        (Some(0), false, false) if now == before => Cell::Kept,
        (Some(1), false, false) if now == before => {
            let shown = called.out.contains("stale") || called.out.contains("changed");
            assert!(shown, "{}", called.out);
            Cell::Reported
        }
        (Some(0), true, false) => Cell::Replaced,
        (Some(0), true, true) => {
            assert!(called.err.contains("set aside "), "{}", called.err);
            assert!(now != before);
            Cell::SetAside
        }
        other => panic!("{other:?}\n{}\n{}", called.out, called.err),
    }
}

#[test]
fn every_cell_of_the_table() {
    use Cell::{Kept, Refused, Replaced, Reported, SetAside};
    let all = [
        There::Valid,
        There::Stale,
        There::Broken,
        There::Changed,
        There::Foreign,
    ];
    let table: [(&str, &[&str], [Cell; 5]); 7] = [
        ("", &[], [Kept, Reported, SetAside, Reported, Kept]),
        (
            "",
            &["--rerender-stale"],
            [Kept, Replaced, SetAside, SetAside, Kept],
        ),
        ("", &["--keep-stale"], [Kept, Kept, SetAside, Kept, Kept]),
        (
            "",
            &["--rerender-unrecorded"],
            [Kept, Reported, SetAside, Reported, SetAside],
        ),
        (
            "existing = \"keep\"\n",
            &["--rerender-stale", "--rerender-unrecorded"],
            [Kept, Replaced, SetAside, SetAside, SetAside],
        ),
        (
            "existing = \"replace\"\n",
            &[],
            [Replaced, Replaced, SetAside, SetAside, SetAside],
        ),
        ("existing = \"refuse\"\n", &[], [Refused; 5]),
    ];
    for (existing, options, cells) in table {
        for (there, cell) in all.into_iter().zip(cells) {
            assert_eq!(
                look(existing, options, there),
                cell,
                "{existing}{options:?}: {there:?}"
            );
        }
    }
}

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
        status.out.contains("0 of 4 files, 0 %, 4 stale"),
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
