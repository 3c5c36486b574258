//! Looks at files: by size and time where the ledger knows them so, else they are decoded.

use std::borrow::Cow;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::{PictureMeasure, RenderedSamples};
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine};

use super::{FileOnDisk, difference};
use crate::disk::{Stamp, recorded, stamp};
use crate::fingerprint::SourcesFingerprint;
use crate::ledger::{Files, KnownFile, Ledger};
use crate::sources::SourcesOnDisk;

/// How closely a file is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Depth {
    /// By size and time; it is not opened.
    Stamp,
    /// It is decoded where the ledger does not know it as it is.
    Unknown,
    /// It is decoded whatever the ledger says.
    Decode,
    /// It is decoded and measured.
    Measure,
}

/// What a look at a file shows.
#[derive(Debug)]
pub(crate) struct FileLook {
    pub(crate) there: FileOnDisk,
    /// What there is besides in a file that was decoded.
    pub(crate) notes: Vec<String>,
    pub(crate) measure: Option<PictureMeasure>,
    /// How many samples its pixels have, by the ledger.
    pub(crate) samples: Option<RenderedSamples>,
    pub(crate) bytes: u64,
    /// Whether it was opened.
    pub(crate) is_opened: bool,
}

impl FileLook {
    pub(crate) fn of(there: FileOnDisk) -> Self {
        Self {
            there,
            notes: Vec::new(),
            measure: None,
            samples: None,
            bytes: 0,
            is_opened: false,
        }
    }
}

/// Looks at files; with `decode` every file is read whole, else only those that the ledger does
/// not know.
pub(crate) fn look(
    deliverable: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    decode: bool,
) -> Vec<(Frame, FileOnDisk)> {
    let all: Vec<Frame> = frames.iter().collect();
    let looker = Looker::new(deliverable, &ledger.published, fingerprint);
    let depth = if decode {
        Depth::Decode
    } else {
        Depth::Unknown
    };
    let one = |frame: &Frame| (*frame, looker.look(*frame, depth).there);
    // Looking at a file takes microseconds, decoding it milliseconds.
    let few = if decode { 8 } else { 4096 };
    if all.len() < few {
        all.iter().map(one).collect()
    } else {
        all.par_iter().map(one).collect()
    }
}

/// Looks at the files of a sequence as `status` does: those that are as recorded by size and time are not opened, others
/// are; of files that the ledger does not know only so many.
pub(crate) fn look_briefly(
    deliverable: &Deliverable,
    ledger: &Ledger,
    fingerprint: Option<&str>,
    most_unrecorded: usize,
) -> QuickLook {
    let frames = &deliverable.common.frames.selected;
    let looker = Looker::new(deliverable, &ledger.published, fingerprint);
    let one = |frame: &Frame| {
        let path = deliverable.path(*frame);
        let record = ledger.published.get(&path);
        let found = stamp(Path::new(&path));
        let there = match (found, record) {
            (Ok(None), _) => Some(FileOnDisk::Missing),
            (Err(error), _) => Some(FileOnDisk::Broken(error.to_string())),
            (Ok(Some(found)), Some(record)) if record.stamp == found => {
                let today = looker.fingerprint(*frame, Depth::Stamp);
                Some(as_recorded(record, today.as_deref(), &looker.wanted))
            }
            (Ok(Some(_)), Some(_)) => Some(looker.look(*frame, Depth::Unknown).there),
            (Ok(Some(_)), None) => None,
        };
        let bytes = match &there {
            Some(FileOnDisk::Missing) => 0,
            _ => record.map_or(0, |record| record.stamp.size),
        };
        (*frame, there, bytes)
    };
    let all: Vec<Frame> = frames.iter().collect();
    let seen: Vec<(Frame, Option<FileOnDisk>, u64)> = if all.len() < 4096 {
        all.iter().map(one).collect()
    } else {
        all.par_iter().map(one).collect()
    };
    let mut brief = QuickLook::default();
    let mut unrecorded: Vec<Frame> = Vec::new();
    for (frame, there, bytes) in seen {
        brief.bytes += bytes;
        match there {
            Some(there) => brief.frames.push((frame, there)),
            None => unrecorded.push(frame),
        }
    }
    if unrecorded.len() <= most_unrecorded {
        let set = FrameSet::from_frames(unrecorded);
        let seen = look(deliverable, &set, ledger, fingerprint, false);
        brief.frames.extend(seen);
    } else {
        brief.not_looked_into = FrameSet::from_frames(unrecorded);
    }
    brief
}

/// What a brief look finds.
#[derive(Debug, Default)]
pub(crate) struct QuickLook {
    pub(crate) frames: Vec<(Frame, FileOnDisk)>,
    /// Files that the ledger does not know and that were not opened.
    pub(crate) not_looked_into: FrameSet,
    /// Bytes of the recorded files that are there.
    pub(crate) bytes: u64,
}

/// Looks at the files of a deliverable that is no movie.
pub(crate) struct Looker<'l> {
    deliverable: &'l Deliverable,
    files: &'l Files,
    today: Today<'l>,
    wanted: ExpectedPicture,
}

/// What makes the pictures of a deliverable today.
enum Today<'l> {
    /// That is the same for all of them; none where nobody knows.
    Fingerprint(Option<&'l str>),
    /// They are taken from other files.
    Sources(SourcesFingerprint),
}

impl<'l> Looker<'l> {
    /// Looks at the files of a deliverable; the fingerprint is that of pictures which are rendered.
    pub(crate) fn new(
        deliverable: &'l Deliverable,
        files: &'l Files,
        fingerprint: Option<&'l str>,
    ) -> Self {
        let sources = deliverable
            .is_assembled()
            .then(|| SourcesFingerprint::of(deliverable).ok());
        let expected = Self::expecting(deliverable, files, fingerprint);
        match sources.flatten() {
            Some(sources) => Self {
                today: Today::Sources(sources),
                ..expected
            },
            None => expected,
        }
    }

