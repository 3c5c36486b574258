//! Pictures by independent writers, whole and broken: no good one is refused, and of the broken ones at
//! least as many are found as by the best other decoder. `scripts/corpus` makes them.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;
use std::process::Command;

use serde::Deserialize;
use truepath_core::picture::{Bits, Channels, format};
use truepath_media::{ExpectedPicture, Flaw, verify};

/// A file of the corpus.
#[derive(Debug, Deserialize)]
struct One {
    file: String,
    format: String,
    size: String,
    /// `-` where a job has no word for it.
    channels: String,
    bits: String,
    /// How it was broken; nothing where it is whole.
    broken: Option<String>,
    /// The other decoders that find it broken.
    #[serde(default)]
    found_by: Vec<String>,
}

impl One {
    fn wanted(&self) -> ExpectedPicture {
        ExpectedPicture {
            format: format(&self.format).unwrap(),
            size: self.size.parse().ok(),
            channels: Channels::from_name(&self.channels),
            bits: Bits::from_name(&self.bits),
            planes: Vec::new(),
            allows_unverifiable: false,
        }
    }
}

/// Of one format: how many broken files there are, and who found how many.
#[derive(Default)]
struct Row {
    good: u32,
    broken: u32,
    found: u32,
    by_others: BTreeMap<String, u32>,
}

#[test]
fn good_pictures_pass_and_broken_ones_are_found() {
    let programs = [
        "python3", "convert", "ffmpeg", "oiiotool", "tiffcp", "cjpeg", "cwebp", "gm",
    ];
    if !programs.into_iter().all(common::needs) {
        return;
    }
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let folder = tempfile::tempdir().unwrap();
    let mut script = Command::new("python3");
    script.arg(root.join("scripts/corpus")).arg(folder.path());
    // Every break of every picture takes some minutes.
    if std::env::var_os("TRUEPATH_WHOLE_CORPUS").is_some() {
        script.arg("--all");
    }
    let made = script.output().unwrap();
    assert!(
        made.status.success(),
        "{}",
        String::from_utf8_lossy(&made.stderr)
    );
    let list = std::fs::read_to_string(folder.path().join("corpus.json")).unwrap();
    let corpus: Vec<One> = serde_json::from_str(&list).unwrap();
    let mut rows: BTreeMap<&str, Row> = BTreeMap::new();
    let (mut refused, mut passed) = (Vec::new(), Vec::new());
    for one in &corpus {
        let row = rows.entry(&one.format).or_default();
        let verdict = verify(&folder.path().join(&one.file), &one.wanted());
        match (&one.broken, verdict) {
            (None, Ok(_)) => row.good += 1,
            (None, Err(flaw)) => refused.push(format!("{}: {flaw}", one.file)),
            (Some(how), verdict) => {
                row.broken += 1;
                // What cannot be verified is not taken for whole, and not found broken either.
                let is_found =
                    matches!(&verdict, Err(flaw) if !matches!(flaw, Flaw::Unverifiable(_)));
                row.found += u32::from(is_found);
                if !is_found && !one.found_by.is_empty() {
                    passed.push(format!("{}, {how}, found by {:?}", one.file, one.found_by));
                }
                for other in &one.found_by {
                    *row.by_others.entry(other.clone()).or_default() += 1;
                }
            }
        }
    }
    assert!(
        refused.is_empty(),
        "good files are refused:\n{}",
        refused.join("\n")
    );
    let mut table = String::new();
    for (name, row) in &rows {
        let best = row.by_others.iter().max_by_key(|(_, count)| **count);
        let (other, best) = best.map_or(("-", 0), |(other, count)| (other.as_str(), *count));
        writeln!(
            table,
            "| `{name}` | {} | {} | {} | {best} ({other}) |",
            row.good, row.broken, row.found
        )
        .unwrap();
    }
    println!("{table}");
    println!("found by others alone:\n{}", passed.join("\n"));
    for (name, row) in &rows {
        let best = row.by_others.values().max().copied().unwrap_or(0);
        assert!(
            row.found >= best,
            "{name}: {} of {} broken files are found, another decoder finds {best}\n{}",
            row.found,
            row.broken,
            passed.join("\n")
        );
    }
}
