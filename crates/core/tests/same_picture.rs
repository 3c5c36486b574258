//! Names that make no difference to the picture are found, and no ordinary job trips over the rule;
//! the fingerprint of frames changes exactly with what can change their pictures.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;

use proptest::prelude::*;
use truepath_core::deliverable::{Expansion, Person, Selection, Surroundings, expand};
use truepath_core::engine::{
    ENGINE_TOKENS, PictureInputs, Profile, can_change_picture, read_profile,
};
use truepath_core::job::{Reading, no_files, read};
use truepath_core::question::Answers;
use truepath_core::rules::{Subject, check};
use truepath_core::source::{SourceKind, Sources};
use truepath_core::system::System;
use truepath_core::token::TOKENS;

const NAMING: &str = "engine = { name = \"naming\", program = \"n\", frames = \"range\", passes = \"all\" }\n\
    arguments = [\"{scene.file}\", \"{first}\", \"{last}\"]\nnative = \"{pass}{frame:?}.{ext}\"\n";
const SIZED: &str = "engine = { name = \"sized\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"{scene.file}\", \"{first}\", \"{last}\", [\"-w\", \"{width}\"]]\nnative = \"p{frame:?}.{ext}\"\n";
const PREPARED: &str = "engine = { name = \"prepared\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"{prepared}\", \"{first}\", \"{last}\"]\nnative = \"p{frame:?}.{ext}\"\n\
    prepare = { arguments = [\"--export\", \"{settings.light}\", \"{prepared}\"], makes = \"x\" }\n";
const GIVEN: &str = "engine = { name = \"given\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"options.json\", \"{first}\", \"{last}\"]\nnative = \"p{frame:?}.{ext}\"\n\
    file = [{ name = \"options.json\", json = { cam = \"{camera}\", target = \"{target}\" } }]\n";

fn profile(text: &str) -> Arc<Profile> {
    let mut sources = Sources::default();
    Arc::new(read_profile("p.toml", text, SourceKind::BuiltIn, &mut sources).unwrap())
}

fn surroundings(profiles: &[Arc<Profile>]) -> Surroundings {
    let mut all: Vec<Arc<Profile>> = [
        include_str!("../../../engines/understudy.toml"),
        include_str!("../../../engines/ffmpeg.toml"),
        NAMING,
        SIZED,
        PREPARED,
        GIVEN,
    ]
    .map(profile)
    .to_vec();
    all.extend(profiles.iter().cloned());
    Surroundings {
        job_folder: "/work/show".to_owned(),
        system: System::Linux,
        person: Person::default(),
        began: None,
        profiles: all,
        scene_frames: std::collections::HashMap::new(),
    }
}

fn reading(job: &str) -> Reading {
    let reading = read("truepath.toml", job, &[], &mut no_files);
    assert!(reading.findings.is_empty(), "{job}\n{:?}", reading.findings);
    reading
}

/// The codes of the rules about names that make no difference.
fn codes(job: &str) -> Vec<&'static str> {
    let reading = reading(job);
    let around = surroundings(&[]);
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(
        expansion.problems.is_empty(),
        "{job}\n{:?}",
        expansion.problems
    );
    let answers = Answers::default();
    let found = check(&Subject::new(&reading.job, &expansion, &around, &answers));
    let codes = found.into_iter().map(|one| one.code);
    codes
        .filter(|code| ["TP523", "TP524", "TP525"].contains(code))
        .collect()
}

const RUN: &str = r#"run = ["myrender", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]"#;

fn short(more: &str) -> String {
    format!("scene = \"kiln.scene\"\nframes = \"1-48\"\n{more}\n")
}

fn long(head: &str, more: &str) -> String {
    format!(
        "[project]\n{head}\n[shot.dawn]\nframes = \"1-48\"\nscene = \"dawn.scene\"\n\
         [output.frames]\npath = \"r/{{shot}}{{?_{{variant}}}}{{?_{{view}}}}{{?_{{camera}}}}{{?_{{pass}}}}.{{frame:04}}.png\"\n{more}\n"
    )
}

