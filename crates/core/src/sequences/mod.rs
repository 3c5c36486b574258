//! The sequences among the names of a folder, whatever wrote them: which part of a name is the frame, how it is
//! padded, which frames there are, and which files belong to none.
//!
//! ```
//! use truepath_core::sequences::Folder;
//!
//! let mut folder = Folder::default();
//! for name in ["dawn_v2.0001.png", "dawn_v2.0002.png", "dawn_v2.0004.png", "notes.txt"] {
//!     folder.add(name.as_bytes(), 100, 0);
//! }
//! let found = folder.sequences();
//! assert_eq!(found[0].name(), "dawn_v2.{frame:04}.png");
//! assert_eq!(found[0].frames().to_string(), "1-2,4");
//! assert_eq!(found[1].name(), "notes.txt");
//! ```

mod number;
mod sequence;

use std::collections::BTreeMap;

use number::{NumberedName, numbers};
pub use sequence::{Choice, Sequence};

/// The files of one folder, by the shapes of their names.
#[derive(Debug, Default)]
pub struct Folder {
    /// By what stands around the numbers of a name.
    shapes: BTreeMap<Vec<u8>, Shape>,
}

/// Files whose names differ in numbers alone.
#[derive(Debug, Default)]
struct Shape {
    /// The texts around the numbers: one more than there are numbers.
    texts: Vec<Vec<u8>>,
    /// The numbers of each file, and what is known of it.
    files: Vec<File>,
}

#[derive(Debug, Clone)]
struct File {
    numbers: Box<[NumberedName]>,
    bytes: u64,
    /// When it last changed, in seconds since 1970.
    changed: i64,
}

impl Folder {
    /// Adds a file: its name, its bytes, and when it last changed, in seconds since 1970.
    pub fn add(&mut self, name: &[u8], bytes: u64, changed: i64) {
        let (texts, numbers) = numbers(name);
        // No name holds a zero byte.
        let key = texts.join(&0);
        let shape = self.shapes.entry(key).or_insert_with(|| Shape {
            texts: texts.iter().map(|text| text.to_vec()).collect(),
            files: Vec::new(),
        });
        shape.files.push(File {
            numbers: numbers.into(),
            bytes,
            changed,
        });
    }

    /// The sequences, and the files that belong to none, in the order of their names.
    #[must_use]
    pub fn sequences(self) -> Vec<Sequence> {
        let mut found: Vec<Sequence> = self
            .shapes
            .into_values()
            .flat_map(|shape| sequence::split(&shape.texts, shape.files))
            .collect();
        found.sort_by(|one, other| one.raw_name().cmp(&other.raw_name()));
        found
    }
}

