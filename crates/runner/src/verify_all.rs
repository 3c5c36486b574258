//! Whether files are whole of which no job says what they must be.

use std::path::Path;

use rayon::prelude::*;
use truepath_core::sequences::Sequence;
use truepath_core::visible::visible;
use truepath_media::{ExpectedPicture, Facts, Flaw, recognise, verify};

use crate::scan::path_of;

/// A file that is not whole.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unsound {
    /// Its name.
    pub name: String,
    /// What is wrong with it.
    pub why: String,
}

/// What a picture is, in words; none of what is no picture that this program knows.
#[must_use]
pub fn first_facts(path: &Path) -> Option<String> {
    let format = recognise(path).ok().flatten()?;
    Some(match verify(path, &ExpectedPicture::of_format(format)) {
        Ok(facts) => in_words(format.name, &facts),
        Err(flaw) => format!("{}: {flaw}", format.name),
    })
}

fn in_words(format: &str, facts: &Facts) -> String {
    let bits = facts.bits.to_string();
    let bits = if bits.parse::<u8>().is_ok() {
        format!("{bits} bits")
    } else {
        bits
    };
    let mut words = format!("{format} {}, {}, {bits}", facts.size, facts.channels);
    for note in &facts.notes {
        words.push_str("; ");
        words.push_str(note);
    }
    words
}

/// The files of a sequence that are no whole pictures, in the order of their frames; those that are no pictures of a
/// known format are left out.
#[must_use]
pub fn unsound_files(folder: &Path, sequence: &Sequence) -> Vec<Unsound> {
    let frames = sequence.frames();
    let frames: Vec<i64> = if frames.is_empty() {
        vec![0]
    } else {
        frames.iter().collect()
    };
    let unsound = |frame: &i64| {
        let name = sequence.file_name(*frame)?;
        let why = why_unsound(&path_of(folder, &name))?;
        Some(Unsound {
            name: visible(&String::from_utf8_lossy(&name)).into_owned(),
            why,
        })
    };
    frames.par_iter().filter_map(unsound).collect()
}

fn why_unsound(path: &Path) -> Option<String> {
    let extension = path.extension().unwrap_or_default().to_string_lossy();
    let by_name = truepath_core::picture::format(&extension.to_lowercase());
    match recognise(path) {
        Err(error) => Some(error.to_string()),
        Ok(Some(format)) => match verify(path, &ExpectedPicture::of_format(format)) {
            Ok(_) | Err(Flaw::Unverifiable(_)) => None,
            Err(flaw) => Some(flaw.to_string()),
        },
        // Called like a picture, and none.
        Ok(None) => {
            by_name.map(|_| "it is no picture of any format that its name may mean".to_owned())
        }
    }
}
