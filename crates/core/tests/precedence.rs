//! The chain of layers: the later wins, and every value knows where it was written.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::sync::Arc;

use truepath_core::deliverable::{Deliverable, Selection, Surroundings, expand};
use truepath_core::job::{Job, Key, no_files, read};
use truepath_core::precedence::{Case, Chain};
use truepath_core::profile::read_profile;
use truepath_core::source::{Level, SourceKind, Sources};

const JOB: &str = r#"
[project]
engine = "understudy"
bits = 8
settings = { a = 1, b = 1, c = 1 }
[output.frames]
path = "r/{shot}/{pass}.{frame:04}.{ext}"
format = "exr"
passes = ["beauty", "depth"]
bits = 16
settings = { b = 2 }
[pass.depth]
bits = "half"
channels = "gray"
[output.frames.pass.depth]
bits = "float"
[shot.dawn]
frames = "1-9"
[shot.dusk]
frames = "1-4"
bits = 10
settings = { c = 3, d = 3 }
"#;

fn job(sets: &[&str]) -> Job {
    let sets: Vec<String> = sets.iter().map(|&set| set.to_owned()).collect();
    let reading = read("truepath.toml", JOB, &sets, &mut no_files);
    assert!(reading.is_sound(), "{:?}", reading.findings);
    reading.job
}

fn deliverables(job: &Job, selection: &Selection) -> Vec<Deliverable> {
    let text = include_str!("../../../engines/understudy.toml");
    let mut sources = Sources::default();
    let profile = read_profile("understudy", text, SourceKind::BuiltIn, &mut sources).unwrap();
    let around = Surroundings::of_folder("/work", [Arc::new(profile)].into_iter().collect());
    let expansion = expand(job, &around, selection);
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    expansion.deliverables
}

/// Bits of dawn beauty, dawn depth, dusk beauty, dusk depth.
fn bits(sets: &[&str]) -> Vec<&'static str> {
    deliverables(&job(sets), &Selection::default())
        .iter()
        .map(|one| one.picture.bits.as_ref().unwrap().value.word())
        .collect()
}

#[test]
fn the_later_layer_wins() {
    assert_eq!(bits(&[]), ["16", "float", "10", "10"]);
    assert_eq!(bits(&["bits=12"]), ["12"; 4]);
    assert_eq!(bits(&["shot.dawn.bits=12"]), ["12", "12", "10", "10"]);
    assert_eq!(bits(&["pass.depth.bits=12"]), ["16", "float", "10", "10"]);
    assert_eq!(
        bits(&["output.frames.bits=12", "shot.dusk.bits=8"]),
        ["12", "float", "8", "8"]
    );
}

#[test]
fn settings_are_merged_key_by_key() {
    let settings = |sets: &[&str]| -> Vec<String> {
        let job = job(sets);
        deliverables(&job, &Selection::default())[2]
            .settings
            .iter()
            .map(|(key, word)| format!("{key}={}", word.text))
            .collect()
    };
    assert_eq!(settings(&[]), ["a=1", "b=2", "c=3", "d=3"]);
    assert_eq!(
        settings(&["settings.a=9", "settings.e=5"]),
        ["a=9", "b=2", "c=3", "d=3", "e=5"]
    );
}

#[test]
fn a_value_knows_its_level_its_line_and_what_it_won_over() {
    let job = job(&["shot.dusk.bits=12"]);
    let chain = Chain::of(
        &job,
        Case {
            pass: Some("depth"),
            ..Case::of(&job.shots[1], &job.outputs[0])
        },
    );
    let shown: Vec<(Level, String, usize)> = chain
        .history(Key::Bits)
        .map(|setting| {
            let place = &setting.value.place;
            let name = job.sources.get(place.source).name.clone();
            (
                setting.value.level,
                name,
                job.sources.line_and_column(place).0,
            )
        })
        .collect();
    let file = || "truepath.toml".to_owned();
    assert_eq!(
        shown,
        [
            (Level::Shot, "--set".to_owned(), 1),
            (Level::OutputPass, file(), 16),
            (Level::Pass, file(), 13),
            (Level::Output, file(), 10),
            (Level::Project, file(), 4),
        ]
    );
}

#[test]
fn selection_narrows_and_changes_no_name() {
    let job = job(&[]);
    let all = deliverables(&job, &Selection::default());
    let selection = Selection {
        shots: vec!["dusk".to_owned()],
        passes: vec!["depth".to_owned()],
        frames: Some("3-8".parse().unwrap()),
        ..Selection::default()
    };
    let chosen = deliverables(&job, &selection);
    let [one] = &chosen[..] else {
        panic!("{chosen:?}")
    };
    assert_eq!(one.pattern, all[3].pattern);
    assert_eq!(one.common.frames.selected.to_string(), "3-4");
    assert_eq!(one.common.frames.files.value.to_string(), "1-4");
}

#[test]
fn the_short_form_is_read_into_the_same_types() {
    let reading = read(
        "truepath.toml",
        "scene = \"kiln.scene\"\nframes = \"1-48\"\nengine = \"understudy\"\nbits = 16\npath = \"r/{scene}.{frame:04}.png\"\n",
        &["bits=8".to_owned()],
        &mut no_files,
    );
    assert!(reading.is_sound());
    assert!(reading.job.short);
    let one = &deliverables(&reading.job, &Selection::default())[0];
    assert_eq!(one.path(7), "/work/r/kiln.0007.png");
    assert_eq!(one.label(), "kiln · frames");
    assert_eq!(one.picture.format.name, "png");
    let bits = one.picture.bits.as_ref().unwrap();
    assert_eq!((bits.value.word(), bits.level), ("8", Level::CommandLine));
}
