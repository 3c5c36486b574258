//! Which pictures of two sides belong together.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use truepath_core::frames::{Frame, FrameSet};
use truepath_runner::follow::pictures::PictureRow;

use crate::show::frames_of;

/// The name of a sequence below its folder, without its version numbers.
fn key(row: &PictureRow, folder: &Path) -> String {
    let folder = folder.display().to_string();
    let below = row.title.strip_prefix(&folder).unwrap_or(&row.title);
    let mut key = String::new();
    let mut letters = below.chars().peekable();
    while let Some(letter) = letters.next() {
        key.push(letter);
        let is_version = letter == 'v' && letters.peek().is_some_and(char::is_ascii_digit);
        while is_version && letters.next_if(char::is_ascii_digit).is_some() {}
    }
    key
}

/// A frame that both sides have.
pub(super) struct Both {
    /// What it is a frame of.
    pub(super) title: String,
    pub(super) frame: Frame,
    pub(super) paths: (PathBuf, PathBuf),
}

/// What belongs together, and what only the first and only the second side has.
#[derive(Default)]
pub(super) struct Matched {
    pub(super) both: Vec<Both>,
    pub(super) only: (Vec<String>, Vec<String>),
}

impl Matched {
    /// The pictures of two folders or files, by the names of their sequences.
    pub(super) fn by_name(
        (first_path, first): (&Path, &[PictureRow]),
        (second_path, second): (&Path, &[PictureRow]),
    ) -> Self {
        let mut matched = Self::default();
        if let ([one], [other]) = (first, second) {
            matched.add(one, other);
            return matched;
        }
        let mut open: BTreeMap<String, &PictureRow> = second
            .iter()
            .map(|row| (key(row, second_path), row))
            .collect();
        for row in first {
            match open.remove(&key(row, first_path)) {
                Some(other) => matched.add(row, other),
                None => matched.only.0.push(row.title.clone()),
            }
        }
        let others = open.values().map(|row| row.title.clone());
        matched.only.1.extend(others);
        matched
    }

    /// Takes two sequences that belong together, frame by frame.
    pub(super) fn add(&mut self, first: &PictureRow, second: &PictureRow) {
        let (frames, others) = (there(first), there(second));
        for (mine, theirs, only) in [
            (&frames, &others, &mut self.only.0),
            (&others, &frames, &mut self.only.1),
        ] {
            let alone = mine.difference(theirs).unwrap_or_default();
            if !alone.is_empty() {
                only.push(format!("{} of {}", frames_of(&alone), first.title));
            }
        }
        let both = frames.intersection(&others).unwrap_or_default();
        for frame in both.iter() {
            if let (Some(path), Some(other)) = (first.path(frame), second.path(frame)) {
                self.both.push(Both {
                    title: first.title.clone(),
                    frame,
                    paths: (path, other),
                });
            }
        }
    }
}

/// The frames of a row that are there.
pub(super) fn there(row: &PictureRow) -> FrameSet {
    let missing = row.states.iter().find(|(word, _)| *word == "missing");
    match missing {
        Some((_, missing)) => row.frames.difference(missing).unwrap_or_default(),
        None => row.frames.clone(),
    }
}
