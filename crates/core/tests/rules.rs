//! Every rule by its own examples, and the promises that all rules keep.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeSet;
use std::sync::Arc;

use truepath_core::deliverable::{Deliverable, Selection, Surroundings, expand};
use truepath_core::finding::Finding;
use truepath_core::job::{no_files, read};
use truepath_core::movie::Fps;
use truepath_core::picture::{
    BlankPart, Digest, PictureKind, PictureMeasure, RenderedSamples, Size, Thumbnail,
};
use truepath_core::profile::{Profile, read_profile};
use truepath_core::question::{
    Answers, ExistingFacts, FinishedPicture, FolderFacts, MachineFacts, NamedFile, Question,
    SceneAnswer, questions,
};
use truepath_core::rules::{Subject, check, rules};
use truepath_core::scene_facts::SceneFacts;
use truepath_core::source::{SourceKind, Sources};

/// Takes nothing with a space in it.
const EXPORTER: &str = r#"
split = "free"
engine = { name = "exporter", program = "plain", frames = "range" }
arguments = ["{prepared}", "{first}-{last}"]
output-name = "p{frame:?}.{ext}"
prepare = { arguments = ["{scene.file}", "{prepared}"], makes = "scene.exported" }
"#;

const PLAIN: &str = r#"
split = "free"
engine = { name = "plain", program = "plain", frames = "range" }
arguments = [{ each = "settings", put = "{key}={value}" }, "{first}-{last}"]
output-name = "p{frame:?}.{ext}"
rejects = { characters = " ", why = "it splits its arguments at spaces" }
"#;

/// Take all frames at once, and one at a time.
const FILMS: &str = "split = \"free\"\nengine = { name = \"films\", program = \"plain\", frames = \"list\" }\narguments = [\"{frames}\"]\n";
const PIECES: &str = "engine = { name = \"pieces\", program = \"plain\", frames = \"one\" }\narguments = [\"{frame}\"]\n";
const AGED: &str = "split = \"free\"\nengine = { name = \"aged\", program = \"plain\", frames = \"list\" }\nversion = { ask = [\"-v\"], find = \"(?P<version>.*)\", at-least = \"1.10\" }\narguments = [\"{frames}\"]\n";
const NEEDY: &str = "split = \"free\"\nengine = { name = \"needy\", program = \"plain\", frames = \"list\" }\nneeds = [\"LAMP\"]\narguments = [\"{frames}\"]\n";
const SLOW: &str = "split = \"free\"\nengine = { name = \"slow\", program = \"plain\", frames = \"list\" }\nsingle-threaded = true\narguments = [\"{frames}\"]\n";
const REPLACED: &str = "split = \"free\"\nengine = { name = \"python\", program = \"plain\", frames = \"list\" }\narguments = [\"{frames}\"]\n";
const WAYWARD: &str = "split = \"free\"\nengine = { name = \"wayward\", program = \"plain\", frames = \"list\" }\narguments = [\"{frames}\"]\nwrites = \"{scene.folder}/own/{scene}.{frame:04}.png\"\n";

fn surroundings() -> Surroundings {
    let mut sources = Sources::default();
    let profiles = [
        include_str!("../../../engines/understudy.toml"),
        include_str!("../../../engines/povray.toml"),
        include_str!("../../../engines/built-in.toml"),
        include_str!("../../../engines/built-in-layers.toml"),
        include_str!("../../../engines/ffmpeg.toml"),
        include_str!("../../../engines/tachyon.toml"),
        PLAIN,
        EXPORTER,
        FILMS,
        PIECES,
        AGED,
        NEEDY,
        SLOW,
        WAYWARD,
        REPLACED,
    ]
    .map(|text| {
        let profile = read_profile("profile", text, SourceKind::BuiltIn, &mut sources).unwrap();
        Arc::new(Profile {
            // As one of the project is that has this name.
            replaces_shipped: profile.name == "python",
            ..profile
        })
    });
    Surroundings {
        began: "2026-03-21T09:30:00".parse().ok(),
        ..Surroundings::of_folder("/work/show", profiles.iter().cloned().collect())
    }
}

