//! Overview and tokens: what is to be made, and where every value comes from.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Project, kiln, scene};

const JOB: &str = r#"base = ["studio.toml"]
[project]
version = 3
[shot.kiln]
scene = "kiln.toml"
frames = "1-20"
variants = ["day", "night"]
[variant.day]
[variant.night]
frames = "1-8"
[output.frames]
path = "r/{show}/{shot}_{variant}_{pass}.{frame:04}.png"
passes = ["beauty", "depth"]
"#;
const STUDIO: &str = "[project]\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 10\nversion = 1\n[token]\nshow = \"orr\"\n";

fn project() -> Project {
    let project = Project::new(JOB);
    project.write("studio.toml", STUDIO);
    project.write("kiln.toml", &scene(""));
    project
}

#[test]
fn the_overview_shows_frames_time_bytes_and_state() {
    let project = project();
    let before = project
        .call(&["overview", "--format", "json"])
        .ends(0)
        .json();
    let lines = before["lines"].as_array().unwrap();
    assert_eq!(lines.len(), 2);
    assert_eq!(lines[0]["files"], 40);
    assert_eq!(lines[0]["seconds"], 2.0);
    assert_eq!(lines[1]["variant"], "night");
    assert_eq!(lines[1]["frames"], "1-8");
    assert_eq!(lines[1]["done"], 0);
    assert_eq!(lines[1]["measured"], false);
    project.call(&["run", "--variant", "night"]).ends(0);
    project
        .call(&["run", "--variant", "day", "--frames", "1-5"])
        .ends(0);
    let after = project
        .call(&["overview", "--format", "json"])
        .ends(0)
        .json();
    assert_eq!(after["lines"][1]["done"], 16);
    assert_eq!(after["lines"][0]["done"], 10);
    // Ten of forty files are there: the others are taken to be like them.
    let mut bytes = 0;
    for name in project.files("r/orr") {
        if name.contains("night") {
            bytes += std::fs::metadata(project.path("r/orr").join(name))
                .unwrap()
                .len();
        }
    }
    assert_eq!(after["lines"][1]["bytes"], bytes);
    assert_eq!(after["lines"][1]["measured"], true);
    let text = project.call(&["overview"]).ends(0).out;
    assert!(text.contains("25 %"), "{text}");
    assert!(text.contains("done"), "{text}");
    assert!(text.contains("2 lines, 56 files, 2.8 s"), "{text}");
}

#[test]
fn bytes_are_reported_within_a_factor_of_two_once_a_few_frames_are_there() {
    let project = project();
    project.call(&["run", "--frames", "1,8"]).ends(0);
    let estimate = |project: &Project| {
        let shown = project.call(&["overview", "--format", "json"]).json();
        let lines = shown["lines"].as_array().unwrap();
        lines
            .iter()
            .map(|line| line["bytes"].as_u64().unwrap())
            .sum::<u64>()
    };
    let early = estimate(&project);
    project.call(&["run"]).ends(0);
    let late = estimate(&project);
    assert!(early < late * 2 && late < early * 2, "{early} {late}");
}

#[test]
fn tokens_tell_value_layer_line_and_what_was_beaten() {
    let project = project();
    let text = project
        .call(&[
            "tokens",
            "version",
            "show",
            "last",
            "width",
            "view",
            "--set",
            "size=24x16",
        ])
        .ends(0)
        .out;
    for line in [
        "{version}           3                       project truepath.toml:3, beats project studio.toml:5",
        "{show}              orr                     project studio.toml:7",
        "{last}              20                      shot truepath.toml:6",
        "                    8                       variant truepath.toml:10, beats shot truepath.toml:6",
        "{width}             24                      command line --set:1, beats project studio.toml:3",
        "{view}              no value                the view",
    ] {
        assert!(text.contains(line), "{line}\n{text}");
    }
    let unknown = project.call(&["tokens", "verson"]).ends(2);
    assert!(
        unknown.err.contains("did you mean `version`?"),
        "{}",
        unknown.err
    );
}

#[test]
fn a_trial_never_touches_a_final() {
    let project = project();
    project
        .call(&["run", "--preset", "trial", "--set", "size=64x64"])
        .ends(0);
    assert_eq!(project.files("trial/r/orr").len(), 12);
    assert!(!project.path("r").exists());
    let audit = project
        .call(&["audit", "--preset", "trial", "--set", "size=64x64"])
        .ends(0);
    assert!(audit.out.contains("all 12 files"), "{}", audit.out);
    let wrong = project.call(&["run", "--preset", "trail"]).ends(1);
    assert!(wrong.err.contains("did you mean `trial`?"), "{}", wrong.err);
}

#[test]
fn the_environment_reaches_the_engine_and_the_command_lines() {
    let project = kiln("1", "engine = \"env\"\nenv = { BRASS_KEY = \"a b\" }", "");
    let job = std::fs::read_to_string(project.path("truepath.toml")).unwrap();
    project.write(
        "truepath.toml",
        &job.replacen("engine = \"understudy\"\n", "", 1),
    );
    project.write(
        "engines/env.toml",
        "engine = { name = \"env\", program = \"sh\", frames = \"one\" }\n\
         arguments = [\"-c\", \"echo error: key $BRASS_KEY; exit 3\"]\noutput-name = \"x{frame:?}.png\"\n\
         log = [{ error = '^error: (?P<text>.*)' }]\n",
    );
    let called = project.call(&["run"]).ends(1);
    assert!(
        called.out.contains("exit code 3: key a b"),
        "{}",
        called.out
    );
    let commands = project.call(&["commands"]).ends(0).out;
    assert!(
        commands.contains("&& env 'BRASS_KEY=a b' sh -c"),
        "{commands}"
    );
}

#[test]
fn keys_can_be_asked_like_tokens() {
    let project = project();
    let shown = project
        .call(&["tokens", "passes", "frames", "--variant", "night"])
        .ends(0)
        .out;
    assert!(shown.contains("passes"), "{shown}");
    // Frames are a key and no token: what won, and what it beat.
    let frames = shown
        .lines()
        .find(|line| line.starts_with("frames"))
        .unwrap();
    assert!(frames.contains("1-8"), "{frames}");
    assert!(
        frames.contains("variant truepath.toml:10, beats shot truepath.toml:6"),
        "{frames}"
    );
    let all = project.call(&["tokens", "--keys"]).ends(0).out;
    assert!(
        all.contains("engine") && all.contains("studio.toml:2"),
        "{all}"
    );
    let unknown = project.call(&["tokens", "comprssion"]).ends(2);
    assert!(unknown.err.contains("compression"), "{}", unknown.err);
}
