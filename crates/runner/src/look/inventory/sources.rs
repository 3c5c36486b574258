//! The files that a file is made from, looked at like every other.

use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::file_state::FileState;
use truepath_core::frames::{Frame, FrameSet};

use super::accepted::Accepted;
use super::depth::{Depth, LookAtFiles};
use super::found::FileOnDisk;
use crate::disk::content_hash;
use crate::record::ledger::Files;

/// Files that are not as they should be: the label of their deliverable, their state, and their frames.
pub(crate) type LackingFiles = Vec<(String, FileState, FrameSet)>;

/// What there is of the files that a file is made from.
pub(super) struct SourcesLook {
    /// The hashes of those that are as they should be, in their order.
    pub(super) hashes: Vec<String>,
    /// Those that are not.
    pub(super) lacking: LackingFiles,
    /// How many the ledger does not record and were not opened.
    pub(super) not_opened: usize,
}

/// One of them.
enum Source {
    Whole(String),
    NotOpened,
    Lacking(FileState),
}

impl SourcesLook {
    /// Looks at the files that the file of a frame is made from.
    pub(super) fn new(
        deliverable: &Deliverable,
        lookers: &[Box<dyn LookAtFiles + '_>],
        frame: Frame,
        depth: Depth,
        files: &Files,
        accepted: &Accepted,
    ) -> Self {
        let depth = depth.of_sources();
        let mut looked = Self {
            hashes: Vec::new(),
            lacking: LackingFiles::new(),
            not_opened: 0,
        };
        for (looker, (source, frames)) in lookers.iter().zip(deliverable.sources(frame)) {
            let looker = &**looker;
            let frames: Vec<Frame> = frames.iter().collect();
            let look = |frame: &Frame| {
                (
                    *frame,
                    source_on_disk(looker, *frame, depth, files, accepted),
                )
            };
            let looks: Vec<(Frame, Source)> = if frames.len() == 1 {
                frames.iter().map(look).collect()
            } else {
                frames.par_iter().map(look).collect()
            };
            let mut lacking: Vec<(FileState, Vec<Frame>)> = Vec::new();
            for (frame, look) in looks {
                match look {
                    Source::Whole(hash) => looked.hashes.push(hash),
                    Source::NotOpened => looked.not_opened += 1,
                    Source::Lacking(state) => {
                        match lacking.iter_mut().find(|(known, _)| *known == state) {
                            Some((_, frames)) => frames.push(frame),
                            None => lacking.push((state, vec![frame])),
                        }
                    }
                }
            }
            let lacking = lacking.into_iter();
            looked.lacking.extend(
                lacking
                    .map(|(state, frames)| (source.label(), state, FrameSet::from_frames(frames))),
            );
        }
        looked
    }
}

fn source_on_disk(
    looker: &dyn LookAtFiles,
    frame: Frame,
    depth: Depth,
    files: &Files,
    accepted: &Accepted,
) -> Source {
    let found = looker.found(frame, depth, files, accepted);
    let is_accepted = || accepted.has(looker.deliverable(), frame);
    let path = || looker.deliverable().path(frame);
    match found {
        FileOnDisk::Valid | FileOnDisk::Touched => match files.get(&path()) {
            Some(record) => Source::Whole(record.hash.to_string()),
            None => Source::Lacking(FileState::Missing),
        },
        FileOnDisk::Stale if is_accepted() => match files.get(&path()) {
            Some(record) => Source::Whole(record.hash.to_string()),
            None => Source::Lacking(FileState::Stale),
        },
        FileOnDisk::Changed(_) if is_accepted() => match content_hash(Path::new(&path())) {
            Ok(hash) => Source::Whole(hash),
            Err(_) => Source::Lacking(FileState::Broken),
        },
        FileOnDisk::Unrecorded if depth == Depth::Stamp => Source::NotOpened,
        FileOnDisk::Unrecorded => match content_hash(Path::new(&path())) {
            Ok(hash) => Source::Whole(hash),
            Err(_) => Source::Lacking(FileState::Broken),
        },
        other => Source::Lacking(other.state()),
    }
}

/// What is lacking, in words.
pub(crate) fn described(lacking: &LackingFiles) -> String {
    let each = lacking
        .iter()
        .map(|(label, state, frames)| match frames.count() {
            1 => format!("frame {frames} of {label} is {state}"),
            _ => format!("frames {frames} of {label} are {state}"),
        });
    each.collect::<Vec<_>>().join(", ")
}
