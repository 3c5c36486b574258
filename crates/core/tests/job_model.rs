//! The whole job model: variants, views, presets, files that a job builds on, and lists of shots.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::sync::Arc;

use truepath_core::deliverable::{Deliverable, Selection, Surroundings, expand};
use truepath_core::job::{Key, Reading, read};
use truepath_core::movie::Fps;
use truepath_core::precedence::{Case, Chain};
use truepath_core::profile::read_profile;
use truepath_core::source::{SourceKind, Sources};

fn reading(text: &str, sets: &[&str], files: &[(&str, &str)]) -> Reading {
    let sets: Vec<String> = sets.iter().map(|&set| set.to_owned()).collect();
    let files: BTreeMap<&str, &str> = files.iter().copied().collect();
    let mut fetch = |path: &str| {
        let found = files.get(path).map(|&text| text.to_owned());
        found.ok_or_else(|| format!("there is no {path}"))
    };
    read("truepath.toml", text, &sets, &mut fetch)
}

fn made(text: &str, sets: &[&str], files: &[(&str, &str)]) -> Vec<Deliverable> {
    let reading = reading(text, sets, files);
    assert!(reading.is_sound(), "{:#?}", reading.findings);
    let profile = include_str!("../../../engines/understudy.toml");
    let mut sources = Sources::default();
    let profile = read_profile("understudy", profile, SourceKind::BuiltIn, &mut sources).unwrap();
    let around = Surroundings::of_folder("/work", [Arc::new(profile)].into_iter().collect());
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    expansion.deliverables
}

fn labels(all: &[Deliverable]) -> Vec<String> {
    all.iter().map(Deliverable::label).collect()
}

/// Code, line and sentence of every finding.
fn shown(text: &str, sets: &[&str], files: &[(&str, &str)]) -> Vec<String> {
    let reading = reading(text, sets, files);
    reading
        .findings
        .iter()
        .map(|finding| {
            let place = &finding.labels[0].place;
            let name = &reading.job.sources.get(place.source).name;
            let (line, _) = reading.job.sources.line_and_column(place);
            format!("{} {name}:{line} {}", finding.code, finding.sentence)
        })
        .collect()
}

const SHOW: &str = r#"
[project]
engine = "understudy"
size = "1000x500"
preset = "final"
[output.frames]
path = "r/{shot}{?/{variant}}{?/{view}}/{shot}.{frame:04}.png"
[shot.dawn]
frames = "1-9"
variants = ["day", "night"]
[shot.eclipse]
frames = "1-100"
views = ["left", "right"]
[variant.day]
settings = { sky = "blue", stars = 0 }
[variant.night]
inherits = "day"
settings = { stars = 900 }
[shot.dawn.variant.night]
frames = "1-4"
[view.left]
[view.right]
[preset.final]
settings = { samples = 256 }
"#;

#[test]
fn variants_and_views_are_made_and_inherit_all_that_they_do_not_change() {
    let all = made(SHOW, &[], &[]);
    assert_eq!(
        labels(&all),
        [
            "dawn · day · frames",
            "dawn · night · frames",
            "eclipse · left · frames",
            "eclipse · right · frames"
        ]
    );
    let settings = |one: &Deliverable| -> Vec<String> {
        one.settings
            .iter()
            .map(|(key, word)| format!("{key}={}", word.text))
            .collect()
    };
    assert_eq!(settings(&all[0]), ["sky=blue", "stars=0", "samples=256"]);
    assert_eq!(settings(&all[1]), ["sky=blue", "stars=900", "samples=256"]);
    assert_eq!(all[1].common.frames.files.value.to_string(), "1-4");
    assert_eq!(all[1].path(2), "/work/r/dawn/night/dawn.0002.png");
    assert_eq!(all[3].path(2), "/work/r/eclipse/right/eclipse.0002.png");
}

#[test]
fn the_built_in_trial_is_small_short_and_elsewhere() {
    let all = made(SHOW, &["preset=trial"], &[]);
    let eclipse = &all[2];
    assert_eq!(eclipse.common.frames.selected.to_string(), "1,50,100");
    assert_eq!(eclipse.common.frames.files.value.to_string(), "1-100");
    assert_eq!(
        eclipse.picture.size.as_ref().unwrap().value.to_string(),
        "125x63"
    );
    assert_eq!(
        eclipse.path(50),
        "/work/trial/r/eclipse/left/eclipse.0050.png"
    );
    // The job's own word about it wins, the rest stays.
    let own = format!("{SHOW}[preset.trial]\nscale = \"10%\"\n");
    let all = made(&own, &["preset=trial"], &[]);
    assert_eq!(
        all[2].picture.size.as_ref().unwrap().value.to_string(),
        "100x50"
    );
    assert_eq!(all[2].common.frames.selected.count(), 3);
}