#[test]
fn names_that_the_engine_never_hears_of() {
    let path = "path = \"r/{shot}{?_{camera}}{?_{pass}}.{frame:04}.png\"";
    for (job, wanted) in [
        (
            short(&format!(
                "{path}\n{RUN}\ncameras = [\"front\", \"top\", \"nonsense\"]"
            )),
            "TP523",
        ),
        (
            short(&format!("{path}\n{RUN}\npasses = [\"beauty\", \"depth\"]")),
            "TP523",
        ),
        (
            short(&format!("{path}\n{RUN}\ncamera = \"front\"")),
            "TP524",
        ),
        (
            short(&format!("{path}\n{RUN}\npasses = [\"beauty\"]")),
            "TP524",
        ),
        (
            short(&format!(
                "{path}\nengine = \"sized\"\ncameras = [\"front\", \"top\"]"
            )),
            "TP523",
        ),
        (
            long(
                &format!("{RUN}\nvariants = [\"day\", \"night\"]"),
                "[variant.day]\n[variant.night]",
            ),
            "TP523",
        ),
        (
            long(
                &format!("{RUN}\nviews = [\"left\", \"right\"]"),
                "[view.left]\n[view.right]",
            ),
            "TP523",
        ),
        // A size that only a verification uses makes no other picture.
        (
            long(
                &format!("{RUN}\nvariants = [\"small\", \"large\"]"),
                "[variant.small]\nsize = \"8x8\"\n[variant.large]\nsize = \"16x16\"",
            ),
            "TP523",
        ),
        (
            long(&format!("{RUN}\nvariants = [\"day\"]"), "[variant.day]"),
            "TP524",
        ),
        // Movies of two passes that are put together from the same sequence.
        (
            long(
                "engine = \"understudy\"\nfps = 24\ncameras = [\"front\", \"top\"]",
                "[output.cut]\npath = \"r/{shot}_{camera}.mov\"\nmovie = { from = \"frames\", codec = \"prores\", container = \"mov\" }",
            ),
            "",
        ),
    ] {
        let found = codes(&job);
        let wanted: Vec<&str> = Some(wanted)
            .filter(|one| !one.is_empty())
            .into_iter()
            .collect();
        assert_eq!(found, wanted, "{job}");
    }
}

#[test]
fn no_ordinary_job_trips_over_it() {
    let path = "path = \"r/{shot}{?_{camera}}{?_{pass}}.{frame:04}.png\"";
    for job in [
        // Told by a group, in one word, or in a file.
        short(&format!(
            "{path}\ncameras = [\"front\", \"top\"]\nrun = [\"myrender\", [\"--camera\", \"{{camera}}\"], \"--frame\", \"{{frame}}\", \"{{target}}\"]"
        )),
        short(&format!(
            "{path}\ncameras = [\"front\", \"top\"]\nrun = [\"myrender\", \"--camera={{camera}}\", \"--frame\", \"{{frame}}\", \"{{target}}\"]"
        )),
        short(&format!(
            "{path}\nengine = \"given\"\ncameras = [\"front\", \"top\"]"
        )),
        // Fixed in the line.
        short(&format!(
            "{path}\ncamera = \"front\"\nrun = [\"myrender\", \"--camera=front\", \"--frame\", \"{{frame}}\", \"{{target}}\"]"
        )),
        // Passes that the engine tells apart by the names of its files.
        short(&format!(
            "{path}\nengine = \"naming\"\npasses = [\"beauty\", \"depth\"]"
        )),
        // Variants that differ only by scene, variable, size, setting or prepared file.
        long(
            &format!("{RUN}\nvariants = [\"day\", \"night\"]"),
            "[variant.day]\n[variant.night]\nscene = \"night.scene\"",
        ),
        long(
            &format!("{RUN}\nvariants = [\"day\", \"night\"]"),
            "[variant.day]\n[variant.night]\nenv = { LIGHT = \"moon\" }",
        ),
        long(
            "engine = \"sized\"\nsize = \"8x8\"\nvariants = [\"day\", \"night\"]",
            "[variant.day]\n[variant.night]\nsize = \"16x16\"",
        ),
        long(
            "engine = \"prepared\"\nvariants = [\"day\", \"night\"]\nsettings = { light = \"sun\" }",
            "[variant.day]\n[variant.night]\nsettings = { light = \"moon\" }",
        ),
        long(
            "engine = \"understudy\"\nvariants = [\"day\", \"night\"]",
            "[variant.day]\n[variant.night]\nsettings = { exposure = -2 }",
        ),
        // Movies and stills of all these.
        long(
            "engine = \"understudy\"\nfps = 24\npasses = [\"beauty\", \"depth\"]\ncameras = [\"front\", \"top\"]",
            "[output.cut]\npath = \"r/{shot}_{camera}.mov\"\nmovie = { from = \"frames\", pass = \"beauty\", codec = \"prores\", container = \"mov\" }\n\
             [output.poster]\npath = \"r/{shot}_{camera}_{pass}_poster.png\"\nstill = 24",
        ),
        // Where it is meant, the job says why.
        short(&format!(
            "{path}\n{RUN}\ncameras = [\"front\", \"top\"]\nsame-picture = \"the top camera is not built yet\""
        )),
        short(&format!(
            "{path}\n{RUN}\ncamera = \"front\"\nsame-picture = \"the scene has one camera\""
        )),
        // Nothing is named at all.
        short(&format!("{path}\n{RUN}")),
    ] {
        assert_eq!(codes(&job), [""; 0], "{job}");
    }
}