/// A made-up world: names say what is there.
fn answer(question: Question, answers: &mut Answers) {
    let list = |words: &[&str]| Some(words.iter().map(|word| (*word).to_owned()).collect());
    match question {
        Question::File(path) => {
            let there = !path.contains("missing");
            answers.files.insert(path, there);
        }
        Question::Program(name) => {
            let there = (!name.contains("missing")).then(|| format!("/usr/bin/{name}"));
            answers.programs.insert(name, there);
        }
        Question::Version(name) => {
            answers.versions.insert(name, "1.9".to_owned());
        }
        Question::Variable(name) => {
            answers.variables.insert(name, false);
        }
        Question::Folder(path) => {
            let facts = FolderFacts {
                there: !path.contains("missing"),
                writable: !path.contains("locked"),
                real: Some(path.trim_end_matches('/').to_owned()),
                free: Some(1_000_000_000_000),
                without_links: path.contains("exfat").then(|| "exFAT".to_owned()),
            };
            answers.folders.insert(path, facts);
        }
        Question::Scene { path, .. } => {
            let mut scene = SceneAnswer {
                bytes: path.contains("heavy").then_some(2_000_000_000_000),
                ..SceneAnswer::default()
            };
            if path.contains("answered") {
                scene.facts = Some(SceneFacts {
                    frames: Some("1-48".to_owned()),
                    fps: Some(Fps::whole(24)),
                    cameras: list(&["dome", "north"]),
                    passes: list(&["beauty", "depth", "shadow"]),
                    settings: list(&["exposure", "samples"]),
                    ..SceneFacts::default()
                });
            }
            if path.contains("mute") {
                scene.no_answer = Some("understudy says nothing".to_owned());
            }
            scene.newer_than_run = path.contains("newer");
            for (word, list, file) in [
                ("lacking", &mut scene.missing, "brass.png"),
                ("local", &mut scene.needed, "/home/dawn/brass.png"),
                ("open", &mut scene.beside, "answered-open.toml.lock"),
            ] {
                if path.contains(word) {
                    list.push(file.to_owned());
                }
            }
            if let Some(folder) = path.strip_suffix("naming.txt") {
                scene.unwatched.push(NamedFile {
                    name: "brass.inc".to_owned(),
                    path: format!("{folder}brass.inc"),
                });
            }
            answers.scenes.insert(path, scene);
        }
        Question::Real(path) => {
            let real = if path.contains("linked") {
                "/srv/else"
            } else {
                &path
            };
            answers.real.insert(path.clone(), Some(real.to_owned()));
        }
        Question::Existing => {
            let stale = ExistingFacts {
                stale: 12,
                kept: 3,
                ..ExistingFacts::default()
            };
            let shared = ExistingFacts {
                others: vec!["dusk.0001.png".to_owned()],
                ..ExistingFacts::default()
            };
            for (folder, existing) in [("stale", stale), ("shared", shared)] {
                let path = format!("/work/show/{folder}/kiln.{{frame:04}}.png");
                answers.existing.insert(path, existing);
            }
        }
        Question::Sound(path) => {
            let seconds = match path.rsplit('/').next() {
                Some("short.wav" | "half.wav") => 1.0,
                Some("fast.wav") => 1.6,
                _ => 2.0,
            };
            answers.sounds.insert(path, seconds);
        }
        Question::Machine => {
            answers.machine = MachineFacts {
                cores: Some(8),
                home: Some("/home/dawn".to_owned()),
                temporary: Some("/tmp".to_owned()),
            };
        }
    }
}

/// What a picture of this width is.
fn kind(width: u32) -> PictureKind {
    PictureKind {
        size: Size { width, height: 64 },
        channels: "rgba".into(),
        bits: "8".into(),
    }
}

