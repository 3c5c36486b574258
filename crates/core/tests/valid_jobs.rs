//! Jobs without a mistake raise nothing, whatever they ask for.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::fmt::Write;
use std::sync::{Arc, LazyLock};

use proptest::prelude::*;
use truepath_core::deliverable::{Selection, Surroundings, expand};
use truepath_core::finding::Finding;
use truepath_core::fix::fix;
use truepath_core::job::{Reading, no_files, read};
use truepath_core::profile::read_profile;
use truepath_core::question::{Answers, Question, questions};
use truepath_core::rules::{Subject, check};
use truepath_core::source::{SourceKind, Sources};

static SURROUNDINGS: LazyLock<Surroundings> = LazyLock::new(|| {
    let mut sources = Sources::default();
    let texts = [
        include_str!("../../../engines/understudy.toml"),
        include_str!("../../../engines/ffmpeg.toml"),
    ];
    let profiles = texts
        .map(|text| Arc::new(read_profile("p", text, SourceKind::BuiltIn, &mut sources).unwrap()));
    Surroundings::of_folder("/work/show", profiles.iter().cloned().collect())
});

/// What a valid job is made of.
#[derive(Debug, Clone)]
struct JobShape {
    shots: Vec<(i64, i64, usize)>,
    passes: usize,
    variants: usize,
    views: bool,
    cameras: usize,
    version: u32,
    size: (u32, u32),
    exr: bool,
    preset: bool,
    still: bool,
    movie: bool,
    trial: bool,
    layers: bool,
    crop: bool,
}

fn jobs() -> impl Strategy<Value = JobShape> {
    let shot = (-50_i64..200, 0_i64..300, 1_usize..4);
    let whole = (
        prop::collection::vec(shot, 1..4),
        1_usize..4,
        0_usize..3,
        any::<bool>(),
        0_usize..3,
        0_u32..1000,
        (8_u32..500, 8_u32..500),
    );
    let flags = (
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
    );
    (whole, flags).prop_map(|(whole, flags)| JobShape {
        shots: whole.0,
        passes: whole.1,
        variants: whole.2,
        views: whole.3,
        cameras: whole.4,
        version: whole.5,
        // Even, so that a movie can share its colours.
        size: (whole.6.0 * 8, whole.6.1 * 8),
        exr: flags.0,
        preset: flags.1,
        still: flags.2,
        movie: flags.3,
        trial: flags.4,
        layers: flags.5,
        crop: flags.6,
    })
}

fn listed(words: &[&str]) -> String {
    let quoted: Vec<String> = words.iter().map(|word| format!("\"{word}\"")).collect();
    quoted.join(", ")
}

fn text(shape: &JobShape) -> String {
    let mut job = String::from("[project]\nname = \"orrery\"\nengine = \"understudy\"\nfps = 24\n");
    let (width, height) = shape.size;
    writeln!(
        job,
        "version = {}\nsize = \"{width}x{height}\"",
        shape.version
    )
    .unwrap();
    if shape.preset {
        job += "preset = \"final\"\n[preset.final]\nsettings = { samples = 4 }\n";
    }
    if shape.trial {
        job += "[preset.trial]\nonly = \"all\"\n";
    }
    for variant in &["day", "night"][..shape.variants] {
        writeln!(job, "[variant.{variant}]\nsettings.tint = \"{variant}\"").unwrap();
    }
    if shape.views {
        job += "[view.left]\n[view.right]\n";
    }
    for (index, (first, length, step)) in shape.shots.iter().enumerate() {
        // The last frame is one of the steps.
        let last = first + length * i64::try_from(*step).unwrap();
        writeln!(job, "[shot.s{index:02}]\nscene = \"s.toml\"").unwrap();
        match step {
            1 => writeln!(job, "frames = \"{first}-{last}\"").unwrap(),
            step => writeln!(job, "frames = \"{first}-{last}/{step}\"").unwrap(),
        }
        if shape.variants > 0 {
            writeln!(
                job,
                "variants = [{}]",
                listed(&["day", "night"][..shape.variants])
            )
            .unwrap();
        }
        if shape.views {
            job += "views = [\"left\", \"right\"]\n";
        }
        if shape.cameras > 0 {
            writeln!(
                job,
                "cameras = [{}]",
                listed(&["dome", "north"][..shape.cameras])
            )
            .unwrap();
        }
    }
    let passes = &["beauty", "shadow", "depth"][..shape.passes];
    let exr = shape.exr || shape.layers || passes.contains(&"depth");
    let tokens = "{shot}{?_{variant}}{?_{view}}{?_{camera}}";
    writeln!(
        job,
        "[output.frames]\npath = \"renders/{tokens}/{{pass}}/{tokens}_{{pass}}_v{{version:03}}.{{frame:04}}.{{ext}}\"\npasses = [{}]",
        listed(passes)
    )
    .unwrap();
    if exr {
        // A movie has no alpha, so a job with one asks for none.
        let channels = if shape.movie { "rgb" } else { "rgba" };
        writeln!(job, "format = \"exr\"\nbits = \"half\"\nchannels = \"{channels}\"\ncolor = {{ pixels = \"linear\", transfer = \"srgb\" }}").unwrap();
    } else {
        job += "format = \"png\"\nbits = 8\ncolor.pixels = \"display\"\n";
    }
    if shape.layers {
        writeln!(job, "layers = {{ all = [{}] }}", listed(passes)).unwrap();
    }
    if shape.crop {
        job += "crop = \"32x32 at 8,16\"\n";
    }
    if shape.still {
        writeln!(
            job,
            "[output.poster]\npath = \"renders/{tokens}_poster.png\"\nstill = 1"
        )
        .unwrap();
    }
    let whole = shape
        .shots
        .iter()
        .all(|(_, length, step)| *step == 1 || *length == 0);
    if shape.movie && whole && !shape.layers {
        writeln!(
            job,
            "[output.review]\npath = \"renders/{tokens}.mp4\"\nmovie = {{ from = \"frames\", pass = \"beauty\", codec = \"h264\", pixels = \"4:2:0 8\" }}"
        )
        .unwrap();
    }
    job
}

