//! The schemas, compared with files that people write and against what commands print.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;

use common::{Project, kiln};
use jsonschema::Validator;
use serde_json::{Value, json};
use truepath_core::job::{KEYS, TableKind};
use truepath_core::schema::{job_schema, profile_schema};
use truepath_core::start::Work;

fn validator(schema: &Value) -> Validator {
    jsonschema::validator_for(schema).unwrap()
}

/// What a schema has against a TOML file.
fn complaints(schema: &Validator, toml: &str) -> Vec<String> {
    let value: Value = toml::from_str(toml).unwrap();
    schema
        .iter_errors(&value)
        .map(|error| format!("{}: {error}", error.instance_path))
        .collect()
}

fn root() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

#[test]
fn demo_and_shipped_profiles_are_as_the_schemas_say() {
    let (job, profile) = (validator(&job_schema()), validator(&profile_schema()));
    for name in ["demo/truepath.toml", "demo/raytraced.toml"] {
        let text = fs::read_to_string(root().join(name)).unwrap();
        assert_eq!(complaints(&job, &text), [""; 0], "{name}");
    }
    for entry in fs::read_dir(root().join("engines")).unwrap() {
        let path = entry.unwrap().path();
        let text = fs::read_to_string(&path).unwrap();
        assert_eq!(complaints(&profile, &text), [""; 0], "{path:?}");
    }
}

#[test]
fn start_files_are_as_the_schema_says() {
    let project = Project::empty();
    project.write("kiln.toml", &common::scene(""));
    let schema = validator(&job_schema());
    for work in Work::ALL.map(Work::word) {
        let name = format!("{work}.toml");
        let arguments = [
            "new",
            "--for-scene",
            "kiln.toml",
            "--work",
            work,
            "--to",
            &name,
        ];
        project.call(&arguments).ends(0);
        let text = fs::read_to_string(project.path(&name)).unwrap();
        assert_eq!(complaints(&schema, &text), [""; 0], "{work}\n{text}");
    }
}

#[test]
fn every_key_has_its_place_in_the_schema() {
    let schema = validator(&job_schema());
    let table = |kind: TableKind, line: &str| match kind {
        TableKind::Project => format!("[project]\n{line}"),
        TableKind::Shot => format!("[shot.a]\n{line}"),
        TableKind::Pass => format!("[pass.a]\n{line}"),
        TableKind::Output => format!("[output.a]\n{line}"),
        TableKind::OutputPass => format!("[output.a.pass.b]\n{line}"),
        TableKind::ShotPass => format!("[shot.a.pass.b]\n{line}"),
        TableKind::Variant => format!("[variant.a]\n{line}"),
        TableKind::View => format!("[view.a]\n{line}"),
        TableKind::ShotVariant => format!("[shot.a.variant.b]\n{line}"),
        TableKind::ShotView => format!("[shot.a.view.b]\n{line}"),
        TableKind::Preset => format!("[preset.a]\n{line}"),
        TableKind::CommandLine => panic!("no table of a file"),
    };
    for facts in &KEYS {
        for kind in facts.tables {
            let text = table(*kind, facts.example);
            assert_eq!(complaints(&schema, &text), [""; 0], "{text}");
        }
        // And in no other.
        if !facts.tables.contains(&TableKind::Pass) {
            let text = table(TableKind::Pass, facts.example);
            assert_ne!(complaints(&schema, &text), [""; 0], "{text}");
        }
    }
}

#[test]
fn what_is_wrong_is_wrong_for_the_schema_too() {
    let schema = validator(&job_schema());
    for text in [
        "[project]\nformt = \"png\"",
        "[project]\nformat = \"pgn\"",
        "[output.a]\nbits = 9",
        "[output.a]\nmovie = { codec = \"h264\", codecs = \"h264\" }",
        "[shot.a]\nframes = true",
        "[place]\na = { amiga = \"/x\" }",
        "[output.a]\nquality = 101",
        "nonsense = 1",
    ] {
        assert_ne!(complaints(&schema, text), [""; 0], "{text}");
    }
}

#[test]
fn commands_print_what_their_schemas_say() {
    let project = kiln(
        "1-8",
        "views = [\"left\"]\nmovie = { direct = true, codec = \"h264\" }\n[token]\nshow = \"orr\"\n",
        "",
    );
    project.write(
        "show.toml",
        "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 12\n[shot.kiln]\nscene = \"kiln.toml\"\n\
         frames = \"1-8\"\naudio = \"kiln.wav\"\n[output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.exr\"\n\
         passes = [\"beauty\", \"depth\"]\ncrop = \"8x8 at 1,2\"\npixel-aspect = 2\ncolor.pixels = \"linear\"\n\
         [output.review]\npath = \"r/{shot}.mp4\"\nmovie = { from = \"frames\", pass = \"beauty\", codec = \"h264\", audio-codec = \"aac\", rate = \"2M\" }\n\
         [output.poster]\npath = \"r/{shot}_poster.png\"\nstill = 3\n",
    );
    for (of, arguments) in [
        ("paths", &["paths"][..]),
        ("tokens", &["tokens"]),
        ("overview", &["overview"]),
        ("status", &["status"]),
        ("audit", &["audit"]),
        ("scan", &["scan", "--facts"]),
        ("engines", &["engines"]),
        ("check", &["check"]),
        (
            "match",
            &["match", "{shot}_{pass}.{frame:04}.exr", "a_b.0001.exr", "x"],
        ),
    ] {
        let schema = project.call(&["schema", of]).ends(0).json();
        let validator = validator(&schema);
        let job: &[&str] = if matches!(of, "match" | "engines" | "scan") {
            &[]
        } else {
            &["--job", "show.toml"]
        };
        let printed = project
            .call(&[arguments, job, &["--format", "json"]].concat())
            .json();
        let complaints: Vec<String> = validator
            .iter_errors(&printed)
            .map(|error| format!("{}: {error}", error.instance_path))
            .collect();
        assert_eq!(complaints, [""; 0], "{of}");
        assert_eq!(printed["version"], 1);
        assert!(!validator.is_valid(&json!({ "version": "one" })));
    }
}
