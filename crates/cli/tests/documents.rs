//! README and guide: every job and profile in them is read, every command line is run.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::Command;

use common::{Project, program};
use truepath_core::profile::read_profile;
use truepath_core::source::{SourceKind, Sources};

/// A block of code: its language, the file that it is, its text.
struct Block {
    language: String,
    file: Option<String>,
    text: String,
}

fn blocks(section: &str) -> Vec<Block> {
    let mut blocks = Vec::new();
    let mut parts = section.split("\n```");
    parts.next();
    while let (Some(block), _) = (parts.next(), parts.next()) {
        let (head, text) = block.split_once('\n').unwrap();
        let mut words = head.split(' ').map(str::to_owned);
        blocks.push(Block {
            language: words.next().unwrap_or_default(),
            file: words.next(),
            text: format!("{text}\n"),
        });
    }
    blocks
}

/// A project with the demo's scenes, small, and a renderer without a profile.
fn furnished() -> Project {
    let project = Project::empty();
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/scenes");
    for name in ["dawn.toml", "transit.toml", "eclipse.toml"] {
        let text = fs::read_to_string(demo.join(name)).unwrap();
        project.write(&format!("scenes/{name}"), &text.replace("512x512", "48x48"));
    }
    let scene = fs::read_to_string(project.path("scenes/dawn.toml")).unwrap();
    project.write("kiln.scene", &scene);
    project.write(
        "bin/myrender",
        "#!/bin/sh\nexec truepath understudy --scene \"$2\" --frames \"$4\" --to \"${6%.png}\"\n",
    );
    let mode = fs::Permissions::from_mode(0o755);
    fs::set_permissions(project.path("bin/myrender"), mode).unwrap();
    std::os::unix::fs::symlink(program(), project.path("bin/truepath")).unwrap();
    project
}

#[test]
fn every_example_of_the_docs_works() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let (mut files, mut scripts) = (0, 0);
    for name in ["README.md", "docs/guide.md"] {
        let text = fs::read_to_string(root.join(name)).unwrap();
        for section in text.split("\n## ") {
            let title = section.lines().next().unwrap();
            let project = furnished();
            for block in blocks(section) {
                match block.language.as_str() {
                    "toml" if block.text.starts_with("engine ") && block.file.is_none() => {
                        files += 1;
                        let mut sources = Sources::default();
                        let profile =
                            read_profile(name, &block.text, SourceKind::File, &mut sources);
                        assert!(profile.is_ok(), "{title}: {profile:?}");
                    }
                    "toml" => {
                        files += 1;
                        let file = block.file.as_deref().unwrap_or("truepath.toml");
                        project.write(file, &block.text);
                        // What other files belong to is read when a command line is run.
                        if block.file.is_none() {
                            project.call(&["paths"]).ends(0);
                        }
                    }
                    "sh" if block.text.contains("cargo ") || block.text.contains("scripts/") => {}
                    "sh" => {
                        scripts += 1;
                        run(&project, &format!("{name}, {title}"), &block.text);
                    }
                    _ => {}
                }
            }
        }
    }
    assert!(files >= 10, "{files} files");
    assert!(scripts >= 6, "{scripts} scripts");
}

fn run(project: &Project, title: &str, script: &str) {
    let path = format!(
        "{}:{}",
        project.path("bin").display(),
        std::env::var("PATH").unwrap()
    );
    let output = Command::new("sh")
        .args(["-eu", "-c", script])
        .current_dir(project.path(""))
        .env("PATH", path)
        .env("XDG_CONFIG_HOME", project.path("nobody"))
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{title}\n{script}\n{}{}",
        String::from_utf8_lossy(&output.stdout),
        String::from_utf8_lossy(&output.stderr)
    );
}

#[test]
fn every_test_that_holds_a_promise_is_there() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let page = fs::read_to_string(root.join("../../docs/guarantees.md")).unwrap();
    let mut named = 0;
    for name in page.split('`').filter(|word| word.ends_with(".rs")) {
        assert!(root.join("tests").join(name).is_file(), "{name}");
        named += 1;
    }
    assert!(named > 20, "{named}");
}
