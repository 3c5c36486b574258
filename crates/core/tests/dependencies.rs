//! Licences and sources of all libraries, and what is known of those that nobody maintains.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::process::Command;

use serde_json::Value;

/// Licences that ask for no more than a notice, or, of files of the library alone, their changes (MPL).
const LICENCES: [&str; 14] = [
    "0BSD",
    "Apache-2.0",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "BSL-1.0",
    "CC0-1.0",
    "ISC",
    "MIT",
    "MIT-0",
    "MPL-2.0",
    "Unicode-3.0",
    "Unlicense",
    "Zlib",
    "Apache-2.0 WITH LLVM-exception",
];

/// Where libraries come from.
const SOURCE: &str = "registry+https://github.com/rust-lang/crates.io-index";

/// Libraries that nobody maintains any more, and why they are here all the same.
const UNMAINTAINED: [(&str, &str); 1] = [(
    "paste",
    "pulp, which exr uses for vector code, makes names with it when it is built; nothing of it is in the program",
)];

/// Whether a licence such as `(MIT OR Apache-2.0) AND Unicode-3.0` can be fulfilled by those above.
fn is_fine(licence: &str) -> bool {
    let licence = licence.replace('/', " OR ");
    let all = licence.split(" AND ");
    all.map(|part| part.trim_matches(['(', ')', ' ']))
        .all(|part| {
            part.split(" OR ")
                .any(|one| LICENCES.contains(&one.trim_matches(['(', ')', ' '])))
        })
}

#[test]
fn libraries_come_from_one_place_and_have_licences_that_can_be_kept() {
    assert!(is_fine("(MIT OR Apache-2.0) AND Unicode-3.0") && is_fine("Unlicense/MIT"));
    assert!(!is_fine("GPL-3.0-only") && !is_fine("MIT AND GPL-2.0"));
    let target = format!("{}-unknown-linux-gnu", std::env::consts::ARCH);
    let output = Command::new(env!("CARGO"))
        .args([
            "metadata",
            "--format-version",
            "1",
            "--locked",
            "--filter-platform",
            &target,
        ])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    let whole: Value = serde_json::from_slice(&output.stdout).unwrap();
    let packages = whole["packages"].as_array().unwrap();
    assert!(packages.len() > 100, "{}", packages.len());
    for package in packages {
        let name = package["name"].as_str().unwrap();
        let licence = package["license"].as_str().unwrap_or("none");
        assert!(is_fine(licence), "{name}: {licence}");
        if let Some(source) = package["source"].as_str() {
            assert_eq!(source, SOURCE, "{name}");
        }
    }
    // What is no longer used is no longer excused.
    for (name, _) in UNMAINTAINED {
        assert!(
            packages.iter().any(|package| package["name"] == name),
            "{name}"
        );
    }
}
