//! A row of a table that some other place has forgotten fails here.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeSet;
use std::sync::Arc;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{Invocation, arguments};
use truepath_core::deliverable::{Deliverable, Expansion, Person, Selection, Surroundings, expand};
use truepath_core::job::{KEYS, no_files, read};
use truepath_core::picture::{FORMATS, FileFormat};
use truepath_core::profile::{PROFILE_KEYS, Profile, read_profile};
use truepath_core::source::{SourceKind, Sources};
use truepath_core::template::TokenValue;
use truepath_core::token::{SetBy, Token, ValueKind};

/// A job that sets all that tokens stand for.
const JOB: &str = r#"
[project]
name = "orrery"
version = 3
engine = "brass"
threads = 4
preset = "final"
[preset.final]
[shot.dawn]
scene = "scenes/dawn.toml"
camera = "dome"
frames = "1-9"
[variant.night]
[view.left]
[output.frames]
variants = ["night"]
views = ["left"]
passes = ["beauty"]
path = "{project}/{shot}_{variant}_{view}_{camera}_{pass}_v{version}.{frame:04}.exr"
size = "64x48"
crop = "32x16 at 8,4"
pixel-aspect = 1
channels = "rgba"
bits = "half"
compression = "zip"
fps = 24
settings = { exposure = 2 }
quality = 45
stop-at = { samples = 64, time = "9s" }
color = { pixels = "linear", transfer = "srgb" }
[output.copy]
variants = ["night"]
views = ["left"]
passes = ["beauty"]
path = "{shot}_{variant}_{view}_{camera}_{pass}_copy.{frame:04}.exr"
from = "frames"
[output.film]
variants = ["night"]
views = ["left"]
passes = ["beauty"]
path = "{shot}_{variant}_{view}_{camera}_{codec}_{container}.mp4"
size = "64x48"
fps = 24
audio = "narration.wav"
audio-offset = "0.5s"
burn-in = { text = "{shot} {frame}", corner = "top-left" }
slate = 3
movie = { from = "frames", codec = "h264", pixels = "4:2:0 8", encoder = "brass", rate = "8M", audio-codec = "aac" }
[output.small]
variants = ["night"]
views = ["left"]
passes = ["beauty"]
path = "{shot}_{variant}_{view}_{camera}_small.mp4"
audio = "narration.wav"
audio-offset = "-0.5s"
movie = { from = "frames", codec = "h264", quality = "high", encoder = "brass" }
"#;

fn profile(arguments: &str) -> Profile {
    let text = format!(
        "engine = {{ name = \"brass\", program = \"brass\" }}\n\
         arguments = [{arguments}]\noutput-name = \"p{{frame:?}}.exr\"\n"
    );
    let mut sources = Sources::default();
    read_profile("brass.toml", &text, SourceKind::File, &mut sources)
        .unwrap_or_else(|findings| panic!("{arguments}: {findings:?}"))
}

fn expansion(profile: Profile) -> Expansion {
    let layers = Profile {
        name: "built-in-layers".to_owned(),
        ..profile.clone()
    };
    let around = Surroundings {
        person: Person {
            user: Some("mira".to_owned()),
            artist: Some("Mira".to_owned()),
            host: Some("brass".to_owned()),
        },
        ..Surroundings::of_folder(
            "/work",
            [Arc::new(profile), Arc::new(layers)].into_iter().collect(),
        )
    };
    let reading = read("truepath.toml", JOB, &[], &mut no_files);
    assert!(reading.is_sound(), "{:?}", reading.findings);
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    expansion
}

#[test]
fn every_token_of_templates_has_a_value() {
    let expansion = expansion(profile(""));
    for (name, _) in Token::of_templates() {
        let name = match name {
            "place.NAME" => "place.job",
            "settings.NAME" => "settings.exposure",
            name => name,
        };
        let mut all = expansion.deliverables.iter();
        let has_value = |one: &Deliverable| {
            let value = one.token(name);
            assert_ne!(value, TokenValue::Unknown, "{{{name}}}");
            value != TokenValue::Nothing
        };
        // The instant of a run is asked for by its template alone.
        assert!(all.any(has_value) || name == "date", "{{{name}}}");
    }
}

#[test]
fn every_token_of_profiles_has_a_value() {
    for token in Token::ALL {
        let facts = token.facts();
        // Lists and tables stand in files that are given; a setting has a name and a value there.
        let in_files = facts.kind == ValueKind::Many
            || matches!(token, Token::SettingKey | Token::SettingValue);
        if facts.meaning_in_profiles.is_none() || in_files || *token == Token::Map {
            continue;
        }
        // What has no value is left out with its group: in one of the deliverables it has one.
        let value = format!("[\"--value\", \"{{{}}}\"]", facts.name);
        let each = ["layer", "sound"]
            .into_iter()
            .find(|each| facts.name.starts_with(&format!("{each}.")));
        let profile = profile(&match each {
            Some(each) => format!("{{ each = \"{each}s\", put = {value} }}"),
            None => value,
        });
        let expansion = expansion(profile.clone());
        let frames = "2-4".parse().unwrap();
        let written = expansion.deliverables.iter().filter(|one| {
            let invocation = Invocation {
                profile: &profile,
                deliverables: &AtLeastOne::one(one),
                frames: &frames,
                staging: "/stage",
                prepared: Some("/prepared"),
                threads: None,
            };
            let words = arguments(&invocation);
            !words
                .unwrap_or_else(|error| panic!("{facts:?}: {error}"))
                .is_empty()
        });
        assert_ne!(written.count(), 0, "{{{}}}", facts.name);
    }
}

#[test]
fn every_token_that_a_key_sets_names_a_key() {
    for token in Token::ALL {
        if let SetBy::Key(name) = token.facts().origin {
            let known = KEYS.iter().any(|facts| facts.name == name);
            assert!(known, "{}: {name}", token.facts().name);
        }
    }
}

#[test]
fn every_example_of_a_profile_key_is_read() {
    let base = [
        "engine.name = \"brass\"",
        "engine.program = \"brass\"",
        "arguments = [\"{target}\"]",
        "output-name = \"p{frame:?}.exr\"",
    ];
    let table = |name: &'static str| name.split('.').next().unwrap();
    for facts in &PROFILE_KEYS {
        // Keys of one table belong together; they stand in place of the lines that they are other values for.
        let examples = PROFILE_KEYS
            .iter()
            .filter(|one| table(one.name) == table(facts.name));
        let examples: Vec<&str> = examples.map(|one| one.example).collect();
        let is_other = |line: &str| {
            let key = line.split(' ').next().unwrap();
            !examples
                .iter()
                .any(|one| one.starts_with(&format!("{key} ")))
        };
        let others = base.iter().copied().filter(|line| is_other(line));
        let lines: Vec<&str> = others.chain(examples.iter().copied()).collect();
        let mut sources = Sources::default();
        let read = read_profile(
            "brass.toml",
            &lines.join("\n"),
            SourceKind::File,
            &mut sources,
        );
        assert!(read.is_ok(), "{}: {read:?}", facts.name);
    }
}

#[test]
fn every_format_stands_in_the_table_once() {
    let all: BTreeSet<String> = FORMATS
        .iter()
        .map(|one| format!("{:?}", one.format))
        .collect();
    assert_eq!(all.len(), FORMATS.len());
    for facts in &FORMATS {
        // The name is that of the variant, so that a row cannot stand for another format.
        let format: FileFormat = facts.format.unwrap();
        assert_eq!(format!("{format:?}").to_lowercase(), facts.name);
        assert!(!facts.extensions.is_empty() && !facts.source.is_empty());
    }
}
