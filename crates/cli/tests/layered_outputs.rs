//! Outputs that are made of the files of others: passes become layers of one file, and layers files of their own. They
//! are verified, recorded and stale like all others, and no pixel changes on the way.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

use common::layers::bits;
use common::{Chance, Project, needs, scene};

const HEAD: &str = r#"[project]
engine = "understudy"
size = "24x16"
jobs = 2
retries = 0
passes = ["beauty", "depth"]
[shot.kiln]
scene = "kiln.toml"
frames = "1-4"
[output.apart]
path = "r/{shot}_{pass}.{frame:04}.exr"
channels = "rgba"
bits = "half"
[output.apart.pass.depth]
channels = "gray"
bits = "float"
"#;

const TOGETHER: &str = r#"[output.together]
path = "t/{shot}.{frame:04}.exr"
from = "apart"
layers = { all = ["beauty", "depth"] }
"#;

const OF_LAYERS: &str = r#"[output.engine]
path = "e/{shot}.{frame:04}.exr"
bits = "half"
layers = { all = ["beauty", "depth"] }
[output.parts]
path = "p/{shot}_{pass}.{frame:04}.exr"
from = "engine"
compression = "piz"
"#;

fn project(more: &str) -> Project {
    let project = Project::new(&format!("{HEAD}{more}"));
    project.write("kiln.toml", &scene(""));
    project
}

/// A project whose passes are rendered, and put together by it.
fn made() -> Project {
    let project = project(TOGETHER);
    project.call(&["check"]).ends(0);
    project.call(&["run"]).ends(0);
    project
}

#[test]
fn passes_that_were_rendered_apart_become_layers_bit_for_bit() {
    let project = made();
    for frame in 1..=4 {
        let together = bits(&project.path(&format!("t/kiln.{frame:04}.exr")));
        let beauty = bits(&project.path(&format!("r/kiln_beauty.{frame:04}.exr")));
        let depth = bits(&project.path(&format!("r/kiln_depth.{frame:04}.exr")));
        assert_eq!(together.len(), beauty.len() + depth.len());
        for (layer, channels) in [("beauty", beauty), ("depth", depth)] {
            for (name, samples) in channels {
                assert_eq!(
                    together[&format!("{layer}.{name}")],
                    samples,
                    "{layer}.{name}"
                );
            }
        }
    }
    let audit = project.call(&["audit"]).ends(0);
    assert!(
        audit.out.contains("complete: all 12 files"),
        "{}",
        audit.out
    );
    // A second run finds them, and makes nothing.
    let again = project.call(&["run"]).ends(0);
    assert!(!again.out.contains("rendered"), "{}", again.out);
    // They are files like all others: of a known origin, in hash lists, and in the plan of a dry run.
    let why = project.call(&["why", "t/kiln.0002.exr"]).ends(0);
    assert!(why.out.contains("taken from"), "{}", why.out);
    assert!(why.out.contains("kiln_depth.0002.exr"), "{}", why.out);
    let paths = project.call(&["paths", "--output", "together", "--format", "json"]);
    let paths = paths.ends(0).json();
    assert_eq!(paths["deliverables"][0]["from"], "apart");
    assert_eq!(paths["deliverables"][0]["engine"], "built-in-layers");
    if needs("oiiotool") {
        let info = Command::new("oiiotool")
            .args(["--info", "-v"])
            .arg(project.path("t/kiln.0001.exr"))
            .output()
            .unwrap();
        let info = String::from_utf8_lossy(&info.stdout).into_owned();
        assert!(
            info.contains("beauty.R (half)") && info.contains("depth.Y (float)"),
            "{info}"
        );
    }
}