/// Pairs of sequences that differ in padding, or in capitals, alone: one of the two was most likely a mistake. They
/// are given by their places.
#[must_use]
pub fn doubles(sequences: &[Sequence]) -> Vec<(usize, usize)> {
    let mut known: BTreeMap<String, usize> = BTreeMap::new();
    let mut pairs = Vec::new();
    for (at, one) in sequences.iter().enumerate() {
        match known.get(&one.folded()) {
            Some(first) => pairs.push((*first, at)),
            None => {
                known.insert(one.folded(), at);
            }
        }
    }
    pairs
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn found(names: &[&str]) -> Vec<String> {
        let mut folder = Folder::default();
        for name in names {
            folder.add(name.as_bytes(), 10, 0);
        }
        let sequences = folder.sequences();
        sequences
            .iter()
            .map(|one| {
                if one.is_sequence() {
                    format!("{} {}", one.name(), one.frames())
                } else {
                    one.name()
                }
            })
            .collect()
    }

    #[test]
    fn the_number_that_varies_is_the_frame() {
        assert_eq!(
            found(&[
                "sh010_v003.0001.exr",
                "sh010_v003.0002.exr",
                "sh010_v003.0005.exr"
            ]),
            ["sh010_v003.{frame:04}.exr 1-2,5"]
        );
        // The version stands behind the frame.
        assert_eq!(
            found(&["f1001_v2.png", "f1002_v2.png"]),
            ["f{frame:04}_v2.png 1001-1002"]
        );
    }

    #[test]
    fn several_sequences_that_look_alike_are_told_apart() {
        assert_eq!(
            found(&[
                "cam1.0001.png",
                "cam1.0002.png",
                "cam1.0003.png",
                "cam2.0001.png",
                "cam2.0002.png"
            ]),
            ["cam1.{frame:04}.png 1-3", "cam2.{frame:04}.png 1-2"]
        );
        // Of two numbers that vary alike the last is the frame.
        assert_eq!(
            found(&["a1_1.png", "a1_2.png", "a2_1.png", "a2_2.png"]),
            ["a1_{frame}.png 1-2", "a2_{frame}.png 1-2"]
        );
    }

    #[test]
    fn padding_is_what_the_names_show() {
        assert_eq!(
            found(&["a.8.png", "a.9.png", "a.10.png", "a.100.png"]),
            ["a.{frame}.png 8-10,100"]
        );
        assert_eq!(
            found(&["a.098.png", "a.099.png", "a.100.png", "a.1000.png"]),
            ["a.{frame:03}.png 98-100,1000"]
        );
        // Two paddings are two sequences.
        let two = ["a.0007.png", "a.0008.png", "a.7.png", "a.8.png"];
        assert_eq!(found(&two), ["a.{frame:04}.png 7-8", "a.{frame}.png 7-8"]);
        let mut folder = Folder::default();
        for name in two {
            folder.add(name.as_bytes(), 10, 0);
        }
        assert_eq!(doubles(&folder.sequences()), [(0, 1)]);
    }

    #[test]
    fn frames_before_zero_and_capitals() {
        assert_eq!(
            found(&["a.-002.png", "a.-001.png", "a.0000.png", "a.0001.png"]),
            ["a.{frame:04}.png 0-1", "a.{frame:03}.png -2--1"]
        );
        // A dash between words is no sign.
        assert_eq!(found(&["a-1.png", "a-2.png"]), ["a-{frame}.png 1-2"]);
        let mut folder = Folder::default();
        for name in ["Dawn.1.png", "Dawn.2.png", "dawn.1.png", "dawn.2.png"] {
            folder.add(name.as_bytes(), 10, 0);
        }
        assert_eq!(doubles(&folder.sequences()).len(), 1);
    }

    #[test]
    fn files_of_no_sequence_keep_their_names() {
        assert_eq!(
            found(&["notes.txt", "review_v3.mov", "poster.0017.png"]),
            ["notes.txt", "poster.0017.png", "review_v3.mov"]
        );
        assert_eq!(found(&["2026-02-03 notes.txt"]), ["2026-02-03 notes.txt"]);
    }

    proptest! {
        #[test]
        fn every_file_is_in_exactly_one_sequence(
            names in prop::collection::btree_set("[ab]{0,2}[0-9]{0,4}[._-]{0,2}[0-9]{0,12}(\\.png)?", 1..40)
        ) {
            let mut folder = Folder::default();
            for name in &names {
                folder.add(name.as_bytes(), 1, 0);
            }
            let sequences = folder.sequences();
            let mut back: Vec<String> = sequences.iter().flat_map(Sequence::files).collect();
            back.sort();
            prop_assert_eq!(back, names.into_iter().collect::<Vec<_>>());
        }

        #[test]
        fn any_bytes_are_taken(names in prop::collection::vec(prop::collection::vec(1_u8..255, 0..12), 0..12)) {
            let mut folder = Folder::default();
            for name in &names {
                folder.add(name, 1, 0);
            }
            let count: u64 = folder.sequences().iter().map(Sequence::count).sum();
            prop_assert_eq!(count, names.len() as u64);
        }
    }
}