fn codes(text: &str) -> Vec<String> {
    let reading = read("truepath.toml", text, &[], &mut no_files);
    assert!(reading.is_sound(), "{text}\n{:?}", reading.findings);
    let expansion = expand(&reading.job, &SURROUNDINGS, &Selection::default());
    let mut answers = Answers::default();
    for question in questions(&expansion) {
        if let Question::File(path) = question {
            answers.files.insert(path, true);
        }
    }
    check(&Subject::new(
        &reading.job,
        &expansion,
        &SURROUNDINGS,
        &answers,
    ))
    .iter()
    .map(|one| format!("{}: {}", one.code, one.sentence))
    .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_valid_job_raises_nothing(shape in jobs()) {
        let job = text(&shape);
        let codes = codes(&job);
        prop_assert!(codes.is_empty(), "{job}\n{codes:?}");
    }
}

/// Findings of a job, with its reading.
fn checked(text: &str) -> (Reading, Vec<Finding>) {
    let reading = read("truepath.toml", text, &[], &mut no_files);
    let expansion = expand(&reading.job, &SURROUNDINGS, &Selection::default());
    let mut answers = Answers::default();
    for question in questions(&expansion) {
        if let Question::File(path) = question {
            answers.files.insert(path, true);
        }
    }
    let findings = check(&Subject::new(
        &reading.job,
        &expansion,
        &SURROUNDINGS,
        &answers,
    ));
    (reading, findings)
}

/// Slips in a path of which each has a fix: what stands there, and what is written by mistake.
const SLIPS: [(&str, &str); 7] = [
    ("_{pass}_v", "_v"),
    (".{frame:04}", ""),
    ("{frame:04}", "%04d"),
    ("{frame:04}", "####"),
    (".{frame:04}", "{frame:04}"),
    ("v{version:03}", "v{vresion:03}"),
    ("{frame:04}", "{frame:02}"),
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_a_fix_writes_passes_every_check(shape in jobs(), slip in 0..SLIPS.len()) {
        let (right, wrong) = SLIPS[slip];
        let mut job = text(&shape).replacen(right, wrong, 1).replacen("{pass}/", "", usize::from(slip == 0));
        for _ in 0..6 {
            let (reading, findings) = checked(&job);
            let fixed = fix(&reading.job.sources, &findings).files;
            match fixed.first() {
                Some(fixed) => job = fixed.text.clone(),
                None => break,
            }
        }
        let (reading, findings) = checked(&job);
        prop_assert!(reading.is_sound(), "{job}");
        let left: Vec<_> = findings.iter().map(|one| format!("{}: {}", one.code, one.sentence)).collect();
        prop_assert!(left.is_empty(), "{right} as {wrong}: {left:?}\n{job}");
    }
}