#[test]
fn unset_hands_a_key_back_to_the_scene() {
    let job = "[project]\nengine = \"understudy\"\ncamera = \"dome\"\nsettings = { a = 1 }\n\
               [output.frames]\npath = \"r/{shot}{?_{camera}}.{frame:04}.png\"\n\
               [shot.a]\nframes = \"1\"\n[shot.b]\nframes = \"1\"\nunset = [\"camera\", \"settings\"]\n";
    let all = made(job, &[], &[]);
    assert_eq!(all[0].path(1), "/work/r/a_dome.0001.png");
    assert_eq!(all[1].path(1), "/work/r/b.0001.png");
    assert!(all[1].settings.is_empty());
    let all = made(job, &["camera=north"], &[]);
    assert_eq!(all[1].path(1), "/work/r/b_north.0001.png");
}

#[test]
fn what_is_disabled_is_not_made_and_priority_moves_forward() {
    let job = "[project]\nengine = \"understudy\"\n\
               [output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\"]\n\
               [shot.a]\nframes = \"1\"\n[shot.b]\nframes = \"1\"\npriority = 5\n[shot.c]\nframes = \"1\"\nenabled = false\n\
               [output.frames.pass.depth]\nenabled = false\n";
    assert_eq!(
        labels(&made(job, &[], &[])),
        ["b · frames · beauty", "a · frames · beauty"]
    );
    assert_eq!(made(job, &["enabled=true"], &[]).len(), 6);
}

#[test]
fn environments_merge_like_settings() {
    let job = "[project]\nengine = \"understudy\"\nenv = { A = \"1\", B = \"1\" }\n\
               [output.frames]\npath = \"r/{shot}.{frame:04}.png\"\nenv = { B = \"2\" }\n[shot.a]\nframes = \"1\"\n";
    let env: Vec<String> = made(job, &["env.C=3"], &[])[0]
        .common
        .processes
        .env
        .iter()
        .map(|(key, word)| format!("{key}={}", word.text))
        .collect();
    assert_eq!(env, ["A=1", "B=2", "C=3"]);
}

#[test]
fn circles_and_strangers_are_refused_by_name() {
    let variants = "[variant.a]\ninherits = \"b\"\n[variant.b]\ninherits = \"c\"\n[variant.c]\ninherits = \"a\"\n";
    let job = format!(
        "{}{variants}",
        SHOW.replace("[variant.day]", "[variant.day]\ninherits = \"nigth\"")
    );
    assert_eq!(
        shown(&job, &[], &[]),
        [
            "TP006 truepath.toml:15 the job has no variant `nigth`",
            "TP006 truepath.toml:31 the variant `a` inherits from itself",
        ]
    );
}

const STUDIO: &str = "base = [\"house.toml\"]\n[project]\nengine = \"understudy\"\nbits = 16\nfps = 24\n\
                      [size]\ndome = \"4096x4096\"\n[token]\nshow = \"std\"\nhouse = \"h\"\n[preset.final]\nsettings = { samples = 64 }\n\
                      [shot.dawn]\nscene = \"base.toml\"\ncamera = \"north\"\n";
const HOUSE: &str = "[project]\nbits = 8\nversion = 7\nchannels = \"rgb\"\n";

#[test]
fn a_job_builds_on_other_files_and_sources_are_reported_file_by_file() {
    let job = "base = [\"std/studio.toml\"]\n[project]\nfps = 30\nsize = \"dome\"\n[token]\nshow = \"orr\"\n\
               [output.frames]\npath = \"r/{show}_{house}_{shot}_v{version}.{frame:04}.png\"\n[shot.dawn]\nframes = \"1-2\"\n";
    let files = [("std/studio.toml", STUDIO), ("std/house.toml", HOUSE)];
    let one = &made(job, &[], &files)[0];
    assert_eq!(one.path(1), "/work/r/orr_h_dawn_v7.0001.png");
    assert_eq!(one.common.fps, Some(Fps::whole(30)));
    assert_eq!(
        one.picture.size.as_ref().unwrap().value.to_string(),
        "4096x4096"
    );
    let reading = reading(job, &[], &files);
    let job = &reading.job;
    let chain = Chain::of(job, Case::of(&job.shots[0], &job.outputs[0]));
    let history = |key| -> Vec<String> {
        chain
            .history(key)
            .map(|setting| {
                let place = &setting.value.place;
                let (line, _) = job.sources.line_and_column(place);
                format!("{}:{line}", job.sources.get(place.source).name)
            })
            .collect()
    };
    assert_eq!(
        history(Key::Bits),
        ["std/studio.toml:4", "std/house.toml:2"]
    );
    assert_eq!(history(Key::Fps), ["truepath.toml:3", "std/studio.toml:5"]);
    assert_eq!(history(Key::Camera), ["std/studio.toml:15"]);
}

