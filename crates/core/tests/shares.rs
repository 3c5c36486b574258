//! Shares of whole jobs, and the chunks that they are dealt out in.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::sync::Arc;

use proptest::prelude::*;
use truepath_core::deliverable::{Expansion, Selection, Surroundings, expand};
use truepath_core::frames::FrameSet;
use truepath_core::job::{no_files, read};
use truepath_core::plan::plan;
use truepath_core::profile::read_profile;
use truepath_core::source::{SourceKind, Sources};

/// The deliverables of a job, with an engine that takes frames in this way.
fn expansion(takes: &str, passes: &str, job: &str, sets: &[String]) -> Expansion {
    split_expansion("split = \"free\"\n", takes, passes, job, sets)
}

/// The same, where the profile says in this way whether clips may be split.
fn split_expansion(
    split: &str,
    takes: &str,
    passes: &str,
    job: &str,
    sets: &[String],
) -> Expansion {
    let mut sources = Sources::default();
    let profile = format!(
        "{split}engine = {{ name = \"brass\", program = \"brass\", frames = \"{takes}\", passes = \"{passes}\" }}\narguments = [\"{{frames}}\"]\n"
    );
    let texts = [
        profile.as_str(),
        include_str!("../../../engines/ffmpeg.toml"),
    ];
    let profiles = texts
        .map(|text| Arc::new(read_profile("p", text, SourceKind::BuiltIn, &mut sources).unwrap()));
    let around = Surroundings::of_folder("/work/show", profiles.iter().cloned().collect());
    let reading = read("truepath.toml", job, sets, &mut no_files);
    assert!(reading.is_sound(), "{job}\n{:?}", reading.findings);
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    expansion
}

fn job(frames: &str, chunk: u64) -> String {
    format!(
        "[project]\nengine = \"brass\"\nfps = 24\nsize = \"8x8\"\nchunk = {chunk}\n\
         [shot.dawn]\nscene = \"a\"\nframes = \"{frames}\"\n[shot.dusk]\nscene = \"b\"\nframes = \"1-7\"\n\
         [output.o]\npath = \"r/{{shot}}_{{pass}}.{{frame:04}}.png\"\npasses = [\"x\", \"y\"]\n\
         [output.m]\npath = \"r/{{shot}}.mkv\"\nmovie = {{ from = \"o\", pass = \"x\", codec = \"mjpeg\" }}\n"
    )
}

