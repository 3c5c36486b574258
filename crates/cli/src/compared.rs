//! Pictures that were compared, frame by frame.

use std::path::PathBuf;

use truepath_core::frames::Frame;
use truepath_media::{CompareError, Difference};

/// A frame that both sides have.
pub(crate) struct ComparedFrame {
    /// What it is a frame of.
    pub(crate) title: String,
    /// The layer of the files; empty for their main one.
    pub(crate) layer: String,
    pub(crate) frame: Frame,
    pub(crate) paths: (PathBuf, PathBuf),
    pub(crate) result: Result<Difference, CompareError>,
    /// What else is in the files and was not compared.
    pub(crate) notes: Vec<String>,
}

/// What was compared, and what only one side has.
#[derive(Default)]
pub(crate) struct Compared {
    /// The worst first.
    pub(crate) frames: Vec<ComparedFrame>,
    /// What only the first, and what only the second has.
    pub(crate) only: (Vec<String>, Vec<String>),
}

impl ComparedFrame {
    /// What it is a frame of, with its layer.
    pub(crate) fn pass(&self) -> String {
        if self.layer.is_empty() {
            self.title.clone()
        } else {
            format!("{} {}", self.title, self.layer)
        }
    }

    /// Whether no value differs by more than was allowed.
    pub(crate) fn is_alike(&self) -> bool {
        self.result.as_ref().is_ok_and(|seen| seen.share == 0.0)
    }

    /// How bad it is: the part of the pixels that differ, and by how much.
    pub(crate) fn badness(&self) -> (f64, f64) {
        match &self.result {
            Ok(seen) => (seen.share, f64::from(seen.largest.max(seen.alpha.0))),
            Err(_) => (f64::INFINITY, f64::INFINITY),
        }
    }
}

impl Compared {
    /// Whether nothing differs by more than was allowed, and nothing is missing.
    pub(crate) fn is_fine(&self) -> bool {
        self.only.0.is_empty()
            && self.only.1.is_empty()
            && self.frames.iter().all(ComparedFrame::is_alike)
    }
}
