//! Whether files are whole of which no job says what they must be.

use std::fmt::Write as _;
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

/// What a picture or a movie is, in words; none of what this program does not know.
#[must_use]
pub fn first_facts(path: &Path) -> Option<String> {
    let Some(format) = recognise(path).ok().flatten() else {
        return movie_facts(path);
    };
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
    if let Some(compression) = facts.compression {
        let _ = write!(words, ", compression {compression}");
    }
    if !facts.layers.is_empty() {
        let _ = write!(
            words,
            ", {} layers: {}",
            facts.layers.len(),
            facts.layers.join(", ")
        );
    }
    for note in &facts.notes {
        words.push_str("; ");
        words.push_str(note);
    }
    words
}

/// What the tables of a movie in MP4 or MOV say.
#[cfg(feature = "movies")]
fn movie_facts(path: &Path) -> Option<String> {
    let extension = path.extension()?.to_string_lossy().to_lowercase();
    if !["mp4", "m4v", "mov"].contains(&extension.as_str()) {
        return None;
    }
    let headers = match truepath_media::movie_headers(path) {
        Ok(headers) => headers,
        Err(error) => return Some(format!("{extension}: {error}")),
    };
    let size = headers.size.map(|size| format!(" {size}"));
    let mut words = format!(
        "{extension}{}, {}, {}, {:.2} s",
        size.unwrap_or_default(),
        headers.coding,
        truepath_core::finding::count(headers.frames, "frame", "frames"),
        headers.seconds
    );
    if let Some(fps) = headers.fps() {
        let fps = format!("{fps:.3}");
        let _ = write!(
            words,
            ", {} fps",
            fps.trim_end_matches('0').trim_end_matches('.')
        );
    }
    if let Some(sound) = headers.sound {
        let _ = write!(words, ", sound {sound}");
    }
    Some(words)
}

#[cfg(not(feature = "movies"))]
fn movie_facts(_: &Path) -> Option<String> {
    None
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
