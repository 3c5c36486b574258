//! What each command starts and writes, by its system calls, is what `docs/security.md` says.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Project, called, kiln, left_out, needs, picture, program};

/// The rows of the table: command, what it starts, what it writes.
fn table() -> BTreeMap<String, (String, BTreeSet<String>)> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/security.md");
    let text = fs::read_to_string(path).unwrap();
    let rows = text.lines().filter(|line| line.starts_with("| `"));
    rows.map(|row| {
        let cells: Vec<&str> = row.trim_matches('|').split('|').map(str::trim).collect();
        let writes = cells[2].split(", ").map(str::to_owned);
        let name = cells[0].trim_matches('`').to_owned();
        (name, (cells[1].to_owned(), writes.collect()))
    })
    .collect()
}

/// A folder whose profiles, records and files want more than to be looked at.
fn folder() -> Project {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    let mut frames = project.files("").into_iter();
    let last = frames.rfind(|name| name.ends_with(".png"));
    fs::remove_file(project.path(&last.unwrap())).unwrap();
    project.write(
        "engines/mine.toml",
        "engine = { name = \"mine\", program = \"./evil.sh\", frames = \"one\" }\n\
         version = { ask = [\"-v\"], find = \"(?P<version>.*)\" }\ndescribe = [\"--describe\"]\n\
         arguments = [\"{frame}\", \"{target}\"]\n",
    );
    project.write("evil.sh", "#!/bin/sh\ntouch started\n");
    fs::create_dir_all(project.path("pictures")).unwrap();
    for frame in 1..=2 {
        let name = format!("pictures/a.{frame:04}.png");
        fs::write(project.path(&name), picture(5)).unwrap();
    }
    project
}

/// The strings in quotes of a line.
fn quoted(line: &str) -> Vec<String> {
    let mut parts = line.split('"');
    let mut texts = Vec::new();
    while let (Some(_), Some(text)) = (parts.next(), parts.next()) {
        texts.push(text.to_owned());
    }
    texts
}

/// What a command starts and writes.
fn touched(project: &Project, arguments: &[&str]) -> (String, BTreeSet<String>) {
    let trace = project.path("trace");
    let _ = fs::remove_file(&trace);
    let call = project.command(arguments);
    let mut traced = Command::new("strace");
    traced.args(["-f", "-qq", "-y", "-s", "4096", "-e", "trace=execve,openat,open,creat,rename,renameat,renameat2,unlink,unlinkat,mkdir,mkdirat,link,linkat,symlink,symlinkat"]);
    traced.arg("-o").arg(&trace).arg(call.get_program());
    traced.args(call.get_args()).current_dir(project.path(""));
    for (name, value) in call.get_envs() {
        if let Some(value) = value {
            traced.env(name, value);
        }
    }
    for name in [
        "XDG_CACHE_HOME",
        "XDG_STATE_HOME",
        "XDG_CONFIG_HOME",
        "HOME",
    ] {
        traced.env(name, project.path("home"));
    }
    called(traced);
    let root = fs::canonicalize(project.path("")).unwrap();
    let mut starts = BTreeSet::new();
    let mut writes = BTreeSet::new();
    for line in fs::read_to_string(&trace).unwrap().lines() {
        let texts = quoted(line);
        if line.contains("execve(") {
            // Calls that fail start nothing.
            if line.ends_with(" = 0") && texts[0] != program() {
                starts.insert(texts[0].clone());
            } else if line.ends_with(" = 0")
                && texts.get(2).is_some_and(|word| word == "understudy")
            {
                starts.insert("the engine".to_owned());
            }
            continue;
        }
        let is_open = line.contains("open(") || line.contains("openat(");
        let is_read = is_open
            && !["O_WRONLY", "O_RDWR", "O_CREAT"]
                .iter()
                .any(|flag| line.contains(flag));
        if is_read || texts.is_empty() || line.contains(" = -1 ") {
            continue;
        }
        // Names start at the folder that is shown with the first argument, such as AT_FDCWD</work>.
        let start = line
            .split_once('<')
            .and_then(|(_, rest)| rest.split_once('>'));
        let start = start.map_or(&*root, |(folder, _)| Path::new(folder));
        for text in texts {
            let path = start.join(&text);
            let system = ["/dev", "/proc", "/sys", "/tmp"].iter();
            let Ok(below) = path.strip_prefix(&root) else {
                let is_of_system = system.clone().any(|folder| path.starts_with(folder));
                assert!(
                    is_of_system && !path.starts_with("/tmp"),
                    "{arguments:?}: {line}"
                );
                continue;
            };
            let first = below.components().next().map_or(String::new(), |part| {
                part.as_os_str().to_string_lossy().into_owned()
            });
            let what = match &*first {
                ".truepath" => "the state folder",
                "home" => "the user's cache",
                "out" | "r" | "renders" => "the outputs",
                _ => "the named file",
            };
            writes.insert(what.to_owned());
        }
    }
    if writes.is_empty() {
        writes.insert("nothing".to_owned());
    }
    let starts: Vec<String> = starts.into_iter().collect();
    match &starts[..] {
        [] => ("nothing".to_owned(), writes),
        several => (several.join(", "), writes),
    }
}

#[test]
fn commands_start_and_write_what_the_page_about_security_says() {
    if !needs("strace") {
        return;
    }
    let is_allowed = Command::new("strace")
        .args(["-o", "/dev/null", "true"])
        .status();
    if !is_allowed.is_ok_and(|status| status.success()) {
        left_out("ptrace");
        return;
    }
    let frame = folder()
        .files("")
        .into_iter()
        .find(|name| name.ends_with(".png") && !name.starts_with("pictures"));
    let frame = frame.unwrap();
    let more: BTreeMap<&str, Vec<&str>> = [
        ("why", vec![&*frame]),
        ("scan", vec!["pictures", "--verify"]),
        ("match", vec![&*frame]),
        ("compare", vec!["pictures", "pictures"]),
        ("show", vec!["pictures/a.0001.png", "--always"]),
        ("sheet", vec!["pictures", "--to", "made.png"]),
        ("report", vec!["pictures", "--to", "made.html"]),
        ("manifest", vec!["pictures", "--to", "made.txt"]),
        ("pack", vec!["--to", "made"]),
        ("new", vec!["--engine", "understudy", "--to", "made.toml"]),
    ]
    .into();
    let table = table();
    assert!(table.len() > 20, "{}", table.len());
    for (name, expected) in table {
        let project = folder();
        let mut arguments: Vec<&str> = name.split(' ').collect();
        let first = arguments[0];
        arguments.extend(more.get(first).into_iter().flatten());
        let found = touched(&project, &arguments);
        assert_eq!(found, expected, "{arguments:?}");
        assert!(!project.path("started").exists(), "{arguments:?}");
    }
}