#[test]
fn layers_become_files_of_their_own_and_movies_are_made_of_these() {
    let movie = "[output.review]\npath = \"m/{shot}.mp4\"\nfps = 12\nmovie = { from = \"parts\", pass = \"beauty\", codec = \"h264\" }\ncolor.transfer = \"srgb\"\n";
    let project = project(&format!("{OF_LAYERS}{movie}"));
    project.call(&["run"]).ends(0);
    let whole = bits(&project.path("e/kiln.0003.exr"));
    let depth = bits(&project.path("p/kiln_depth.0003.exr"));
    assert!(!depth.is_empty());
    for (name, samples) in depth {
        assert_eq!(whole[&format!("depth.{name}")], samples);
    }
    let facts = project.call(&["scan", "p", "--facts"]).ends(0);
    assert!(facts.out.contains("piz"), "{}", facts.out);
    project.call(&["audit"]).ends(0);
    assert_eq!(project.files("m"), ["kiln.mp4"]);
}

#[test]
fn views_of_a_file_become_files_and_come_together_again() {
    let project = project(
        "[output.eyes]\npath = \"e/{shot}.{frame:04}.exr\"\nviews = [\"left\", \"right\"]\nviews-together = true\nlayers = { all = [\"beauty\", \"depth\"] }\n\
         [output.eye]\npath = \"v/{shot}_{view}_{pass}.{frame:04}.exr\"\nviews = [\"left\", \"right\"]\nfrom = \"eyes\"\n\
         [view.left]\n[view.right]\n",
    );
    project
        .call(&["run", "--output", "eyes,eye", "--frames", "1"])
        .ends(0);
    let whole = bits(&project.path("e/kiln.0001.exr"));
    for view in ["left", "right"] {
        let depth = bits(&project.path(&format!("v/kiln_{view}_depth.0001.exr")));
        assert!(!depth.is_empty());
        for (name, samples) in depth {
            assert_eq!(
                whole[&format!("{view}.depth.{name}")],
                samples,
                "{view} {name}"
            );
        }
    }
}

#[test]
fn they_are_made_again_when_what_they_are_made_of_is() {
    let project = made();
    let before = fs::read(project.path("t/kiln.0002.exr")).unwrap();
    project.write("kiln.toml", &scene("").replace("0.7, 0.3", "0.1, 0.9"));
    // Only the passes are rendered again: what is made of them is stale then, and says why.
    project
        .call(&["run", "--output", "apart", "--rerender-stale"])
        .ends(0);
    let audit = project.call(&["audit"]).ends(1);
    assert!(
        audit.out.contains("what it is made of has changed"),
        "{}",
        audit.out
    );
    let status = project.call(&["status", "--stale"]);
    assert!(
        status.out.contains("what it is made of has changed"),
        "{}",
        status.out
    );
    let why = project.call(&["why", "t/kiln.0002.exr"]).ends(1);
    assert!(
        why.out.contains("kiln_beauty.0002.exr is newer"),
        "{}",
        why.out
    );
    // No word is needed to make it anew, and the old one stays beside.
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    let aside = project.path("t/set-aside/kiln.0002.exr");
    assert_eq!(fs::read(aside).unwrap(), before);
}

#[test]
fn what_lacks_a_source_fails_by_name_and_takes_nothing_else_with_it() {
    let project = project(TOGETHER);
    project.call(&["run", "--output", "apart"]).ends(0);
    fs::remove_file(project.path("r/kiln_depth.0003.exr")).unwrap();
    let half = fs::read(project.path("r/kiln_beauty.0004.exr")).unwrap();
    fs::write(
        project.path("r/kiln_beauty.0004.exr"),
        &half[..half.len() / 2],
    )
    .unwrap();
    let run = project.call(&["run", "--output", "together"]).ends(1);
    let said = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("frame 3 of kiln · apart · depth"), "{said}");
    assert!(said.contains("frame 4 of kiln · apart · beauty"), "{said}");
    assert_eq!(project.files("t"), ["kiln.0001.exr", "kiln.0002.exr"]);
    // One that was made is stale while a source of it is away.
    fs::remove_file(project.path("r/kiln_depth.0001.exr")).unwrap();
    let status = project.call(&["status", "--format", "json"]).json();
    let rows = status["deliverables"].as_array().unwrap();
    let row = rows
        .iter()
        .find(|row| row["deliverable"] == "kiln · together · all");
    assert_eq!(row.unwrap()["stale"], "1", "{status}");
    // All is well once they are rendered again.
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
}