    /// Looks at files that should have this very fingerprint.
    pub(crate) fn expecting(
        deliverable: &'l Deliverable,
        files: &'l Files,
        fingerprint: Option<&'l str>,
    ) -> Self {
        Self {
            deliverable,
            files,
            today: Today::Fingerprint(fingerprint),
            wanted: ExpectedPicture::from(deliverable),
        }
    }

    /// The fingerprint that the file of a frame should have; none where nobody knows. Where it is taken from files that are
    /// not there or not whole it is empty, which no file has.
    fn fingerprint(&self, frame: Frame, depth: Depth) -> Option<Cow<'l, str>> {
        let today = match &self.today {
            Today::Fingerprint(fingerprint) => return fingerprint.map(Cow::Borrowed),
            Today::Sources(today) => today,
        };
        let sources = SourcesOnDisk::look(self.deliverable, frame, self.files).ok()?;
        if sources.missing() > 0 {
            return Some(Cow::Borrowed(""));
        }
        if depth == Depth::Stamp && sources.unrecorded() > 0 {
            return None;
        }
        let made = sources.fingerprint(|| Ok(today.clone())).ok()?;
        Some(Cow::Owned(made.unwrap_or_default()))
    }

    /// Looks at the file of a frame.
    pub(crate) fn look(&self, frame: Frame, depth: Depth) -> FileLook {
        let path = self.deliverable.path(frame);
        let file = Path::new(&path);
        let found = match stamp(file) {
            Ok(None) => return FileLook::of(FileOnDisk::Missing),
            Ok(Some(found)) => found,
            Err(error) => return FileLook::of(FileOnDisk::Broken(error.to_string())),
        };
        let record = self.files.get(&path);
        let is_as_recorded = record.is_some_and(|record| record.stamp == found);
        let mut look = FileLook {
            bytes: found.size,
            samples: record.and_then(|record| record.origin.samples),
            ..FileLook::of(FileOnDisk::Missing)
        };
        let today = record.and_then(|_| self.fingerprint(frame, depth));
        let today = today.as_deref();
        look.there = match (depth, record) {
            (Depth::Stamp | Depth::Unknown, Some(record)) if is_as_recorded => {
                as_recorded(record, today, &self.wanted)
            }
            (Depth::Stamp, Some(record)) => FileOnDisk::Changed(difference(record.stamp, found)),
            (Depth::Stamp, None) => FileOnDisk::Unrecorded,
            _ => self.examine(
                file,
                found,
                record.map(|record| (record, today)),
                depth,
                &mut look,
            ),
        };
        look
    }

    /// Decodes a file, and compares its bytes with the record, and that with the fingerprint of today.
    fn examine(
        &self,
        file: &Path,
        found: Stamp,
        record: Option<(&KnownFile, Option<&str>)>,
        depth: Depth,
        look: &mut FileLook,
    ) -> FileOnDisk {
        let is_stale = record.is_some_and(|(record, today)| is_stale(record, today));
        let record = record.map(|(record, _)| record);
        let kinds: Vec<HashKind> = record.iter().map(|record| record.hash.kind()).collect();
        let options = ExamineOptions {
            hashes: &kinds,
            measure: depth == Depth::Measure,
        };
        let seen = examine(file, &self.wanted, options);
        look.is_opened = true;
        look.measure = seen.measure;
        let unverifiable = match seen.facts {
            Err(Flaw::Unverifiable(reason)) => {
                Some(reason).filter(|_| !self.wanted.allows_unverifiable)
            }
            // What other settings made may well be another kind of picture.
            Err(flaw) if is_stale && flaw.is_wrong_kind() => None,
            // A file that is being written or removed is not what it was a moment ago.
            Err(_) if stamp(file).ok().flatten() != Some(found) => {
                return FileOnDisk::Broken("it changes while it is read".to_owned());
            }
            Err(flaw) => return FileOnDisk::Broken(flaw.to_string()),
            Ok(facts) => {
                look.notes = facts.notes;
                None
            }
        };
        let Some(record) = record else {
            return unverifiable.map_or(FileOnDisk::Unrecorded, FileOnDisk::Unverifiable);
        };
        let Some(digits) = seen.hashes else {
            return FileOnDisk::Broken("it cannot be read to its end".to_owned());
        };
        let hash = recorded(record.hash.kind(), &digits.concat());
        match unverifiable {
            _ if hash != record.hash.to_string() => {
                FileOnDisk::Changed(difference(record.stamp, found))
            }
            _ if is_stale => FileOnDisk::Stale,
            Some(reason) => FileOnDisk::Unverifiable(reason),
            None if record.stamp == found => FileOnDisk::Valid,
            None => FileOnDisk::Touched,
        }
    }
}

fn is_stale(record: &KnownFile, fingerprint: Option<&str>) -> bool {
    let made = record.fingerprint();
    made.is_some() && fingerprint.is_some() && made != fingerprint
}

/// What a file is that is as recorded by size and time, and is not opened.
fn as_recorded(
    record: &KnownFile,
    fingerprint: Option<&str>,
    wanted: &ExpectedPicture,
) -> FileOnDisk {
    match &record.origin.unverifiable {
        _ if is_stale(record, fingerprint) => FileOnDisk::Stale,
        Some(reason) if !wanted.allows_unverifiable => FileOnDisk::Unverifiable(reason.to_string()),
        _ => FileOnDisk::Valid,
    }
}
