//! What a fingerprint is made from changes exactly with what can change the picture.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;

use proptest::prelude::*;
use truepath_core::command::PictureInputs;
use truepath_core::deliverable::{Person, Selection, Surroundings, expand};
use truepath_core::job::{no_files, read};
use truepath_core::profile::{Profile, read_profile};
use truepath_core::source::{SourceKind, Sources};
use truepath_core::token::{Token, can_change_picture};

/// A job in which every value may be another.
#[derive(Debug, Clone)]
struct Values {
    fps: u32,
    note: String,
    camera: String,
    width: u32,
    exposure: i32,
    threads: u32,
    chunk: u32,
    user: String,
    host: String,
    folder: String,
    day: i8,
    quality: u32,
    version: u32,
}

fn values() -> impl Strategy<Value = Values> {
    let word = "[a-z]{1,3}";
    (
        (
            1..4_u32,
            word,
            word,
            1..4_u32,
            -2..2_i32,
            1..4_u32,
            1..9_u32,
        ),
        (word, word, word, 1..4_i8, 1..4_u32, 1..4_u32),
    )
        .prop_map(
            |(
                (fps, note, camera, width, exposure, threads, chunk),
                (user, host, folder, day, quality, version),
            )| Values {
                fps,
                note,
                camera,
                width: width * 8,
                exposure,
                threads,
                chunk,
                user,
                host,
                folder,
                day,
                quality,
                version,
            },
        )
}

/// A profile in which every token that there is reaches the arguments.
fn all_tokens() -> Arc<Profile> {
    let mut arguments = String::new();
    for name in Token::ALL.iter().map(|token| token.facts().name) {
        let name = match name {
            "place.NAME" => "place.job",
            "settings.NAME" => "settings.exposure",
            "map.NAME" => "map.light",
            // Only in given files, or with `each`.
            "frames.list" | "passes" | "views" | "settings" | "key" | "value" => continue,
            name if name.starts_with("layer.") || name.starts_with("sound.") => continue,
            name => name,
        };
        arguments.push_str(&format!("[\"--{name}\", \"{{{name}}}\"],\n"));
    }
    arguments.push_str("\"{note}\", { each = \"settings\", put = \"{key}={value}\" },\n");
    let text = format!(
        "engine = {{ name = \"all\", program = \"n\", frames = \"range\" }}\noutput-name = \"p{{frame:?}}.{{ext}}\"\n\
         map.light = {{ by = [\"camera\"], {} }}\narguments = [\n{arguments}]\n\
         environment = {{ TITLE = \"{{note}} {{user}}\" }}\n\
         file = [{{ name = \"o.json\", json = {{ fps = \"{{fps}}\", to = \"{{target}}\", all = \"{{settings}}\" }} }}]\n",
        "x = \"y\""
    );
    let mut sources = Sources::default();
    Arc::new(read_profile("p.toml", &text, SourceKind::BuiltIn, &mut sources).unwrap())
}

fn inputs(profile: &Arc<Profile>, values: &Values) -> Vec<(&'static str, String)> {
    let job = format!(
        "[project]\nengine = \"all\"\nfps = {}\nversion = {}\nthreads = {}\nchunk = {}\n[token]\nnote = \"{}\"\n\
         [shot.dawn]\nscene = \"dawn.scene\"\nframes = \"1-20\"\ncamera = \"{}\"\nsize = \"{}x8\"\n\
         settings = {{ exposure = {} }}\n[output.frames]\npath = \"r/{{shot}}_{{camera}}.{{frame:04}}.jpg\"\nquality = {}\n",
        values.fps,
        values.version,
        values.threads,
        values.chunk,
        values.note,
        values.camera,
        values.width,
        values.exposure,
        values.quality,
    );
    let reading = read("truepath.toml", &job, &[], &mut no_files);
    assert!(reading.findings.is_empty(), "{job}\n{:?}", reading.findings);
    let day = jiff::civil::date(2026, 3, values.day);
    let around = Surroundings {
        person: Person {
            user: Some(values.user.clone()),
            artist: Some(values.user.clone()),
            host: Some(values.host.clone()),
        },
        began: Some(day.at(9, 30, 0, 0)),
        ..Surroundings::of_folder(
            &format!("/{}", values.folder),
            [Arc::clone(profile)].into_iter().collect(),
        )
    };
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(expansion.problems.is_empty(), "{:?}", expansion.problems);
    let inputs = PictureInputs::of(profile);
    inputs.of_deliverable(&expansion.deliverables[0]).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(50))]
    #[test]
    fn inputs_change_exactly_with_what_can_change_the_picture(one in values(), other in values()) {
        let profile = all_tokens();
        let is_same = one.fps == other.fps
            && one.note == other.note
            && one.camera == other.camera
            && one.width == other.width
            && one.exposure == other.exposure
            && one.quality == other.quality
            && one.version == other.version;
        let (first, second) = (inputs(&profile, &one), inputs(&profile, &other));
        prop_assert_eq!(first == second, is_same, "{:?}\n{:?}", first, second);
        // Each of them alone.
        for (what, changed) in [
            ("fps", Values { fps: one.fps + 1, ..one.clone() }),
            ("note", Values { note: format!("{}x", one.note), ..one.clone() }),
            ("camera", Values { camera: format!("{}x", one.camera), ..one.clone() }),
            ("width", Values { width: one.width + 8, ..one.clone() }),
            ("settings.exposure", Values { exposure: one.exposure + 1, ..one.clone() }),
            ("quality", Values { quality: one.quality + 1, ..one.clone() }),
            ("version", Values { version: one.version + 1, ..one.clone() }),
            ("threads", Values { threads: one.threads + 1, ..one.clone() }),
            ("frames", Values { chunk: one.chunk + 1, ..one.clone() }),
            ("user", Values { user: format!("{}x", one.user), ..one.clone() }),
            ("host", Values { host: format!("{}x", one.host), ..one.clone() }),
            ("place.job", Values { folder: format!("{}x", one.folder), ..one.clone() }),
            ("date", Values { day: one.day + 1, ..one.clone() }),
        ] {
            let differs = inputs(&profile, &changed) != first;
            prop_assert_eq!(differs, can_change_picture(what), "{}", what);
        }
    }
}
