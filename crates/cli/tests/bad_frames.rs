//! Frames that cannot be rendered take no others with them, wherever they stand; and where nothing at
//! all can be rendered, that is found out soon and reported once.
#![allow(clippy::unwrap_used)]

mod common;

use std::collections::BTreeSet;
use std::fs;

use common::{Project, picture, picture_of};

/// A project of 48 frames whose engine runs these lines for each frame `$f`, before it writes it to
/// `$to`.
fn project(lines: &str, more: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"1-48\"\nsplit = \"free\"\nretries = 0\npath = \"out/kiln.{{frame:04}}.png\"\n\
         run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{first}}\", \"{{last}}\", \"{{target.folder}}\"]\n{more}"
    ));
    project.write(
        "engine.sh",
        &format!(
            "cd \"$(dirname \"$0\")\"\nto=$3\necho start >>starts\n\
             for f in $(seq $1 $2); do\n  {lines}\n  cp picture.png $to/p$f.png\ndone\n"
        ),
    );
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project
}

fn starts(project: &Project) -> u64 {
    project.read("starts").lines().count() as u64
}

#[test]
fn every_frame_that_can_be_rendered_is_rendered() {
    let places: [(&str, Vec<u64>); 5] = [
        ("first", vec![1]),
        ("middle", vec![25]),
        ("last", vec![48]),
        ("first three", vec![1, 2, 3]),
        ("every fifth", (1..=9).map(|one| one * 5).collect()),
    ];
    for (place, bad) in &places {
        for chunk in [1, 8, 48, 0] {
            let case = format!("{place}, chunk {chunk}");
            let frames: Vec<String> = bad.iter().map(u64::to_string).collect();
            let lines = format!(
                "case $f in {}) echo \"no lamp in frame $f\"; exit 3;; esac",
                frames.join("|")
            );
            let chunks = if chunk == 0 {
                1
            } else {
                48_u64.div_ceil(chunk)
            };
            let project = project(&lines, &format!("chunk = {chunk}\n"));
            let called = project.call(&["run"]).ends(1);
            let good = 48 - bad.len();
            assert_eq!(project.files("out").len(), good, "{case}: {}", called.out);
            let failed = format!("failed {:>10}", bad.len());
            assert!(called.out.contains(&failed), "{case}: {}", called.out);
            assert!(
                called.out.contains("no lamp in frame"),
                "{case}: {}",
                called.out
            );
            let most = chunks + 6 * bad.len() as u64;
            assert!(
                starts(&project) <= most,
                "{case}: {} starts",
                starts(&project)
            );
        }
    }
}

#[test]
fn what_cannot_work_at_all_is_found_out_soon_and_said_once() {
    for (chunk, jobs, most) in [(1, "1", 5), (8, "1", 6), (48, "1", 5), (1, "4", 12)] {
        let project = project(
            "echo 'error: no licence'; exit 1",
            &format!("chunk = {chunk}\n"),
        );
        let called = project.call(&["run", "--jobs", jobs]).ends(1);
        let case = format!("chunk {chunk}, {jobs} jobs: {}\n{}", called.out, called.err);
        assert!(
            starts(&project) <= most,
            "{} starts, {case}",
            starts(&project)
        );
        let printed = called
            .err
            .lines()
            .filter(|line| line.contains("no licence"));
        assert_eq!(printed.count(), 1, "{case}");
        assert!(called.out.contains("given up"), "{case}");
        assert!(called.out.contains("not tried"), "{case}");
    }
}

#[test]
fn an_engine_that_is_not_here_is_not_looked_for_again() {
    let project = project("", "");
    let job = project
        .read("truepath.toml")
        .replace("\"sh\"", "\"no-such-renderer\"");
    project.write("truepath.toml", &job);
    let called = project.call(&["run", "--ignore", "TP503"]).ends(1);
    assert!(
        called.out.contains("`no-such-renderer` is not here"),
        "{}",
        called.out
    );
}

#[test]
fn pictures_of_another_kind_stop_a_deliverable_and_say_what_to_change() {
    for chunk in [1, 8, 48] {
        let project = project("", &format!("chunk = {chunk}\nchannels = \"rgb\"\n"));
        let gray = picture_of(8, 8, png::ColorType::Grayscale, 3);
        fs::write(project.path("picture.png"), gray).unwrap();
        let called = project.call(&["run"]).ends(1);
        let case = format!("chunk {chunk}: {}\n{}", called.out, called.err);
        assert!(starts(&project) <= 5, "{} starts, {case}", starts(&project));
        let reason = "its set of channels is gray, not rgb; make the renderer write rgb, or set `channels = \"gray\"`";
        assert!(called.out.contains(reason), "{case}");
        assert!(!called.out.contains("wrote no file"), "{case}");
        let aside = project.files("out/set-aside").len();
        assert!((1..=48).contains(&aside), "{aside} set aside, {case}");
        // Started again, the same pictures do not pile up.
        project.call(&["run"]).ends(1);
        assert_eq!(project.files("out/set-aside").len(), aside, "{case}");
        // Fixed in the job, all is rendered and nothing else is left.
        let job = project.read("truepath.toml").replace("\"rgb\"", "\"gray\"");
        project.write("truepath.toml", &job);
        project.call(&["run"]).ends(0);
        assert_eq!(project.files("out").len(), 48, "{:?}", project.files("out"));
    }
}

#[test]
fn a_frame_that_fails_by_chance_is_tried_again_after_a_pause() {
    let project = project(
        "if [ $f = 20 ] && [ ! -e tried ]; then touch tried; exit 1; fi",
        "",
    );
    let job = project
        .read("truepath.toml")
        .replace("retries = 0", "retries = 1\nretry-pause = \"0.01s\"");
    project.write("truepath.toml", &job);
    project.call(&["run"]).ends(0);
    let files: BTreeSet<String> = project.files("out").into_iter().collect();
    assert_eq!(files.len(), 48);
}