#[test]
fn a_pass_that_the_file_does_not_hold_is_never_replaced_by_another() {
    // Nobody says which passes the one file has.
    let project = project(
        "[output.one]\npath = \"o/{shot}.{frame:04}.exr\"\npasses = []\n\
         [output.parts]\npath = \"p/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"one\"\npasses = [\"depth\"]\n",
    );
    let run = project
        .call(&["run", "--output", "one,parts", "--frames", "1-2"])
        .ends(1);
    assert!(
        run.out.contains("it has no layer depth; it has (main)"),
        "{}",
        run.out
    );
    assert!(!project.path("p").exists() || project.files("p").is_empty());
}

#[test]
fn slips_are_found_before_anything_is_made() {
    for (more, wanted) in [
        (
            "[output.x]\npath = \"x/{shot}.{frame:04}.exr\"\nfrom = \"apert\"\nlayers = { all = [\"beauty\", \"depth\"] }\n",
            "did you mean `apart`",
        ),
        (
            "[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"apart\"\npasses = [\"beauty\", \"shadow\"]\n",
            "shadow",
        ),
        (
            "[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.png\"\nfrom = \"apart\"\n",
            "TP316",
        ),
        (
            "[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"apart\"\nsize = \"8x8\"\n",
            "TP317",
        ),
        (
            "[output.s]\npath = \"s/{shot}_{pass}.exr\"\nstill = 2\n[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"s\"\n",
            "TP318",
        ),
        (
            "[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"apart\"\n[output.y]\npath = \"y/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"x\"\n",
            "output that is rendered",
        ),
        (
            "[output.x]\npath = \"x/{shot}_{pass}.{frame:04}.exr\"\nfrom = \"apart\"\ncompression = \"b44\"\n",
            "b44",
        ),
    ] {
        let project = project(more);
        let check = project.call(&["check"]).ends(1);
        assert!(check.out.contains(wanted), "{wanted}: {}", check.out);
        assert!(!project.path("x").exists());
    }
}

#[test]
fn killed_at_any_moment_the_next_run_goes_on() {
    let project = project(&format!("{TOGETHER}{OF_LAYERS}"));
    let mut chance = Chance(7);
    for _ in 0..8 {
        let mut run = project
            .command(&["run", "--verbose"])
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // At another line of what it says in every round.
        let lines = BufReader::new(run.stderr.take().unwrap()).lines();
        lines
            .map_while(Result::ok)
            .take(1 + chance.below(9))
            .count();
        let _ = run.kill();
        run.wait().unwrap();
        let audit = project.audit();
        for account in audit["deliverables"].as_array().unwrap() {
            assert_eq!(account["broken"].as_array().unwrap().len(), 0, "{audit}");
        }
    }
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    let left = project
        .files("")
        .into_iter()
        .filter(|name| name.starts_with(".truepath-"));
    assert_eq!(left.count(), 0);
}

#[test]
fn a_script_makes_them_too() {
    let project = project(TOGETHER);
    let script = project.call(&["commands", "--as", "sh"]).ends(0).out;
    project.write("all.sh", &script);
    let done = Command::new("sh")
        .arg(project.path("all.sh"))
        .current_dir(project.path(""))
        .output()
        .unwrap();
    assert!(
        done.status.success(),
        "{}",
        String::from_utf8_lossy(&done.stderr)
    );
    let made = project
        .files("t")
        .into_iter()
        .filter(|name| name.ends_with(".exr"));
    assert_eq!(made.count(), 4);
    let together = bits(&project.path("t/kiln.0001.exr"));
    let depth = bits(&project.path("r/kiln_depth.0001.exr"));
    assert_eq!(together["depth.Y"], depth["Y"]);
}
