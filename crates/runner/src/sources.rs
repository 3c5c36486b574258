//! The files that others are assembled from: what is there of them, and the fingerprint that they make.

use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{ExpectedPicture, verify};

use crate::disk::{content_hash, stamp};
use crate::fingerprint::SourcesFingerprint;
use crate::ledger::Files;

/// Files that are not there or not whole: what they are, and their frames.
pub(crate) type LackingFiles = Vec<(String, FrameSet)>;

/// What is there of the files that one file is assembled from, by size and time.
pub(crate) struct SourcesOnDisk<'d> {
    of: Vec<(&'d Deliverable, Vec<(Frame, SourceOnDisk)>)>,
}

/// What is there of one of them.
enum SourceOnDisk {
    /// As the ledger says, with the hash that it has.
    Recorded(String),
    Unrecorded,
    Missing,
}

impl<'d> SourcesOnDisk<'d> {
    /// Looks at the files that the file of a frame is assembled from.
    pub(crate) fn look(one: &'d Deliverable, frame: Frame, files: &Files) -> io::Result<Self> {
        let mut of = Vec::new();
        for (source, frames) in one.sources(frame) {
            let seen = |frame: Frame| {
                let path = source.path(frame);
                let found = stamp(Path::new(&path))?;
                let record = files.get(&path);
                let seen = match record.filter(|record| Some(record.stamp) == found) {
                    Some(record) => SourceOnDisk::Recorded(record.hash.to_string()),
                    None if found.is_some() => SourceOnDisk::Unrecorded,
                    None => SourceOnDisk::Missing,
                };
                Ok((frame, seen))
            };
            let frames: Vec<Frame> = frames.iter().collect();
            let all: io::Result<Vec<(Frame, SourceOnDisk)>> = if frames.len() == 1 {
                frames.into_iter().map(seen).collect()
            } else {
                frames.into_par_iter().map(seen).collect()
            };
            of.push((source, all?));
        }
        Ok(Self { of })
    }

    fn count(&self, is: impl Fn(&SourceOnDisk) -> bool) -> usize {
        let all = self.of.iter().flat_map(|(_, all)| all);
        all.filter(|(_, seen)| is(seen)).count()
    }

    /// How many are not there.
    pub(crate) fn missing(&self) -> usize {
        self.count(|seen| matches!(seen, SourceOnDisk::Missing))
    }

    /// How many are there that are not as the ledger says.
    pub(crate) fn unrecorded(&self) -> usize {
        self.count(|seen| matches!(seen, SourceOnDisk::Unrecorded))
    }

    /// The fingerprint that they make with that of the deliverable, for which those are decoded that the ledger does not know.
    ///
    /// # Errors
    /// When a file cannot be read; within, those that are not there or not whole.
    pub(crate) fn fingerprint(
        self,
        of_deliverable: impl FnOnce() -> io::Result<SourcesFingerprint>,
    ) -> io::Result<Result<String, LackingFiles>> {
        let mut hashes = Vec::new();
        let mut lacking = LackingFiles::new();
        for (source, all) in self.of {
            let wanted = ExpectedPicture::from(source);
            let mut lacking_frames = Vec::new();
            for (frame, seen) in all {
                match seen {
                    SourceOnDisk::Recorded(hash) => hashes.push(hash),
                    SourceOnDisk::Missing => lacking_frames.push(frame),
                    SourceOnDisk::Unrecorded => {
                        let path = source.path(frame);
                        let file = Path::new(&path);
                        match verify(file, &wanted) {
                            Ok(_) => hashes.push(content_hash(file)?),
                            Err(_) => lacking_frames.push(frame),
                        }
                    }
                }
            }
            if !lacking_frames.is_empty() {
                lacking.push((source.label(), FrameSet::from_frames(lacking_frames)));
            }
        }
        Ok(if lacking.is_empty() {
            Ok(of_deliverable()?.with(&hashes))
        } else {
            Err(lacking)
        })
    }
}

/// What is lacking, in words.
pub(crate) fn described(lacking: &LackingFiles) -> String {
    let each = lacking.iter().map(|(label, frames)| match frames.count() {
        1 => format!("frame {frames} of {label}"),
        _ => format!("frames {frames} of {label}"),
    });
    each.collect::<Vec<_>>().join(", ")
}
