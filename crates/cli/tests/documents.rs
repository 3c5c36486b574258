//! README and guide: every job and profile in them is read, every command line is run.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Project, program};

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

/// A chapter is tried in a project of its own, after what the guide says to do before one begins.
struct Chapter {
    folder: Project,
    title: String,
}

impl Chapter {
    fn begin(set_up: &str, title: &str) -> Self {
        let folder = Project::empty();
        std::fs::create_dir(folder.path("bin-of-this-test")).unwrap();
        std::os::unix::fs::symlink(program(), folder.path("bin-of-this-test/truepath")).unwrap();
        let chapter = Self {
            folder,
            title: title.to_owned(),
        };
        chapter.run("", set_up);
        chapter
    }

    fn write(&self, file: &str, text: &str) {
        self.folder.write(&format!("show/{file}"), text);
    }

    /// Runs a script in a folder below the chapter's, and gives what it prints.
    fn run(&self, below: &str, script: &str) -> String {
        let path = format!(
            "{}:{}:{}",
            self.folder.path("show/bin").display(),
            self.folder.path("bin-of-this-test").display(),
            std::env::var("PATH").unwrap()
        );
        let output = Command::new("sh")
            .args(["-eu", "-c", &format!("exec 2>&1\n{script}")])
            .current_dir(self.folder.path(below))
            .env("PATH", path)
            .env_remove("COLUMNS")
            .env("XDG_CONFIG_HOME", self.folder.path("nobody"))
            .env("XDG_CACHE_HOME", env!("CARGO_TARGET_TMPDIR"))
            .output()
            .unwrap();
        let printed = String::from_utf8_lossy(&output.stdout).into_owned();
        assert!(
            output.status.success(),
            "{}\n{script}\n{printed}",
            self.title
        );
        printed
    }

    /// Runs what stands behind each `$`, and compares what is printed: every line that is shown is printed,
    /// in this order; `…` stands for more.
    fn console(&self, text: &str) {
        for call in text.split("$ ").skip(1) {
            let (command, shown) = call.split_once('\n').unwrap_or((call, ""));
            // 1 is what a command ends with that has found something.
            let printed = self.run("show", &format!("{command} || test $? = 1"));
            let mut lines = printed.lines();
            for line in shown.lines().filter(|line| *line != "…") {
                let pieces: Vec<&str> = line.split('…').collect();
                let is_there = lines.any(|printed| {
                    let mut rest = printed.trim_end();
                    let first = rest.starts_with(pieces[0].trim_end());
                    let all = pieces
                        .iter()
                        .all(|piece| match rest.split_once(piece.trim_end()) {
                            Some((_, behind)) => {
                                rest = behind;
                                true
                            }
                            None => false,
                        });
                    first && all
                });
                assert!(
                    is_there,
                    "{}: {command}: no {line:?} in\n{printed}",
                    self.title
                );
            }
        }
    }
}

#[test]
fn every_example_of_the_docs_works() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let guide = fs::read_to_string(root.join("docs/guide.md")).unwrap();
    let sections = guide.split("\n## ");
    let set_up = sections
        .clone()
        .find(|section| section.starts_with("Before you begin"))
        .unwrap();
    let set_up = blocks(set_up).remove(0).text;
    let readme = fs::read_to_string(root.join("README.md")).unwrap();
    let mut chapters: Vec<&str> = readme.split("\n## ").collect();
    chapters.extend(sections.filter(|section| !section.starts_with("Before you begin")));
    let (mut files, mut scripts) = (0, 0);
    for section in chapters {
        let title = section.lines().next().unwrap();
        let blocks = blocks(section);
        if blocks.is_empty() {
            continue;
        }
        let chapter = Chapter::begin(&set_up, title);
        for block in blocks {
            match block.language.as_str() {
                "toml" => {
                    files += 1;
                    let file = block.file.as_deref().unwrap_or("truepath.toml");
                    chapter.write(file, &block.text);
                    // What other files belong to is read when a command line is run.
                    if block.file.is_none() {
                        chapter.run("show", "truepath paths");
                    }
                }
                "sh" if block.text.contains("cargo ") || block.text.contains("scripts/") => {}
                "sh" => {
                    scripts += 1;
                    chapter.run("show", &block.text);
                }
                "console" => {
                    scripts += 1;
                    chapter.console(&block.text);
                }
                _ => {}
            }
        }
    }
    assert!(files >= 20, "{files} files");
    assert!(scripts >= 25, "{scripts} scripts");
}

#[test]
fn every_test_that_holds_a_promise_is_there() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let page = fs::read_to_string(root.join("../../docs/guarantees.md")).unwrap();
    let mut named = 0;
    for name in page.split('`').filter(|word| word.ends_with(".rs")) {
        let folder = if name.starts_with("crates/") {
            root.join("../..")
        } else {
            root.join("tests")
        };
        assert!(folder.join(name).is_file(), "{name}");
        named += 1;
    }
    assert!(named > 20, "{named}");
}