/// Every file that a plan makes, as path and frame.
fn files(expansion: &Expansion) -> Vec<(String, i64)> {
    let plan = plan(expansion, &|index| {
        expansion.deliverables[index].common.frames.selected.clone()
    });
    let mut files: Vec<(String, i64)> = plan
        .iter()
        .flat_map(|one| {
            one.deliverables.iter().flat_map(|index| {
                let path = expansion.deliverables[*index].pattern.sketch();
                one.frames.iter().map(move |frame| (path.clone(), frame))
            })
        })
        .collect();
    files.sort();
    files
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn shares_are_disjoint_complete_and_within_a_chunk(
        first in -20_i64..20,
        length in 1_i64..60,
        step in 1_i64..5,
        extra in prop::option::of(100_i64..110),
        chunk in 1_u64..9,
        weights in prop::collection::vec(1_u64..20, 1..6),
        interleaved in any::<bool>(),
        takes in prop::sample::select(vec!["one", "range", "stepped", "list"]),
        passes in prop::sample::select(vec!["one", "all"]),
        split in prop::sample::select(vec!["split = \"free\"\n", "split = \"never\"\n", ""]),
    ) {
        let mut frames = format!("{first}-{}/{step}", first + length);
        if let Some(extra) = extra {
            frames.push_str(&format!(",{extra}"));
        }
        let job = job(&frames, chunk);
        let whole = files(&split_expansion(split, takes, passes, &job, &[]));
        let listed: Vec<String> = weights.iter().map(u64::to_string).collect();
        let mut all = Vec::new();
        let mut sizes = Vec::new();
        for part in 1..=weights.len() {
            let sets = [
                format!("share.part={part}/{}", weights.len()),
                format!("share.weights={}", listed.join(",")),
                format!("share.interleaved={interleaved}"),
            ];
            let mine = split_expansion(split, takes, passes, &job, &sets);
            // Frames that are rendered; a movie counts the frames that it is made of.
            let size: u64 = mine.deliverables.iter().map(|one| match one.movie() {
                Some(_) => one.common.frames.selected.count() * one.common.frames.shot.count(),
                None => one.common.frames.selected.count(),
            }).sum();
            sizes.push(size);
            all.extend(files(&mine));
        }
        all.sort();
        prop_assert_eq!(&all, &whole);
        let total: u64 = sizes.iter().sum();
        let clip = frames.parse::<FrameSet>().unwrap().count();
        let largest = (chunk * 2).max(clip * 2).max(14);
        for (size, weight) in sizes.iter().zip(&weights) {
            let due = total as f64 * *weight as f64 / weights.iter().sum::<u64>() as f64;
            prop_assert!((*size as f64 - due).abs() <= largest as f64 + 1e-6, "{size} of {due}");
        }
    }

    #[test]
    fn identities_tell_processes_apart_and_stay(chunk in 1_u64..9, length in 1_i64..60) {
        let job = job(&format!("1-{length}"), chunk);
        let (one, other) = (expansion("range", "one", &job, &[]), expansion("range", "one", &job, &[]));
        let identities = |expansion: &Expansion| -> Vec<String> {
            let plan = plan(expansion, &|index| expansion.deliverables[index].common.frames.selected.clone());
            plan.iter().map(|one| one.identity(&expansion.deliverables)).collect()
        };
        let found = identities(&one);
        let distinct: BTreeMap<&String, ()> = found.iter().map(|one| (one, ())).collect();
        prop_assert_eq!(distinct.len(), found.len());
        prop_assert_eq!(&found, &identities(&other));
    }
}

#[test]
fn chunks_keep_starting_small_against_rendering() {
    let job = "scene = \"a\"\nframes = \"1-100\"\nengine = \"brass\"\npath = \"r/{shot}.{frame:04}.png\"\n\
               start-up = \"40s\"\nframe-time = \"20s\"\n";
    let expansion = expansion("range", "one", job, &[]);
    let plan = plan(&expansion, &|index| {
        expansion.deliverables[index].common.frames.selected.clone()
    });
    // 18 frames of 20 s beside a start of 40 s: a tenth of the time.
    assert_eq!(plan[0].frames.to_string(), "1-18");
    assert_eq!(plan.len(), 6);
}

#[test]
fn movies_come_right_after_their_sequences_and_spread_begins_with_the_ends() {
    let order = |expansion: &Expansion| -> Vec<String> {
        let plan = plan(expansion, &|index| {
            expansion.deliverables[index].common.frames.selected.clone()
        });
        plan.iter()
            .map(|one| {
                let first = &expansion.deliverables[one.deliverables[0]];
                format!(
                    "{} {} {}",
                    first.common.names.shot, first.common.names.output, one.frames
                )
            })
            .collect()
    };
    assert_eq!(
        order(&expansion("range", "all", &job("1-9", 3), &[])),
        [
            "dawn o 1-3",
            "dawn o 4-6",
            "dawn o 7-9",
            "dawn m 1",
            "dusk o 1-3",
            "dusk o 4-6",
            "dusk o 7",
            "dusk m 1"
        ]
    );
    let spread = expansion("range", "all", &job("1-9", 3), &["order=spread".to_owned()]);
    assert_eq!(
        order(&spread),
        [
            "dawn o 1-3",
            "dusk o 1-3",
            "dawn o 7-9",
            "dusk o 7",
            "dawn o 4-6",
            "dawn m 1",
            "dusk o 4-6",
            "dusk m 1"
        ]
    );
}