#[test]
fn mistakes_in_a_base_are_reported_in_that_base() {
    let job = "base = [\"studio.toml\", \"nowhere.toml\"]\n[output.frames]\npath = \"x.{frame:04}.png\"\n[shot.a]\nframes = \"1\"\n";
    let studio = "base = [\"truepath.toml\"]\n[project]\nbitz = 8\n";
    assert_eq!(
        shown(job, &[], &[("studio.toml", studio)]),
        [
            "TP007 truepath.toml:1 `nowhere.toml` cannot be built on",
            "TP007 studio.toml:1 `truepath.toml` is built on twice",
        ]
    );
    let studio = "[project]\nbitz = 8\n";
    assert_eq!(
        shown(
            "base = [\"studio.toml\"]\nframes = \"1\"\npath = \"x.{frame}.png\"\n",
            &[],
            &[("studio.toml", studio)]
        ),
        ["TP002 studio.toml:2 a job file without tables has no key `bitz`"]
    );
}

const LIST: &str = "shot,scene,frames,cameras,version,settings.exposure,enabled\n\
                    s001,a.toml,1-48,dome;north,3,-1.5,\n\
                    \"s 002\",b.toml,\"1-10,20\",dome,,,\n\
                    s003,c.toml,1-9,,,,false\n\n";
const LISTED: &str = "[project]\nengine = \"understudy\"\nversion = 1\n[shot-list]\nfrom = \"shots.csv\"\n\
                      [output.frames]\npath = \"r/{shot}{?_{camera}}_v{version}.{frame:04}.png\"\n";

#[test]
fn a_table_gives_many_shots() {
    let all = made(LISTED, &[], &[("shots.csv", LIST)]);
    assert_eq!(
        labels(&all),
        [
            "s001 · dome · frames",
            "s001 · north · frames",
            "s 002 · dome · frames"
        ]
    );
    assert_eq!(all[1].path(48), "/work/r/s001_north_v3.0048.png");
    assert_eq!(all[1].settings[0].1.text, "-1.5");
    assert_eq!(all[2].common.frames.files.value.to_string(), "1-10,20");
    // A table of the job beats the list, and the command line edits it.
    let own = format!("{LISTED}[shot.s001]\nversion = 9\n");
    assert_eq!(
        made(&own, &[], &[("shots.csv", LIST)])[0].path(1),
        "/work/r/s001_dome_v9.0001.png"
    );
    let set = made(LISTED, &["shot.s001.version=4"], &[("shots.csv", LIST)]);
    assert_eq!(set[0].path(1), "/work/r/s001_dome_v4.0001.png");
}

#[test]
fn a_bad_cell_is_reported_by_row_and_column() {
    let list = "shot,frames,version\ns001,1-48,3\ns002,48-1,three\ns001,1-9,\na/b,1,1\n";
    assert_eq!(
        shown(LISTED, &[], &[("shots.csv", list)]),
        [
            "TP004 shots.csv:3 row 3, column `frames`: this range runs backwards, from 48 to 1",
            "TP004 shots.csv:3 row 3, column `version`: `three` is no value for `version`",
            "TP004 shots.csv:4 row 4, column `shot`: the shot `s001` is listed twice",
            "TP004 shots.csv:5 row 5, column `shot`: the name \"a/b\" of a shot holds a separator; only places hold whole paths",
        ]
    );
    // Empty cells beyond the columns are what spreadsheets leave.
    let beyond = "shot,frames\ns001,1-4,\ns002,1,3,5-9\n";
    assert_eq!(
        shown(LISTED, &[], &[("shots.csv", beyond)]),
        [
            "TP005 shots.csv:3 row 3, column `shot`: the row of the shot `s002` has 4 cells, and the list has 2 columns"
        ]
    );
    let strange = shown(LISTED, &[], &[("shots.csv", "shot,framez\na,1\n")]);
    assert_eq!(
        strange,
        ["TP002 shots.csv:1 a list of shots has no column `framez`"]
    );
    assert_eq!(
        shown(LISTED, &["shot.s009.version=4"], &[("shots.csv", LIST)]),
        ["TP006 --set:1 the job has no shot `s009`"]
    );
    assert_eq!(
        shown(LISTED, &[], &[]),
        ["TP007 truepath.toml:5 the list of shots `shots.csv` cannot be read"]
    );
}

#[test]
fn two_thousand_shots_are_normal() {
    let mut list = "shot,frames\n".to_owned();
    for shot in 0..2000 {
        list.push_str(&format!("s{shot:04},1-120\n"));
    }
    let job = format!(
        "{}variants = [\"day\", \"night\"]\npasses = [\"a\", \"b\", \"c\", \"d\"]\n[variant.day]\n[variant.night]\n",
        LISTED.replace("{shot}", "{shot}_{variant}_{pass}")
    );
    let all = made(&job, &[], &[("shots.csv", &list)]);
    assert_eq!(all.len(), 16_000);
    let files: u64 = all
        .iter()
        .map(|one| one.common.frames.selected.count())
        .sum();
    assert_eq!(files, 1_920_000);
}
