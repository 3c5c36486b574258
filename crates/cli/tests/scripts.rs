//! Scripts: what they start, proven by real shells, and what they leave alone.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::process::Command;

use common::windows::{run_batch, windows_folder};
use common::{Project, needs};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRunner};
use truepath_core::quote::posix_line;
use truepath_core::script::batch_word;

/// The shells that a script for POSIX shells must run in, as a command line.
const SHELLS: [&[&str]; 4] = [&["dash"], &["bash"], &["zsh"], &["busybox", "sh"]];

/// A shell that is here.
fn shell(line: &[&str]) -> Option<Command> {
    if !needs(line[0]) {
        return None;
    }
    let mut command = Command::new(line[0]);
    command.args(&line[1..]);
    Some(command)
}

fn argument() -> impl Strategy<Value = String> {
    prop_oneof![
        "[ -~]{0,12}",
        "['\"$`\\\\!&|;<>(){}\\[\\]*?#~=%^\n\t -]{0,10}",
        "[a-zé日\u{1F600} ]{0,6}",
        Just(String::new()),
        Just("-n".to_owned()),
        Just("--".to_owned()),
    ]
}

#[test]
fn every_posix_shell_gives_back_the_same_bytes() {
    for line in SHELLS {
        if shell(line).is_none() {
            continue;
        }
        let mut runner = TestRunner::new(Config::with_cases(60));
        let lists = prop::collection::vec(argument(), 1..6);
        let outcome = runner.run(&lists, |arguments| {
            // As a script does it: through a function, then started without a shell in between.
            let words = std::iter::once("%s\\0").chain(arguments.iter().map(String::as_str));
            let text = format!(
                "render() {{ ( exec \"$@\" ); }}\nrender {}\n",
                posix_line("printf", words)
            );
            let output = shell(line).unwrap().args(["-c", &text]).output().unwrap();
            let wanted: Vec<u8> = arguments
                .iter()
                .flat_map(|one| [one.as_bytes(), b"\0"].concat())
                .collect();
            prop_assert_eq!(output.stdout, wanted, "{:?} {}", line, text);
            Ok(())
        });
        outcome.unwrap_or_else(|error| panic!("{line:?}: {error}"));
    }
}

#[test]
fn a_batch_file_gives_back_the_same_bytes_or_refuses() {
    assert!(batch_word("a\"b").is_err());
    assert!(batch_word("a\nb").is_err());
    assert!(batch_word("é").is_err());
    if !needs("wine") || !needs("python3") {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let (dump, pipe) = (folder.path().join("dump.py"), folder.path().join("pipe"));
    fs::write(
        &dump,
        "#!/usr/bin/env python3\nimport os, sys\nout = os.open(os.path.dirname(__file__) + '/pipe', os.O_WRONLY)\n\
         os.write(out, b'\\0'.join(os.fsencode(a) for a in sys.argv[1:]) + b'\\n')\n",
    )
    .unwrap();
    Command::new("chmod").arg("+x").arg(&dump).status().unwrap();
    Command::new("mkfifo").arg(&pipe).status().unwrap();
    let program = format!("Z:{}", dump.display()).replace('/', "\\");
    let mut runner = TestRunner::deterministic();
    let lists = prop::collection::vec(
        prop_oneof![
            "[ -!#-$&-~]{0,12}",
            "[!^&|<>()=;, \\\\~-]{0,8}",
            Just(String::new())
        ],
        1..5,
    );
    let mut text = "@echo off\r\nsetlocal DisableDelayedExpansion\r\n".to_owned();
    let mut wanted = Vec::new();
    for number in 10..50 {
        let mut arguments = lists.new_tree(&mut runner).unwrap().current();
        // One percent sign a line: more are refused where a script is written.
        arguments[0].push('%');
        arguments.insert(0, number.to_string());
        let words: Vec<String> = arguments
            .iter()
            .map(|one| batch_word(one).unwrap())
            .collect();
        let program = batch_word(&program).unwrap();
        text.push_str(&format!("{program} {} <nul\r\n", words.join(" ")));
        wanted.push(arguments.join("\0"));
    }
    fs::write(folder.path().join("t.bat"), &text).unwrap();
    // Programs of this system are not waited for there, so the pipe is read until all have spoken.
    let reader = Command::new("timeout")
        .args(["60", "head", "-n", "40"])
        .arg(&pipe)
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    // Held open, so that the pipe does not end between two of them.
    let held = fs::File::options()
        .read(true)
        .write(true)
        .open(&pipe)
        .unwrap();
    let printed = run_batch(folder.path(), "t.bat");
    let output = reader.wait_with_output().unwrap();
    drop(held);
    let got = String::from_utf8(output.stdout).unwrap();
    let mut got: Vec<&str> = got.lines().collect();
    got.sort_unstable();
    assert_eq!(got, wanted, "{printed}\n{text}");
}

const JOB: &str = "scene = \"dawn.toml\"\nframes = \"-1-3\"\nengine = \"understudy\"\nsize = \"64x64\"\n\
                   path = \"r $x's/{shot}_{pass}.{frame:04}.png\"\npasses = [\"beauty\", \"depth\"]\n";

fn bytes(project: &Project) -> Vec<(String, Vec<u8>)> {
    let mut files: Vec<_> = fs::read_dir(project.path("r $x's"))
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.is_file())
        .map(|path| {
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            (name, fs::read(path).unwrap())
        })
        .collect();
    files.sort();
    files
}

