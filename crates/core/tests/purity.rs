//! Core touches no terminal, process, clock, file system or threads: by its dependencies and by its
//! calls. And its modules form no circle.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

/// All that core may depend on, directly or not. Each is computation only.
const DEPENDENCIES: &[&str] = &[
    "aho-corasick",
    "block-buffer",
    "caseless",
    "cfg-if",
    "const-oid",
    "cpufeatures",
    "crypto-common",
    "digest",
    "equivalent",
    "hashbrown",
    "hybrid-array",
    "indexmap",
    "itoa",
    "jiff",
    "jiff-core",
    "libc",
    "memchr",
    "num-integer",
    "num-traits",
    "proc-macro2",
    "quote",
    "regex",
    "regex-automata",
    "regex-syntax",
    "serde",
    "serde_core",
    "serde_derive",
    "serde_json",
    "serde_spanned",
    "sha2",
    "strsim",
    "syn",
    "thiserror",
    "thiserror-impl",
    "tinyvec",
    "tinyvec_macros",
    "toml",
    "toml_datetime",
    "toml_edit",
    "toml_parser",
    "toml_writer",
    "truepath-core",
    "typenum",
    "unicode-ident",
    "unicode-normalization",
    "winnow",
    "zmij",
];

/// What reaches outside. `std::time::Duration` is a length and no clock.
const OUTSIDE: [&str; 16] = [
    "std::fs",
    "std::io",
    "std::net",
    "std::env",
    "std::os",
    "std::process",
    "std::thread",
    "Instant",
    "SystemTime",
    "println!",
    "eprintln!",
    "print!(",
    "dbg!",
    "env!",
    "Timestamp",
    "Zoned",
];

#[test]
fn depends_on_computation_only() {
    let output = Command::new(env!("CARGO"))
        .args(["tree", "--package", "truepath-core", "--edges", "normal"])
        .args([
            "--prefix",
            "none",
            "--format",
            "{p}",
            "--offline",
            "--locked",
        ])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    let text = String::from_utf8(output.stdout).unwrap();
    let names: Vec<&str> = text
        .lines()
        .filter_map(|line| line.split(' ').next())
        .collect();
    assert!(names.contains(&"toml"), "{text}");
    for name in names {
        assert!(DEPENDENCIES.contains(&name), "core depends on {name}");
    }
}

#[test]
fn calls_nothing_outside() {
    let files = sources();
    assert!(files.len() > 40, "only {} files were read", files.len());
    for (path, text) in files {
        for word in OUTSIDE {
            assert!(!text.contains(word), "{} has {word}", path.display());
        }
    }
}

/// Every file of core with its text, by its path below `src`.
fn sources() -> Vec<(PathBuf, String)> {
    sources_of(&Path::new(env!("CARGO_MANIFEST_DIR")).join("src"))
}

fn sources_of(root: &Path) -> Vec<(PathBuf, String)> {
    fn look(root: &Path, folder: &Path, files: &mut Vec<(PathBuf, String)>) {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                look(root, &path, files);
            } else {
                let text = fs::read_to_string(&path).unwrap();
                files.push((path.strip_prefix(root).unwrap().to_owned(), text));
            }
        }
    }
    let mut files = Vec::new();
    look(root, root, &mut files);
    files
}

/// What a text uses by a prefix such as `crate::`: the first names behind it. Remarks and tests are no
/// part of the program.
fn uses(text: &str, prefix: &str) -> BTreeSet<String> {
    let program = text.split("#[cfg(test)]").next().unwrap_or_default();
    let program: String = program
        .lines()
        .filter(|line| !line.trim_start().starts_with("//"))
        .collect::<Vec<_>>()
        .join(" ");
    let mut names = BTreeSet::new();
    for rest in program.split(prefix).skip(1) {
        let listed = rest.strip_prefix('{').map(|list| {
            // Of `{a::b, c::{d, e}}` the names on the first level.
            let mut depth = 0;
            let inside = list.chars().take_while(|sign| {
                depth += i32::from(*sign == '{') - i32::from(*sign == '}');
                depth >= 0
            });
            let mut depth = 0;
            let mut flat = String::new();
            for sign in inside {
                depth += i32::from(sign == '{') - i32::from(sign == '}');
                if depth == 0 && sign != '}' {
                    flat.push(sign);
                }
            }
            flat
        });
        let all = listed.unwrap_or_else(|| rest.to_owned());
        let many = rest.starts_with('{');
        for name in all.split(',').take(if many { usize::MAX } else { 1 }) {
            let word: String = name
                .trim()
                .chars()
                .take_while(|sign| sign.is_alphanumeric() || *sign == '_')
                .collect();
            names.insert(word);
        }
    }
    names
}