/// Finished pictures that the rules have nothing to say about, but where a remark in the job says what is wrong
/// with the fifth.
fn finished(job: &str, one: &Deliverable, number: usize) -> Vec<FinishedPicture> {
    let is = |remark: &str| job.contains(remark);
    let frames = one.common.frames.selected.iter().take(12);
    let clean = frames.map(|frame| {
        // Two cameras see the same.
        let digest = if is("# Both cameras have the same pixels.") {
            0
        } else {
            number as u64
        };
        FinishedPicture {
            frame,
            bytes: 100_000,
            seconds: Some(20.0),
            measure: Some(PictureMeasure {
                digest: Digest((digest << 32) | u64::from(frame as u32)),
                ranges: vec![(0.0, 1.0), (0.0, 1.0)],
                has_alpha: true,
                brightness: 0.4,
                contrast: 0.2,
                noise: 0.02,
                thumbnail: Thumbnail([(frame * 100) as u16; 16]),
                not_a_number: 0,
                infinite: 0,
                blank: None,
            }),
            samples: None,
            kind: Some(kind(64)),
        }
    });
    let mut pictures: Vec<FinishedPicture> = clean.collect();
    let [_, _, _, fourth, fifth, ..] = &mut pictures[..] else {
        return pictures;
    };
    let (Some(before), Some(measure)) = (&fourth.measure, &mut fifth.measure) else {
        return pictures;
    };
    if is("# Three pixels of frame 5 are not a number.") {
        measure.not_a_number = 3;
    } else if is("# Frame 5 is black.") {
        measure.ranges = vec![(0.0, 0.0), (0.0, 1.0)];
        measure.brightness = 0.0;
    } else if is("# Every pixel of frame 5 is opaque.") {
        measure.ranges = vec![(0.0, 1.0), (1.0, 1.0)];
    } else if is("# The lower part of frame 5 is black.") {
        measure.blank = Some(BlankPart {
            left: 0,
            top: 40,
            width: 64,
            height: 24,
        });
    } else if is("# Frame 5 has the pixels of frame 4.") {
        measure.digest = before.digest;
    } else if is("# Frame 5 is twice as bright as its neighbours.") {
        measure.brightness = 0.9;
    } else if is("# The file of frame 5 has a tenth of the bytes of its neighbours.") {
        fifth.bytes = 9_000;
    } else if is("# Frame 5 took a second, and its neighbours 20.") {
        fifth.seconds = Some(1.0);
    } else if is("# Frame 5 is half as wide as the others.") {
        fifth.kind = Some(kind(32));
    } else if is("# The engine reports 140 of 256 samples for frame 5.") {
        fifth.samples = Some(RenderedSamples {
            done: 140,
            wanted: Some(256),
        });
    }
    pictures
}

fn findings(text: &str) -> Vec<Finding> {
    let reading = read("truepath.toml", text, &[], &mut no_files);
    assert!(reading.is_sound(), "{text}\n{:?}", reading.findings);
    let expansion = expand(&reading.job, &surroundings(), &Selection::default());
    let mut answers = Answers::default();
    for question in questions(&expansion) {
        answer(question, &mut answers);
    }
    for (number, one) in expansion.deliverables.iter().enumerate() {
        if !one.is_assembled() {
            let pictures = finished(text, one, number);
            answers.pictures.insert(one.pattern.sketch(), pictures);
        }
    }
    check(&Subject::new(
        &reading.job,
        &expansion,
        &surroundings(),
        &answers,
    ))
}

#[test]
fn a_bad_example_raises_its_own_code_and_no_other() {
    let mut wrong = Vec::new();
    for rule in rules() {
        let codes: BTreeSet<&str> = findings(rule.breaks).iter().map(|one| one.code).collect();
        if codes != BTreeSet::from([rule.code]) {
            wrong.push(format!("{} {}: {codes:?}", rule.code, rule.name));
        }
    }
    assert_eq!(wrong, [""; 0]);
}

#[test]
fn a_good_example_raises_nothing() {
    for rule in rules() {
        assert_eq!(findings(rule.keeps), [], "{}:\n{}", rule.name, rule.keeps);
    }
}

#[test]
fn every_finding_points_somewhere_and_advises() {
    for rule in rules() {
        for finding in findings(rule.breaks) {
            assert!(!finding.labels.is_empty(), "{}", rule.name);
            assert!(!finding.sentence.ends_with('.'), "{}", finding.sentence);
        }
    }
}

#[test]
fn codes_and_names_are_reported_once() {
    let codes: BTreeSet<&str> = rules().map(|rule| rule.code).collect();
    let names: BTreeSet<&str> = rules().map(|rule| rule.name).collect();
    assert_eq!(codes.len(), rules().count());
    assert_eq!(names.len(), rules().count());
}

#[test]
fn the_consequence_is_reported_in_numbers() {
    let found = findings(
        "scene = \"kiln.toml\"\nframes = \"1-96\"\nengine = \"understudy\"\n\
         path = \"r/{shot}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\", \"shadow\"]\n",
    );
    let [finding] = &found[..] else {
        panic!("{found:?}")
    };
    assert_eq!(finding.code, "TP103");
    assert_eq!(
        finding.consequence.as_deref(),
        Some(
            "192 of 288 files would be lost: depth and shadow would overwrite beauty, as in /work/show/r/kiln.0001.png"
        )
    );
    assert_eq!(finding.advice, ["write \"r/{shot}_{pass}.{frame:04}.png\""]);
}