fn drawn(job: &str) -> Project {
    let project = Project::new(job);
    project.write("dawn.toml", include_str!("../../../demo/scenes/dawn.toml"));
    project
}

/// Whether the script of a job alone makes what a run of it makes, in every shell.
fn scripts_make_what_a_run_makes(job: &str) {
    let by_run = drawn(job);
    by_run.call(&["run"]).ends(0);
    let wanted = bytes(&by_run);
    assert_eq!(wanted.len(), 10);
    for line in SHELLS {
        let Some(mut shell) = shell(line) else {
            continue;
        };
        let project = drawn(job);
        project
            .call(&["commands", "--as", "sh", "--to", "night.sh"])
            .ends(0);
        let output = shell.arg(project.path("night.sh")).output().unwrap();
        let printed = String::from_utf8_lossy(&output.stderr);
        assert!(output.status.success(), "{line:?}\n{printed}");
        assert_eq!(
            String::from_utf8_lossy(&output.stdout),
            "1 of 1 steps done, 0 there before, 0 failed, 0 files missing\n"
        );
        assert!(bytes(&project) == wanted, "{line:?}\n{printed}");
        project.call(&["audit"]).ends(0);
    }
}

#[test]
fn a_script_alone_makes_the_files_of_a_run_in_every_shell() {
    scripts_make_what_a_run_makes(JOB);
}

#[test]
fn names_that_start_with_a_dot_are_brought_in_every_shell() {
    scripts_make_what_a_run_makes(&JOB.replace("{shot}_{pass}", ".{shot}_{pass}"));
}

#[test]
fn a_script_never_replaces_a_file_and_reports_what_is_missing() {
    let project = drawn(&format!("{JOB}chunk = 2\n"));
    project.write("r $x's/dawn_beauty.0002.png", "mine");
    project
        .call(&[
            "commands",
            "--as",
            "sh",
            "--to",
            "night.sh",
            "--then",
            "echo then $missing_frames",
        ])
        .ends(0);
    let run = || {
        Command::new("sh")
            .arg(project.path("night.sh"))
            .output()
            .unwrap()
    };
    let output = run();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    let printed = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(printed.ends_with("0 files missing\nthen 0\n"), "{printed}");
    assert_eq!(project.read("r $x's/dawn_beauty.0002.png"), "mine");
    // What is missing is rendered again, and nothing else.
    fs::remove_file(project.path("r $x's/dawn_depth.0003.png")).unwrap();
    let printed = String::from_utf8_lossy(&run().stdout).into_owned();
    assert!(
        printed.starts_with("1 of 3 steps done, 2 there before"),
        "{printed}"
    );
    // Without its scene the engine fails: reported, and nothing is lost.
    fs::remove_file(project.path("r $x's/dawn_depth.0003.png")).unwrap();
    fs::remove_file(project.path("dawn.toml")).unwrap();
    let output = run();
    assert!(!output.status.success());
    let printed = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(
        printed.contains("missing: ") && printed.contains("dawn_depth.0003.png"),
        "{printed}"
    );
    assert_eq!(bytes(&project).len(), 9);
}

