//! Whether files are whole of which no job says what they must be.

use std::fmt::Write as _;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::picture::{PictureKind, usual_kind};
use truepath_core::sequences::Sequence;
use truepath_core::visible::visible;
use truepath_media::{ExpectedPicture, Facts, Flaw, recognise, verify};

use crate::look::scan::path_of;

/// A file with which something is wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultyFile {
    /// Its name.
    pub name: String,
    /// What is wrong with it.
    pub fault: FileFault,
}

/// What is wrong with a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileFault {
    /// It is not whole, or not what its name says; with the reason.
    NotWhole(String),
    /// This program cannot tell whether it is whole; with the reason.
    Unverifiable(String),
    /// It is whole, and of another size, other channels or bits than most of its sequence; with what differs.
    Odd(String),
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

/// What is wrong with the files of a sequence, in the order of their frames; those that are neither pictures nor movies
/// are left out.
#[must_use]
pub fn faulty_files(folder: &Path, sequence: &Sequence) -> Vec<FaultyFile> {
    let frames = sequence.frames();
    let frames: Vec<i64> = if frames.is_empty() {
        vec![0]
    } else {
        frames.iter().collect()
    };
    let seen = |frame: &i64| {
        let name = sequence.file_name(*frame)?;
        let seen = look(&path_of(folder, &name));
        Some((visible(&String::from_utf8_lossy(&name)).into_owned(), seen))
    };
    let seen: Vec<(String, Seen)> = frames.par_iter().filter_map(seen).collect();
    let kinds = seen.iter().filter_map(|(_, seen)| match seen {
        Seen::Picture(kind) => Some(kind),
        Seen::Fault(_) | Seen::Whole => None,
    });
    let usual = usual_kind(kinds);
    let fault = |(name, seen): &(String, Seen)| {
        let fault = match seen {
            Seen::Whole => return None,
            Seen::Fault(fault) => fault.clone(),
            Seen::Picture(kind) => {
                let differences = kind.differences(usual.as_ref()?);
                let is_odd = !differences.is_empty();
                FileFault::Odd(is_odd.then(|| differences.join(", "))?)
            }
        };
        let name = name.clone();
        Some(FaultyFile { name, fault })
    };
    seen.iter().filter_map(fault).collect()
}

/// What a look at a file shows.
enum Seen {
    Picture(PictureKind),
    /// A movie, or a file that is neither.
    Whole,
    Fault(FileFault),
}

fn look(path: &Path) -> Seen {
    let extension = path.extension().unwrap_or_default().to_string_lossy();
    let extension = extension.to_lowercase();
    let by_name = truepath_core::picture::format(&extension);
    let not_whole = |reason: String| Seen::Fault(FileFault::NotWhole(reason));
    match recognise(path) {
        Err(error) => not_whole(error.to_string()),
        Ok(Some(format)) => match verify(path, &ExpectedPicture::of_format(format)) {
            Ok(_) if by_name.is_some_and(|named| named.name != format.name) => not_whole(format!(
                "it is {} by its content, and its name says {extension}",
                format.name
            )),
            Ok(facts) => Seen::Picture(facts.kind()),
            Err(Flaw::Unverifiable(reason)) => Seen::Fault(FileFault::Unverifiable(reason)),
            Err(flaw) => not_whole(flaw.to_string()),
        },
        // Called like a picture, and none.
        Ok(None) if by_name.is_some() => {
            not_whole("it is no picture of any format that its name may mean".to_owned())
        }
        Ok(None) => movie_fault(path, &extension).map_or(Seen::Whole, Seen::Fault),
    }
}

/// What is wrong with a file whose name is that of a movie.
#[cfg(feature = "movies")]
fn movie_fault(path: &Path, extension: &str) -> Option<FileFault> {
    truepath_core::movie::container_of_extension(extension)?;
    match truepath_media::examine_movie(path) {
        Ok(_) => None,
        Err(truepath_media::MovieError::Unverifiable(reason)) => {
            Some(FileFault::Unverifiable(reason))
        }
        Err(error) => Some(FileFault::NotWhole(error.to_string())),
    }
}

#[cfg(not(feature = "movies"))]
fn movie_fault(_: &Path, extension: &str) -> Option<FileFault> {
    truepath_core::movie::container_of_extension(extension)?;
    let reason = "this program was built without movies";
    Some(FileFault::Unverifiable(reason.to_owned()))
}