/// A job of three shots in two variants, two passes and two outputs that `more` describes.
fn three_shots(paths: [&str; 2], more: &str) -> Vec<(&'static str, Option<String>)> {
    let job = format!(
        "[project]\nengine = \"understudy\"\npasses = [\"beauty\", \"depth\"]\nvariants = [\"day\", \"night\"]\n\
         [variant.day]\nsettings.exposure = 1\n[variant.night]\nsettings.exposure = -2\n\
         [shot.a]\nscene = \"kiln.toml\"\nframes = \"1-10\"\n\
         [shot.b]\nscene = \"kiln.toml\"\nframes = \"1-120\"\n\
         [shot.c]\nscene = \"kiln.toml\"\nframes = \"-20-2000\"\n\
         [output.frames]\npath = \"{}\"\n[output.again]\npath = \"{}\"\nsize = \"8x8\"\n{more}",
        paths[0], paths[1],
    );
    let found = findings(&job).into_iter();
    found.map(|one| (one.code, one.consequence)).collect()
}

#[test]
fn one_cause_is_reported_once_for_all_shots() {
    let path = "r/{shot}_{variant}_{pass}.{frame:04}.png";
    let [(code, Some(so))] = &three_shots([path, path], "")[..] else {
        panic!("more than one finding")
    };
    assert_eq!(*code, "TP102");
    // Twelve sequences of 10, 120 and 2,021 frames, each written over once.
    let lost = (10 + 120 + 2021) * 4;
    assert!(so.starts_with(&format!("{lost} files")), "{so}");
}

#[test]
fn capitals_are_reported_once_for_all_shots() {
    let paths = [
        "r/{shot}_{variant}_{pass}.{frame:04}.png",
        "R/{shot}_{variant}_{pass}.{frame:04}.png",
    ];
    let [(code, Some(so))] = &three_shots(paths, "")[..] else {
        panic!("more than one finding")
    };
    assert_eq!(*code, "TP116");
    let lost = (10 + 120 + 2021) * 4;
    assert!(so.starts_with(&format!("{lost} files")), "{so}");
    assert!(so.ends_with("in 12 sequences"), "{so}");
    // A shot of the same name but for capitals meets all that its namesake makes.
    let shot = "[shot.B]\nscene = \"kiln.toml\"\nframes = \"1-5\"\n";
    let apart = [paths[0], "r/again/{shot}_{variant}_{pass}.{frame:04}.png"];
    let codes: Vec<_> = three_shots(apart, shot)
        .into_iter()
        .map(|(code, _)| code)
        .collect();
    assert_eq!(codes, ["TP116", "TP116"]);
}

#[test]
fn short_padding_is_reported_once_a_template_and_by_the_worst() {
    let paths = [
        "r/{shot}_{variant}_{pass}.{frame:02}.png",
        "r/again/{shot}_{variant}_{pass}.{frame:04}.png",
    ];
    let found = three_shots(paths, "");
    let [("TP105", Some(so))] = &found[..] else {
        panic!("{found:?}")
    };
    assert!(so.contains("`c_day_beauty.100.png`"), "{so}");
}

#[test]
fn what_povray_cannot_take_is_reported() {
    let job = |extra: &str| {
        format!(
            "scene = \"kiln.pov\"\nengine = \"povray\"\npath = \"r/{{shot}}.{{frame:04}}.{{ext}}\"\n{extra}"
        )
    };
    let codes =
        |extra: &str| -> Vec<&str> { findings(&job(extra)).iter().map(|one| one.code).collect() };
    assert_eq!(
        codes("format = \"png\"\nbits = 16\nframes = \"0-9\""),
        [""; 0]
    );
    assert_eq!(codes("format = \"png\"\nframes = \"-5-9\""), ["TP506"]);
    assert_eq!(
        codes("format = \"exr\"\nbits = \"float\"\nframes = \"1-9\""),
        ["TP505"]
    );
    assert_eq!(
        codes("format = \"png\"\nframes = \"1-9\"\nsettings = { a = \"b c\" }"),
        ["TP507"]
    );
}

#[test]
fn what_is_made_of_a_scene_counts_in_the_disk_estimate() {
    let codes = |engine: &str, scene: &str| -> Vec<&str> {
        let job = format!(
            "scene = \"{scene}.toml\"\nengine = \"{engine}\"\nframes = \"1-9\"\nsize = \"hd\"\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"
        );
        findings(&job).iter().map(|one| one.code).collect()
    };
    assert_eq!(codes("plain", "heavy"), [""; 0]);
    assert_eq!(codes("exporter", "kiln"), [""; 0]);
    let found = codes("exporter", "heavy");
    assert_eq!(found, [disk_space()]);
}

/// The code of the rule about room on a disk.
fn disk_space() -> &'static str {
    let rule = rules().find(|rule| rule.name == "disk-space");
    rule.unwrap().code
}
