//! What a user reads, kept as snapshots.
#![allow(clippy::unwrap_used)]

mod common;

use std::fmt::Write;

use common::Project;
use truepath_core::rules::rules;

/// A project in which everything that the examples of the rules name is there.
fn furnished(job: &str) -> Project {
    let project = Project::new(job);
    for scene in [
        "kiln.toml",
        "kiln_v003.toml",
        "kiln.pov",
        "kiln.dat",
        "dawn.toml",
        "dawn.pov",
    ] {
        project.write(scene, "");
    }
    project.write(
        "engines/plain.toml",
        "split = \"free\"\nengine = { name = \"plain\", program = \"myrender\", frames = \"range\" }\n\
         arguments = [{ each = \"settings\", put = \"{key}={value}\" }, \"{first}-{last}\"]\n\
         output-name = \"p{frame:?}.{ext}\"\n\
         rejects = { characters = \" \", why = \"it splits its arguments at spaces\" }\n",
    );
    for (name, takes, argument, more) in [
        ("films", "list", "{frames}", ""),
        ("pieces", "one", "{frame}", ""),
        ("needy", "list", "{frames}", "needs = [\"LAMP\"]\n"),
        ("slow", "list", "{frames}", "single-threaded = true\n"),
        ("aged", "list", "{frames}", ""),
        ("python", "list", "{frames}", ""),
        (
            "wayward",
            "list",
            "{frames}",
            "writes = \"{scene.folder}/own/{scene}.{frame:04}.png\"\n",
        ),
    ] {
        project.write(
            &format!("engines/{name}.toml"),
            &format!(
                "split = \"free\"\nengine = {{ name = \"{name}\", program = \"myrender\", frames = \"{takes}\" }}\narguments = [\"{argument}\"]\n{more}"
            ),
        );
    }
    for scene in [
        "answered",
        "answered-lacking",
        "answered-local",
        "answered-open",
    ] {
        project.write(&format!("{scene}.toml"), "");
        let files = if scene == "answered-lacking" {
            "brass.png"
        } else {
            ""
        };
        let files = if files.is_empty() {
            String::new()
        } else {
            format!("\"{files}\"")
        };
        project.write(
            &format!("{scene}.toml.facts.json"),
            &format!(
                r#"{{ "frames": "1-48", "fps": 24, "cameras": ["dome", "north"], "passes": ["beauty", "depth", "shadow"], "settings": ["exposure", "samples"], "files": [{files}] }}"#
            ),
        );
    }
    project.write("textures/brass.png", "");
    project.write("answered-open.toml.lock", "");
    project.write("naming.txt", "use brass.inc\n");
    project.write("brass.inc", "");
    project.write("mute.toml", "");
    project.write("mute.toml.facts.json", "{ \"cameras\": \"dome\" }");
    project.write("shared/dusk.0001.png", "");
    project.write("stale/kiln.0001.png", "");
    for (name, tenths) in [("dawn", 20), ("short", 10), ("half", 10), ("fast", 16)] {
        std::fs::write(project.path(&format!("{name}.wav")), common::wav(tenths)).unwrap();
    }
    for program in
        ["myrender", "povray", "tachyon", "ffmpeg", "ffprobe"].map(|name| format!("bin/{name}"))
    {
        project.write(&program, "#!/bin/sh\n");
        let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        std::fs::set_permissions(project.path(&program), mode).unwrap();
    }
    project
}

/// Rules about machines that this one is not (an older program, somebody's home, a locked or full
/// disk, a link), about an earlier run, and about finished pictures. Core's tests show them with made-up
/// answers.
const MADE_UP: [&str; 19] = [
    "TP510", "TP516", "TP517", "TP604", "TP606", "TP607", "TP611", "TP614", "TP801", "TP802",
    "TP803", "TP804", "TP805", "TP806", "TP807", "TP808", "TP809", "TP810", "TP811",
];

#[test]
fn every_rule_as_it_is_shown() {
    let mut screens = String::new();
    for rule in rules() {
        if MADE_UP.contains(&rule.code) {
            continue;
        }
        let project = furnished(rule.breaks);
        let path = project.path("bin").display().to_string();
        let called = project.call_with(&["check"], ("PATH", &path));
        let grave = rule.severity == truepath_core::finding::Severity::Error;
        assert_eq!(called.code, Some(i32::from(grave)), "{}", called.out);
        assert_eq!(called.err, "");
        assert!(
            called.out.contains(&format!(" {}  ", rule.code)),
            "{}",
            called.out
        );
        writeln!(
            screens,
            "## {} {}\n\n{}",
            rule.code,
            rule.name,
            project.plain(&called.out)
        )
        .unwrap();
        let fixed = furnished(rule.keeps);
        fixed.call_with(&["check"], ("PATH", &path)).ends(0);
    }
    insta::assert_snapshot!(screens);
}

