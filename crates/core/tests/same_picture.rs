//! Names that make no difference to the picture are found, and no ordinary job trips over the rule.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;

use truepath_core::deliverable::{Selection, Surroundings, expand};
use truepath_core::job::{no_files, read};
use truepath_core::profile::{Profile, read_profile};
use truepath_core::question::Answers;
use truepath_core::rules::{Subject, check};
use truepath_core::source::{SourceKind, Sources};

const NAMING: &str = "engine = { name = \"naming\", program = \"n\", frames = \"range\", passes = \"all\" }\n\
    arguments = [\"{scene.file}\", \"{first}\", \"{last}\"]\noutput-name = \"{pass}{frame:?}.{ext}\"\n";
const SIZED: &str = "engine = { name = \"sized\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"{scene.file}\", \"{first}\", \"{last}\", [\"-w\", \"{width}\"]]\noutput-name = \"p{frame:?}.{ext}\"\n";
const PREPARED: &str = "engine = { name = \"prepared\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"{prepared}\", \"{first}\", \"{last}\"]\noutput-name = \"p{frame:?}.{ext}\"\n\
    prepare = { arguments = [\"--export\", \"{settings.light}\", \"{prepared}\"], makes = \"x\" }\n";
const GIVEN: &str = "engine = { name = \"given\", program = \"n\", frames = \"range\" }\n\
    arguments = [\"options.json\", \"{first}\", \"{last}\"]\noutput-name = \"p{frame:?}.{ext}\"\n\
    file = [{ name = \"options.json\", json = { cam = \"{camera}\", target = \"{target}\" } }]\n";

fn profile(text: &str) -> Arc<Profile> {
    let mut sources = Sources::default();
    Arc::new(read_profile("p.toml", text, SourceKind::BuiltIn, &mut sources).unwrap())
}

fn surroundings() -> Surroundings {
    let profiles = [
        include_str!("../../../engines/understudy.toml"),
        include_str!("../../../engines/ffmpeg.toml"),
        NAMING,
        SIZED,
        PREPARED,
        GIVEN,
    ]
    .map(profile)
    .to_vec();
    Surroundings::of_folder("/work/show", profiles.into_iter().collect())
}

/// The codes of the rules about names that make no difference.
fn codes(job: &str) -> Vec<&'static str> {
    codes_of_part(job, &Selection::default())
}

/// Those of the selected part of a job.
fn codes_of_part(job: &str, selection: &Selection) -> Vec<&'static str> {
    let reading = read("truepath.toml", job, &[], &mut no_files);
    assert!(reading.findings.is_empty(), "{job}\n{:?}", reading.findings);
    let around = surroundings();
    let expansion = expand(&reading.job, &around, &Selection::default());
    assert!(
        expansion.problems.is_empty(),
        "{job}\n{:?}",
        expansion.problems
    );
    let answers = Answers::default();
    let selected = expand(&reading.job, &around, selection);
    let subject = Subject::new(&reading.job, &selected, &around, &answers).within(&expansion);
    let found = check(&subject);
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
        // Movies of two passes that are assembled from the same sequence.
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
        // Given by a group, in one word, or in a file.
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
        // Passes that the engine distinguishes by the names of its files.
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

#[test]
fn a_part_of_a_job_is_judged_like_the_whole() {
    let cameras = Selection {
        cameras: vec!["dome".to_owned()],
        ..Selection::default()
    };
    // Another machine renders the other camera, and the two would be the same picture.
    let same = long(RUN, "").replace(
        "[shot.dawn]\n",
        "[shot.dawn]\ncameras = [\"dome\", \"north\"]\n",
    );
    assert_eq!(codes(&same), ["TP523"]);
    assert_eq!(codes_of_part(&same, &cameras), ["TP523"]);
    // Variants that differ by a setting stay so when one of them is rendered alone.
    let differ = long(
        "engine = \"understudy\"\nvariants = [\"day\", \"night\"]",
        "[variant.day]\n[variant.night]\nsettings = { exposure = -2.0 }",
    );
    assert_eq!(codes(&differ), [""; 0]);
    for variant in ["day", "night"] {
        let variants = Selection {
            variants: vec![variant.to_owned()],
            ..Selection::default()
        };
        assert_eq!(codes_of_part(&differ, &variants), [""; 0], "{variant}");
    }
    // What is wrong with a shot that is not rendered now is none of this call's business.
    let other = same + "[shot.dusk]\nframes = \"1-48\"\nscene = \"dusk.scene\"\n";
    let dusk = Selection {
        shots: vec!["dusk".to_owned()],
        ..Selection::default()
    };
    assert_eq!(codes_of_part(&other, &dusk), [""; 0]);
}