/// A circle in a graph, as the names along it.
fn circle(graph: &BTreeMap<String, BTreeSet<String>>) -> Option<Vec<String>> {
    fn walk(
        at: &str,
        graph: &BTreeMap<String, BTreeSet<String>>,
        way: &mut Vec<String>,
        done: &mut BTreeSet<String>,
    ) -> Option<Vec<String>> {
        if let Some(start) = way.iter().position(|name| name == at) {
            let mut circle = way[start..].to_vec();
            circle.push(at.to_owned());
            return Some(circle);
        }
        if !done.insert(at.to_owned()) {
            return None;
        }
        way.push(at.to_owned());
        for next in graph.get(at).into_iter().flatten() {
            if let Some(found) = walk(next, graph, way, done) {
                return Some(found);
            }
        }
        way.pop();
        None
    }
    let mut done = BTreeSet::new();
    graph
        .keys()
        .find_map(|name| walk(name, graph, &mut Vec::new(), &mut done))
}

/// The crates whose modules form no circle.
const CRATES: [&str; 3] = ["core", "runner", "cli"];

fn sources_of_crate(name: &str) -> Vec<(PathBuf, String)> {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    sources_of(&crates.join(name).join("src"))
}

#[test]
fn modules_form_no_circle() {
    for name in CRATES {
        let mut graph: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (path, text) in sources_of_crate(name) {
            let module = path.iter().next().unwrap().to_str().unwrap();
            let module = module.trim_end_matches(".rs").to_owned();
            // The roots only name what there is, and tests are no part of the program.
            let is_test = path.ends_with("tests.rs") || &*module == "sample";
            if is_test || matches!(&*module, "lib" | "main") {
                continue;
            }
            let others = uses(&text, "crate::").into_iter();
            let others = others.filter(|name| *name != module);
            graph.entry(module.clone()).or_default().extend(others);
        }
        if name == "core" {
            assert!(graph["rules"].contains("deliverable"), "{graph:#?}");
        }
        assert_eq!(circle(&graph), None, "{name}");
    }
}

#[test]
fn files_of_a_module_form_no_circle() {
    for name in CRATES {
        let mut graphs: BTreeMap<PathBuf, BTreeMap<String, BTreeSet<String>>> = BTreeMap::new();
        for (path, text) in sources_of_crate(name) {
            let folder = path.parent().unwrap().to_owned();
            let file = path.file_stem().unwrap().to_str().unwrap().to_owned();
            // `mod.rs` hands on what the others define.
            if !matches!(&*file, "mod" | "lib" | "main" | "tests") {
                let graph = graphs.entry(folder).or_default();
                graph.insert(file, uses(&text, "use super::"));
            }
        }
        if name == "core" {
            assert!(graphs[Path::new("deliverable")]["make"].contains("engine"));
        }
        for (folder, graph) in graphs {
            assert_eq!(circle(&graph), None, "{name}: {}", folder.display());
        }
    }
}

#[test]
fn a_circle_is_found() {
    let names = |text: &str| uses(text, "crate::").into_iter().collect::<Vec<_>>();
    assert_eq!(
        names("use crate::{job::{Key, Job}, plan};"),
        ["job", "plan"]
    );
    assert_eq!(
        names("use crate::job::Key;\ncrate::plan::plan()"),
        ["job", "plan"]
    );
    let edge = |from: &str, to: &str| (from.to_owned(), BTreeSet::from([to.to_owned()]));
    let graph = BTreeMap::from([edge("a", "b"), edge("b", "c"), edge("c", "b")]);
    assert_eq!(circle(&graph).unwrap(), ["b", "c", "b"]);
}

/// A file that no other names is not compiled, and nobody notices.
#[test]
fn every_file_is_a_module() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut modules = 0;
    for entry in fs::read_dir(crates).unwrap() {
        let files = sources_of(&entry.unwrap().path().join("src"));
        for (path, _) in files
            .iter()
            .filter(|(path, _)| path.extension().is_some_and(|end| end == "rs"))
        {
            let stem = path.file_stem().unwrap().to_string_lossy().into_owned();
            if matches!(path.to_str(), Some("lib.rs" | "main.rs")) {
                continue;
            }
            let folder = path.parent().unwrap();
            let (name, above) = if stem == "mod" {
                let name = folder.file_name().unwrap().to_string_lossy().into_owned();
                (name, folder.parent().unwrap())
            } else {
                (stem, folder)
            };
            let parents = [
                above.join("mod.rs"),
                above.with_extension("rs"),
                PathBuf::from("lib.rs"),
                PathBuf::from("main.rs"),
            ];
            let named = files.iter().any(|(other, text)| {
                let is_parent = parents.contains(other)
                    && (above != Path::new("") || other.parent() == Some(Path::new("")));
                is_parent
                    && text
                        .lines()
                        .any(|line| line.trim_end().ends_with(&format!("mod {name};")))
            });
            assert!(named, "{}", path.display());
            modules += 1;
        }
    }
    assert!(modules > 300, "{modules}");
}