#[test]
fn a_script_goes_on_after_a_failure_or_stops_as_asked() {
    let job = "scene = \"dawn.toml\"\nframes = \"1-3\"\npath = \"r/{shot}.{frame:04}.png\"\n\
               run = [\"sh\", \"-c\", \"test {frame} != 1 && cp $0 $1\", \"one.png\", \"{target}\"]\n\
               env = { LAMP = \"a b\" }\n";
    for (option, done) in [(&[][..], 2), (&["--stop-on-failure"], 0)] {
        let project = drawn(job);
        let words = [&["commands", "--as", "sh", "--to", "night.sh"], option].concat();
        project.call(&words).ends(0);
        let mut text = project.read("night.sh");
        // The engine works in its own folder, so its picture is named whole.
        text = text.replace("one.png", &project.path("one.png").display().to_string());
        project.write("one.png", "picture");
        project.write("night.sh", &text);
        let output = Command::new("sh")
            .arg(project.path("night.sh"))
            .output()
            .unwrap();
        let printed = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(
            printed,
            format!(
                "{done} of 3 steps done, 0 there before, 1 failed, {} files missing\n",
                3 - done
            )
        );
        assert_eq!(output.status.code(), Some(1));
    }
}

#[test]
fn a_step_that_fails_does_not_bring_its_last_picture() {
    let engine = "for f in $(seq $1 $2); do\n  if [ $f = 3 ]; then cp rough $3/p$f.png; ENDING; fi\n  cp final $3/p$f.png\ndone\n";
    for (run, brought) in [
        (
            "[\"sh\", \"{place.job}/engine.sh\", \"{first}\", \"{last}\", \"{target.folder}\"]",
            2,
        ),
        (
            "[\"sh\", \"{place.job}/engine.sh\", \"{frame}\", \"{frame}\", \"{target.folder}\"]",
            4,
        ),
    ] {
        for ending in ["exit 1", "kill -9 $$"] {
            let project = Project::new(&format!(
                "frames = \"1-5\"\npath = \"r/kiln.{{frame:04}}.png\"\nrun = {run}\n"
            ));
            project.write("final", "final");
            project.write("rough", "rough");
            let script = format!(
                "cd \"$(dirname \"$0\")\"\n{}",
                engine.replace("ENDING", ending)
            );
            project.write("engine.sh", &script);
            project
                .call(&["commands", "--as", "sh", "--to", "night.sh"])
                .ends(0);
            let output = Command::new("sh")
                .arg(project.path("night.sh"))
                .output()
                .unwrap();
            assert_eq!(output.status.code(), Some(1));
            let there = project.files("r");
            let is_picture = |name: &&String| name.starts_with("kiln");
            let pictures: Vec<&String> = there.iter().filter(is_picture).collect();
            assert_eq!(pictures.len(), brought, "{run}, {ending}: {there:?}");
            for name in pictures {
                let bytes = project.read(&format!("r/{name}"));
                assert_eq!(bytes, "final", "{run}, {ending}");
            }
        }
    }
}

#[test]
fn a_batch_file_goes_on_after_a_renderer_that_is_a_batch_file() {
    if !needs("wine") {
        return;
    }
    let project = Project::new("");
    let drive = windows_folder(&project);
    project.write(
        "truepath.toml",
        &format!(
            "frames = \"1-3\"\npath = \"r/kiln.{{frame:03}}.png\"\nrun = ['{drive}\\my render.bat', \"{{frame}}\", \"{{target}}\"]\n\
             [place]\njob = {{ windows = '{drive}' }}\n"
        ),
    );
    project.write("my render.bat", "@echo off\r\ncopy %~dp0picture.txt %2\r\n");
    project.write("picture.txt", "picture");
    let words = [
        "commands",
        "--as",
        "batch",
        "--for",
        "windows",
        "--to",
        "night.bat",
    ];
    project.call(&words).ends(0);
    let printed = run_batch(&project.path(""), "night.bat");
    assert!(
        printed.contains("3 of 3 steps done"),
        "{printed}\n{}",
        project.read("night.bat")
    );
    let logs = project.files("r/truepath-logs");
    let logs: Vec<String> = logs
        .iter()
        .map(|log| project.read(&format!("r/truepath-logs/{log}")))
        .collect();
    assert_eq!(
        project.files("r").len(),
        6,
        "{printed}\n{logs:?}\n{}",
        project.read("night.bat")
    );
    assert_eq!(project.read("r/kiln.003.png").trim(), "picture");
}