#[test]
fn mistakes_in_job_files() {
    let head = "[project]\nengine = \"understudy\"\n";
    let tail = "[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n";
    let shot = "[shot.dawn]\nframes = \"1-96\"\n";
    let jobs = [
        ("broken TOML", "frames = \"1-96\nscene = [\n".to_owned()),
        (
            "a key written slightly wrong",
            format!("{head}verson = 3\n{shot}{tail}"),
        ),
        (
            "a table written slightly wrong",
            format!("{head}[shots.dawn]\n{shot}{tail}"),
        ),
        (
            "a key in the wrong table",
            format!("{head}{shot}name = \"dawn\"\n{tail}"),
        ),
        (
            "a key outside the tables",
            format!("frames = \"1-9\"\n{head}{shot}{tail}"),
        ),
        (
            "a number for a text",
            format!("{head}{shot}camera = 4\n{tail}"),
        ),
        (
            "a text for a number",
            format!("{head}version = \"three\"\n{shot}{tail}"),
        ),
        (
            "a table for a value",
            format!("{head}{shot}{tail}size = {{ width = 4 }}\n"),
        ),
        (
            "a value for a table",
            format!("{head}[shot]\ndawn = \"scene.toml\"\n{tail}"),
        ),
        (
            "frames backwards",
            format!("{head}[shot.dawn]\nframes = \"96-1\"\n{tail}"),
        ),
        (
            "frames with a hole",
            format!("{head}[shot.dawn]\nframes = \"1-96,,100\"\n{tail}"),
        ),
        (
            "a size with another sign",
            format!("{head}size = \"1920*1080\"\n{shot}{tail}"),
        ),
        (
            "a size by a wrong name",
            format!("{head}size = \"uhdd\"\n{shot}{tail}"),
        ),
        (
            "an unknown format",
            format!("{head}{shot}{tail}format = \"pgn\"\n"),
        ),
        (
            "bits that nobody has",
            format!("{head}{shot}{tail}bits = 32\n"),
        ),
        (
            "an unclosed token",
            format!("{head}{shot}[output.frames]\npath = \"r/{{shot.{{frame:04}}.png\"\n"),
        ),
        (
            "padding without a zero",
            format!("{head}{shot}[output.frames]\npath = \"r/{{shot}}.{{frame:4}}.png\"\n"),
        ),
        (
            "an optional part left open",
            format!("{head}{shot}[output.frames]\npath = \"r/{{shot}}{{?_{{camera}}.png\"\n"),
        ),
        (
            "both camera and cameras",
            format!("{head}{shot}camera = \"a\"\ncameras = [\"b\"]\n{tail}"),
        ),
        (
            "a separator in a name",
            format!("{head}[shot.\"a/b\"]\nframes = \"1-9\"\n{tail}"),
        ),
        (
            "a line for a shell",
            "frames = \"1-9\"\npath = \"r.{frame:04}.png\"\nrun = \"myrender --frame {frame}\"\n"
                .to_owned(),
        ),
        (
            "a time without a unit",
            format!("{head}frame-timeout = 90\n{shot}{tail}"),
        ),
        (
            "a place that is built in",
            format!("{head}[place]\njob = \"x\"\n{shot}{tail}"),
        ),
        (
            "a short job without a path",
            "frames = \"1-9\"\nengine = \"understudy\"\n".to_owned(),
        ),
        ("a job without outputs", format!("{head}{shot}")),
        ("no shot of that name", format!("{head}{shot}{tail}")),
    ];
    let mut screens = String::new();
    for (title, job) in jobs {
        let project = Project::new(&job);
        let mut arguments = vec!["check"];
        if title.starts_with("no shot") {
            arguments.extend(["--set", "shot.dwan.camera=north"]);
        }
        let called = project.call(&arguments).ends(2);
        assert_eq!(called.out, "");
        writeln!(screens, "## {title}\n\n{}", called.err).unwrap();
    }
    insta::assert_snapshot!(screens);
}

#[test]
fn paths_and_commands_of_the_demo() {
    if !common::needs("ffmpeg") {
        return;
    }
    let project = Project::empty();
    for name in [
        "truepath.toml",
        "scenes/dawn.toml",
        "scenes/transit.toml",
        "scenes/eclipse.toml",
    ] {
        let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        project.write(name, &std::fs::read_to_string(demo.join(name)).unwrap());
    }
    let paths = project
        .call(&["paths", "--shot", "eclipse", "--output", "preview"])
        .ends(0);
    let commands = project
        .call(&["commands", "--shot", "transit", "--camera", "north"])
        .ends(0);
    let all = project
        .call(&["paths", "--all", "--shot", "eclipse", "--pass", "depth"])
        .ends(0);
    let text = format!("{}\n{}\n{}", paths.out, commands.out, all.out);
    let text = project.plain(&text).replace(common::program(), "truepath");
    insta::assert_snapshot!(text);
}
