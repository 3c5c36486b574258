//! Core touches no terminal, process, clock or file system: by its dependencies and by its calls.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::path::Path;
use std::process::Command;

/// All that core may depend on, directly or not. Each is computation only.
const DEPENDENCIES: [&str; 45] = [
    "aho-corasick",
    "block-buffer",
    "caseless",
    "cfg-if",
    "const-oid",
    "cpufeatures",
    "crossbeam-deque",
    "crossbeam-epoch",
    "crossbeam-utils",
    "crypto-common",
    "digest",
    "either",
    "hybrid-array",
    "itoa",
    "jiff",
    "jiff-core",
    "libc",
    "memchr",
    "proc-macro2",
    "quote",
    "rayon",
    "rayon-core",
    "regex",
    "regex-automata",
    "regex-syntax",
    "serde",
    "serde_core",
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
    "toml_parser",
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
    let mut files = 0;
    look(
        &Path::new(env!("CARGO_MANIFEST_DIR")).join("src"),
        &mut files,
    );
    assert!(files > 40, "only {files} files were read");
}

fn look(folder: &Path, files: &mut usize) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            look(&path, files);
            continue;
        }
        *files += 1;
        let text = fs::read_to_string(&path).unwrap();
        for word in OUTSIDE {
            assert!(!text.contains(word), "{} has {word}", path.display());
        }
    }
}