#[test]
fn a_batch_file_makes_the_files_and_leaves_alone_what_is_there() {
    if !needs("wine") {
        return;
    }
    let project = Project::new("");
    let drive = windows_folder(&project);
    project.write(
        "truepath.toml",
        &format!(
            "[project]\nengine = \"copier\"\n[place]\njob = {{ windows = '{drive}' }}\n\
             [shot.kiln]\nscene = \"kiln.png\"\nframes = \"-1-2\"\n[output.o]\npath = \"r & 100/{{shot}}.{{frame:03}}.png\"\n"
        ),
    );
    project.write("kiln.png", "picture");
    project.write(
        "engines/copier.toml",
        "engine = { name = \"copier\", program = \"cmd\", frames = \"one\" }\n\
         arguments = [\"/c\", \"copy\", \"{scene.file}\", \"p_{frame}.png\"]\noutput-name = \"p_{frame:?}.png\"\n",
    );
    project.write("r & 100/kiln.001.png", "mine");
    project
        .call(&[
            "commands",
            "--as",
            "batch",
            "--for",
            "windows",
            "--to",
            "night.bat",
        ])
        .ends(0);
    let mut printed = run_batch(&project.path(""), "night.bat");
    for log in fs::read_dir(project.path("r & 100/truepath-logs")).unwrap() {
        printed += &fs::read_to_string(log.unwrap().path()).unwrap_or_default();
    }
    assert!(
        printed.contains("3 of 4 steps done, 1 there before, 0 failed, 0 files missing"),
        "{printed}"
    );
    for (name, content) in [
        ("-001", "picture"),
        ("000", "picture"),
        ("001", "mine"),
        ("002", "picture"),
    ] {
        assert_eq!(
            project.read(&format!("r & 100/kiln.{name}.png")),
            content,
            "{printed}"
        );
    }
}

#[test]
fn what_a_shell_cannot_write_safely_is_refused_by_name() {
    let job = |value: &str| {
        format!(
            "[project]\nengine = \"understudy\"\nsize = \"64x64\"\nsettings = {{ a = '{value}' }}\n\
             [place]\njob = {{ windows = 'R:\\show' }}\n[shot.dawn]\nscene = \"dawn.toml\"\nframes = \"1-2\"\n\
             [output.o]\npath = \"r/{{shot}}.{{frame:04}}.png\"\n"
        )
    };
    for (value, kind, words) in [
        (
            "a\"b",
            "batch",
            "a batch file has no safe way to write a quote",
        ),
        (
            "a\"b",
            "powershell",
            "PowerShell has no safe way to write a double quote",
        ),
        ("é", "powershell", "PowerShell has no safe way to write 'é'"),
    ] {
        let project = drawn(&job(value));
        let called = project
            .call(&["commands", "--as", kind, "--for", "windows", "--to", "x"])
            .ends(2);
        assert!(called.err.contains(words), "{}", called.err);
        assert!(!project.path("x").exists());
    }
}

#[test]
fn a_script_of_another_system_has_its_places_and_separators() {
    let project = drawn(
        "[project]\nengine = \"understudy\"\nsize = \"64x64\"\n[place]\njob = { windows = 'R:\\show' }\n\
         renders = { linux = \"renders\", windows = 'S:\\out put' }\n\
         [shot.dawn]\nscene = \"dawn.toml\"\nframes = \"1-2\"\n[output.o]\npath = \"{place.renders}/{shot}/{shot}.{frame:04}.png\"\n",
    );
    let called = project.call(&["commands", "--as", "powershell"]).ends(0);
    assert!(
        called.out.contains(r"Before = 'S:\out put\dawn\dawn.'"),
        "{}",
        called.out
    );
    assert!(
        called.out.contains(r"'--scene=R:\show\dawn.toml'"),
        "{}",
        called.out
    );
    assert!(!called.out.contains("renders/"), "{}", called.out);
}

#[test]
fn a_command_that_is_too_long_is_caught_beforehand() {
    let project = drawn(
        "[project]\nengine = \"understudy\"\nsize = \"64x64\"\n[place]\njob = { windows = 'R:\\show' }\n\
         [shot.dawn]\nscene = \"dawn.toml\"\nframes = \"1-20000/7,3-20000/11\"\n[output.o]\npath = \"r/{shot}.{frame:05}.png\"\n",
    );
    project.write(
        "engines/listed.toml",
        "split = \"free\"\nengine = { name = \"listed\", program = \"true\", frames = \"list\" }\n\
         arguments = [\"{settings.long}\"]\noutput-name = \"p{frame:?}.png\"\n",
    );
    let long = format!("settings.long={}", "x".repeat(9000));
    let words = [
        "commands",
        "--as",
        "batch",
        "--for",
        "windows",
        "--set",
        "engine=listed",
        "--set",
        &long,
    ];
    let called = project.call(&words).ends(2);
    assert!(
        called.err.contains("a batch file takes 8191"),
        "{}",
        called.err
    );
}
