//! Options that all commands share, exit codes, pipes and JSON.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::io::Read;
use std::process::Stdio;

use common::{Project, kiln};

#[test]
fn every_command_has_help_with_an_example() {
    let project = Project::empty();
    for command in common::COMMANDS {
        let help = project.call(&[command, "--help"]).ends(0).out;
        assert!(help.contains("Example"), "{command}: {help}");
        assert!(
            help.contains(&format!("truepath {command}")),
            "{command}: {help}"
        );
    }
}

#[test]
fn exit_codes_tell_what_happened() {
    let project = kiln("1-3", "", "");
    project.call(&["check"]).ends(0);
    project.call(&["audit"]).ends(1);
    project.call(&["check", "--set", "bits=half"]).ends(1);
    project.call(&["check", "--shot", "kil"]).ends(2);
    project.call(&["check", "--frames", "9-1"]).ends(2);
    let none = project.call(&["run", "--frames", "50-60"]).ends(2);
    assert!(
        none.err.contains("has a frame of --frames 50-60"),
        "{}",
        none.err
    );
    project.call(&["check", "--nonsense"]).ends(2);
    project.call(&["check", "--job", "nowhere.toml"]).ends(2);
    project.write("blocked", "");
    project
        .call(&["run", "--set", "state=blocked/below"])
        .ends(3);
}

#[test]
fn names_that_the_job_does_not_have_are_reported_with_the_nearest() {
    let project = kiln(
        "1-3",
        "passes = [\"beauty\", \"depth\"]\npath = \"r/{pass}.{frame:04}.png\"",
        "",
    );
    let job = std::fs::read_to_string(project.path("truepath.toml")).unwrap();
    project.write(
        "truepath.toml",
        &job.replacen("path = \"renders/{shot}.{frame:04}.png\"\n", "", 1),
    );
    for (option, name, near) in [
        ("--shot", "klin", "kiln"),
        ("--pass", "depht", "depth"),
        ("--output", "frame", "frames"),
    ] {
        let called = project.call(&["paths", option, name]).ends(2);
        assert!(
            called.err.contains(&format!("did you mean `{near}`?")),
            "{}",
            called.err
        );
    }
    let called = project.call(&["paths", "--camera", "north"]).ends(2);
    assert!(called.err.contains("it names no camera"), "{}", called.err);
}

#[test]
fn the_command_line_has_a_layer_of_its_own() {
    let project = kiln("1-3", "", "");
    let first = |arguments: &[&str]| {
        let mut line = vec!["paths", "--format", "json"];
        line.extend(arguments);
        project.call(&line).ends(0).json()["deliverables"][0].clone()
    };
    assert_eq!(first(&["--set", "size=uhd"])["size"], "3840x2160");
    assert_eq!(first(&["--set", "frames=5-9/2"])["frames"], "5-9/2");
    assert_eq!(
        first(&["--set", "camera=north", "--set", "bits=16"])["camera"],
        "north"
    );
    assert_eq!(first(&["--set", "passes=[\"depth\"]"])["pass"], "depth");
    let called = project.call(&["check", "--set", "bits=sixteen"]).ends(2);
    assert!(
        called.err.contains("--set (command line):1:6"),
        "{}",
        called.err
    );
}

#[test]
fn the_job_file_is_found_upwards_and_paths_are_its_own() {
    let project = kiln("1-3", "", "");
    project.write("deep/down/x", "");
    let mut command = project.command(&["paths", "--all"]);
    let below = command
        .current_dir(project.path("deep/down"))
        .output()
        .unwrap();
    assert!(below.status.success());
    assert_eq!(
        String::from_utf8(below.stdout).unwrap(),
        project.call(&["paths", "--all"]).out
    );
}

#[test]
fn a_closed_pipe_ends_quietly() {
    let project = kiln("1-100000000", "", "");
    let mut paths = project
        .command(&["paths", "--all"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut out = paths.stdout.take().unwrap();
    out.read_exact(&mut [0; 64]).unwrap();
    drop(out);
    let output = paths.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(0));
    assert_eq!(String::from_utf8_lossy(&output.stderr), "");
}

#[test]
fn output_that_cannot_be_written_is_reported() {
    let project = kiln("1-3", "", "");
    for command in [
        &["run"][..],
        &["overview"],
        &["paths"],
        &["tokens"],
        &["check"],
        &["check", "--fix", "--dry-run"],
        &["check", "--format", "json"],
        &["rules"],
        &["commands"],
        &["commands", "--as", "sh"],
        &["status"],
        &["audit"],
        &["match", "renders/kiln.0001.png"],
        &["engines"],
        &["schema", "job"],
    ] {
        let full = fs::File::options().write(true).open("/dev/full").unwrap();
        let output = project.command(command).stdout(full).output().unwrap();
        let printed = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.code(), Some(3), "{command:?}: {printed}");
        assert!(
            printed.contains("the output cannot be written"),
            "{command:?}: {printed}"
        );
    }
    assert_eq!(project.files("renders").len(), 3);
}

#[test]
fn results_go_to_stdout_and_nothing_is_coloured_without_a_terminal() {
    let project = kiln("1-3", "", "");
    let run = project.call(&["run"]).ends(0);
    assert!(run.out.starts_with("complete"));
    assert!(run.err.contains("3 files wanted, none is there yet"));
    for text in [
        &run.out,
        &run.err,
        &project.call(&["check"]).out,
        &project.call(&["audit"]).out,
    ] {
        assert!(!text.contains('\u{1b}'), "{text}");
    }
}

#[test]
fn json_has_a_version_and_has_places() {
    let project = kiln("1-3", "bits = \"half\"", "");
    let check = project.call(&["check", "--format", "json"]).ends(1).json();
    assert_eq!(check["version"], 1);
    let finding = &check["findings"][0];
    assert_eq!(finding["code"], "TP302");
    assert_eq!(finding["places"][0]["file"], "truepath.toml");
    assert_eq!(finding["places"][0]["line"], 7);
    assert_eq!(finding["places"][0]["column"], 9);
    for (command, option) in [
        ("overview", "--format"),
        ("paths", "--format"),
        ("tokens", "--format"),
        ("audit", "--format"),
        ("commands", "--as"),
    ] {
        let json = project
            .call(&[command, option, "json", "--set", "bits=8"])
            .json();
        assert_eq!(json["version"], 1, "{command}");
    }
}

#[test]
fn an_error_can_be_passed_over_by_name() {
    let project = kiln("1-3", "bits = 16\ncompression = \"zip\"", "");
    let stopped = project.call(&["run"]).ends(1);
    assert!(stopped.err.contains("TP303"), "{}", stopped.err);
    // The understudy takes the word and PNG has no use for it.
    project.call(&["run", "--ignore", "TP303"]).ends(0);
}

#[test]
fn a_profile_of_the_project_is_read_and_its_mistakes_are_reported() {
    let project = kiln("1-3", "", "");
    project.write(
        "engines/own.toml",
        "engine = { name = \"own\", program = \"true\" }\narguments = [\"{frame\"]\noutput-nam = 3\n",
    );
    let called = project.call(&["check"]).ends(2);
    assert!(
        called.err.contains("engines/own.toml:2:15"),
        "{}",
        called.err
    );
    assert!(
        called.err.contains("did you mean `output-name`?"),
        "{}",
        called.err
    );
}
