//! What runs that are over have left to read: what the pictures showed when they were published, and what engines warned
//! of in the logs.

use std::collections::HashSet;
use std::fs::{self};
use std::io::{self, BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use truepath_core::deliverable::Expansion;
use truepath_core::profile::Profile;
use truepath_core::question::{Answers, FinishedPicture};

use crate::Loaded;
use crate::disk::{Stamp, stamp};
use crate::make::engine_log::{LineMeaning, LogReader, engine_says};
use crate::make::run::{Warning, Warnings};
use crate::record::ledger::measured;
use truepath_media::open_regular;

/// What the pictures of a job show by its ledgers: of files that are as they were published, none of which is opened.
///
/// # Errors
/// When the ledgers cannot be read.
pub fn published_pictures(loaded: &Loaded, expansion: &Expansion) -> io::Result<Answers> {
    let mut records = measured(&loaded.state_folder().ledgers())?;
    let mut answers = Answers::default();
    for one in expansion
        .deliverables
        .iter()
        .filter(|one| one.movie().is_none())
    {
        let mut pictures = Vec::new();
        for frame in one.common.frames.selected.iter() {
            let path = one.path(frame);
            let Some(record) = records.remove(&path) else {
                continue;
            };
            let then = Stamp {
                size: record.size,
                modified: record.modified,
            };
            if stamp(Path::new(&path))? == Some(then) {
                pictures.push(FinishedPicture {
                    frame,
                    bytes: record.size,
                    seconds: None,
                    measure: record.picture,
                    samples: record.samples,
                    kind: None,
                });
            }
        }
        if !pictures.is_empty() {
            answers.pictures.insert(one.pattern.sketch(), pictures);
        }
    }
    Ok(answers)
}

/// What engines warned of in all logs that are there, by kind, the most frequent first.
///
/// # Errors
/// When a log cannot be read.
pub fn log_warnings(loaded: &Loaded, expansion: &Expansion) -> io::Result<Vec<Warning>> {
    let mut profiles: Vec<&Arc<Profile>> = Vec::new();
    for one in &expansion.deliverables {
        if profiles
            .iter()
            .all(|known| known.name != one.common.engine.name)
        {
            profiles.push(&one.common.engine);
        }
    }
    let readers: Vec<LogReader> = profiles
        .iter()
        .filter_map(|profile| LogReader::new(profile).ok())
        .collect();
    let mut warnings = Warnings::default();
    for log in logs(&loaded.state_folder().logs())? {
        let lines = BufReader::new(open_regular(&log)?).split(b'\n');
        for (number, line) in (1..).zip(lines) {
            let line = line?;
            let line = String::from_utf8_lossy(&line);
            let Some(printed) = engine_says(&line) else {
                continue;
            };
            let meaning = readers.iter().find_map(|reader| reader.read(printed));
            if let Some(LineMeaning::Warning(text)) = meaning {
                warnings.add(&text, &log, number);
            }
        }
    }
    Ok(warnings.reported(&HashSet::new()))
}

/// The logs below a folder, in the order of their names.
fn logs(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let mut found = Vec::new();
    let mut open = vec![folder.to_owned()];
    while let Some(folder) = open.pop() {
        let entries = match fs::read_dir(&folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            entries => entries?,
        };
        for entry in entries {
            let entry = entry?;
            let kind = entry.file_type()?;
            if kind.is_dir() {
                open.push(entry.path());
            } else if kind.is_file() {
                found.push(entry.path());
            }
        }
    }
    found.sort();
    Ok(found)
}
