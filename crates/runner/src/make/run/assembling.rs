//! A file that is about to be assembled: what it is made from, as that was when its content was read.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;

use crate::disk::{Stamp, changed_at, stamp};
use crate::record::ledger::Replaces;

/// What is known of a file that is about to be assembled.
pub(super) struct Assembling {
    /// The fingerprint that it gets: its settings, and the content of the files that it is made from.
    pub(super) fingerprint: Option<String>,
    /// What becomes of a file that has its name.
    pub(super) replaces: Option<Replaces>,
    /// The files that it is made from, as they were when their content was read.
    pub(super) sources: Vec<SourceMoment>,
}

/// A file at one moment: size, time of last change, and when its inode last changed, which no program can set back.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct SourceMoment {
    path: PathBuf,
    stamp: Option<Stamp>,
    changed: Option<i128>,
}

impl SourceMoment {
    fn of(path: PathBuf) -> io::Result<Self> {
        Ok(Self {
            stamp: stamp(&path)?,
            changed: changed_at(&path)?,
            path,
        })
    }
}

impl Assembling {
    /// The first of the files that it is made from which has changed since its content was read, if any has.
    pub(super) fn changed_source(&self) -> Option<&Path> {
        let is_as_it_was = |source: &&SourceMoment| {
            SourceMoment::of(source.path.clone()).is_ok_and(|now| now == **source)
        };
        let mut changed = self.sources.iter().filter(|source| !is_as_it_was(source));
        changed.next().map(|source| source.path.as_path())
    }
}

/// The files that a file is made from, as they are now.
pub(super) fn moments(deliverable: &Deliverable, frame: Frame) -> io::Result<Vec<SourceMoment>> {
    let sources = deliverable.sources(frame);
    let paths = sources
        .iter()
        .flat_map(|(source, frames)| frames.iter().map(|frame| PathBuf::from(source.path(frame))));
    paths.map(SourceMoment::of).collect()
}