#[test]
fn one_cause_in_many_shots_is_one_finding() {
    let shots: String = (1..200)
        .map(|shot| format!("[shot.s{shot}]\nscene = \"s{shot}.scene\"\nframes = \"1-10\"\n"))
        .collect();
    let job = long(&format!("{RUN}\ncameras = [\"front\", \"top\"]"), &shots);
    assert_eq!(codes(&job), ["TP523"]);
}

#[test]
fn a_flag_in_front_of_a_token_without_value() {
    for (run, wanted) in [
        (
            r#"["r", "--camera", "{camera}", "-f", "{frame}", "{target}"]"#,
            true,
        ),
        (
            r#"["r", ["--camera", "{camera}"], "-f", "{frame}", "{target}"]"#,
            false,
        ),
        (
            r#"["r", "--camera={camera}", "-f", "{frame}", "{target}"]"#,
            false,
        ),
        (
            r#"["r", "-quiet", "--camera={camera}", "-f", "{frame}", "{target}"]"#,
            false,
        ),
        (
            r#"["r", "-s", "{width}", "-f", "{frame}", "{target}"]"#,
            true,
        ),
    ] {
        let job = short(&format!(
            "path = \"r/{{shot}}.{{frame:04}}.png\"\nrun = {run}"
        ));
        assert_eq!(codes(&job) == ["TP525"], wanted, "{run}");
    }
}

/// What a job looks like whose every value may be another.
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
    let of_paths = TOKENS.iter().map(|one| one.name);
    let of_engines = ENGINE_TOKENS.iter().map(|one| one.name);
    let mut arguments = String::new();
    for name in of_paths.chain(of_engines) {
        let name = match name {
            "place.NAME" => "place.job",
            "settings.NAME" => "settings.exposure",
            "word.NAME" => "word.light",
            // Only in given files, or with `each`.
            "frames.list" | "passes" | "views" | "settings" | "key" | "value" => continue,
            name => name,
        };
        arguments.push_str(&format!("[\"--{name}\", \"{{{name}}}\"],\n"));
    }
    arguments.push_str("\"{note}\", { each = \"settings\", put = \"{key}={value}\" },\n");
    profile(&format!(
        "engine = {{ name = \"all\", program = \"n\", frames = \"range\" }}\nnative = \"p{{frame:?}}.{{ext}}\"\n\
         word.light = {{ by = [\"camera\"], {} }}\narguments = [\n{arguments}]\n\
         environment = {{ TITLE = \"{{note}} {{user}}\" }}\n\
         file = [{{ name = \"o.json\", json = {{ fps = \"{{fps}}\", to = \"{{target}}\", all = \"{{settings}}\" }} }}]\n",
        "x = \"y\""
    ))
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
    let reading = reading(&job);
    let mut around = surroundings(std::slice::from_ref(profile));
    around.job_folder = format!("/{}", values.folder);
    around.person = Person {
        user: Some(values.user.clone()),
        author: Some(values.user.clone()),
        host: Some(values.host.clone()),
    };
    let day = jiff::civil::date(2026, 3, values.day);
    around.began = Some(day.at(9, 30, 0, 0).into());
    let expansion: Expansion = expand(&reading.job, &around, &Selection::default());
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
