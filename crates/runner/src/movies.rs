//! What is there of a movie, seen beside the frames that it is assembled from.

use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{ExpectedPicture, Flaw, verify};

use crate::disk::{content_hash, has_content, stamp};
use crate::fingerprint::Fingerprints;
use crate::inventory::{FileOnDisk, difference};
use crate::ledger::{KnownFile, Ledger};
use crate::proof;

/// What is there of a movie.
pub(crate) struct MovieOnDisk {
    /// The file.
    pub(crate) there: FileOnDisk,
    /// The fingerprint that it should have; none while its frames are not whole.
    pub(crate) fingerprint: Option<String>,
    /// The frames that are not there or not whole.
    pub(crate) lacking: FrameSet,
}

impl MovieOnDisk {
    /// The state of the movie: one that is as recorded is stale all the same while its frames are not
    /// whole, for nobody can say whether it is made of today's.
    pub(crate) fn state(self) -> FileOnDisk {
        match self.there {
            FileOnDisk::Valid if !self.lacking.is_empty() => FileOnDisk::Stale,
            there => there,
        }
    }
}

/// Looks at a movie that is assembled. With `decode` it is proven although the ledger knows it.
pub(crate) fn look(
    movie: &Deliverable,
    ledger: &Ledger,
    decode: bool,
    folder: &Path,
) -> io::Result<MovieOnDisk> {
    let (hashes, lacking) = match source(movie) {
        Some(source) => MovieFrames::of(source, ledger)?.hashes(source)?,
        None => (Vec::new(), FrameSet::empty()),
    };
    let fingerprint = if lacking.is_empty() {
        Some(Fingerprints::of_movie(movie, &hashes)?)
    } else {
        None
    };
    let frame = movie.common.frames.shot.first().unwrap_or(0);
    let path = movie.path(frame);
    let file = Path::new(&path);
    let found = stamp(file)?;
    let record = ledger.published.get(&path);
    let is_as_recorded = record.is_some_and(|record| Some(record.stamp) == found);
    let flaw = || match proof::flaw(movie, file, folder) {
        Some(Flaw::Unverifiable(reason)) => {
            if movie.common.allows_unverifiable {
                None
            } else {
                Some(FileOnDisk::Unverifiable(reason))
            }
        }
        flaw => flaw.map(|flaw| FileOnDisk::Broken(flaw.to_string())),
    };
    let other_frames = |record: &KnownFile| {
        fingerprint.is_some() && record.fingerprint() != fingerprint.as_deref()
    };
    let there = match (found, record) {
        (None, _) => FileOnDisk::Missing,
        (Some(_), None) => flaw().unwrap_or(FileOnDisk::Unrecorded),
        (Some(_), Some(record)) if is_as_recorded && !decode => {
            if other_frames(record) {
                FileOnDisk::Stale
            } else {
                FileOnDisk::Valid
            }
        }
        (Some(found), Some(record)) => match flaw() {
            Some(FileOnDisk::Broken(flaw)) => FileOnDisk::Broken(flaw),
            _ if !has_content(file, &record.hash.to_string())? => {
                FileOnDisk::Changed(difference(record.stamp, found))
            }
            Some(flaw) => flaw,
            None if other_frames(record) => FileOnDisk::Stale,
            None if is_as_recorded => FileOnDisk::Valid,
            None => FileOnDisk::Touched,
        },
    };
    Ok(MovieOnDisk {
        there,
        fingerprint,
        lacking,
    })
}

/// The state of a movie by size and time, as `status` looks: the movie itself is not opened, and so
/// many of its frames at most as the ledger does not know. None where that is not enough to know.
pub(crate) fn look_briefly(
    movie: &Deliverable,
    ledger: &Ledger,
    most_unrecorded: usize,
) -> io::Result<Option<FileOnDisk>> {
    let path = movie.path(movie.common.frames.shot.first().unwrap_or(0));
    let record = match (stamp(Path::new(&path))?, ledger.published.get(&path)) {
        (None, _) => return Ok(Some(FileOnDisk::Missing)),
        (Some(_), None) => return Ok(None),
        (Some(found), Some(record)) if record.stamp != found => {
            return Ok(Some(FileOnDisk::Changed(difference(record.stamp, found))));
        }
        (Some(_), Some(record)) => record,
    };
    let (hashes, lacking) = match source(movie) {
        Some(source) => {
            let frames = MovieFrames::of(source, ledger)?;
            if frames.missing > 0 {
                return Ok(Some(FileOnDisk::Stale));
            }
            if frames.unrecorded > most_unrecorded {
                return Ok(None);
            }
            frames.hashes(source)?
        }
        None => (Vec::new(), FrameSet::empty()),
    };
    let is_of_these_frames = || -> io::Result<bool> {
        let today = Fingerprints::of_movie(movie, &hashes)?;
        Ok(record.fingerprint() == Some(today.as_str()))
    };
    Ok(Some(if lacking.is_empty() && is_of_these_frames()? {
        FileOnDisk::Valid
    } else {
        FileOnDisk::Stale
    }))
}

/// The sequence that a movie is assembled from.
fn source(movie: &Deliverable) -> Option<&Deliverable> {
    movie.movie().and_then(|one| one.source.as_deref())
}

/// What is there of the frames of a movie, by size and time.
#[derive(Default)]
struct MovieFrames {
    all: Vec<(Frame, FrameOnDisk)>,
    missing: usize,
    unrecorded: usize,
}

/// What is there of one frame, by size and time.
enum FrameOnDisk {
    /// As the ledger says, with the hash that it has.
    Recorded(String),
    Unrecorded,
    Missing,
}

impl MovieFrames {
    fn of(source: &Deliverable, ledger: &Ledger) -> io::Result<Self> {
        let seen = |frame: Frame| {
            let path = source.path(frame);
            let found = stamp(Path::new(&path))?;
            let record = ledger.published.get(&path);
            let seen = match record.filter(|record| Some(record.stamp) == found) {
                Some(record) => FrameOnDisk::Recorded(record.hash.to_string()),
                None if found.is_some() => FrameOnDisk::Unrecorded,
                None => FrameOnDisk::Missing,
            };
            Ok((frame, seen))
        };
        let all: Vec<Frame> = source.common.frames.shot.iter().collect();
        let all: io::Result<Vec<(Frame, FrameOnDisk)>> = all.into_par_iter().map(seen).collect();
        let all = all?;
        let count = |is: fn(&FrameOnDisk) -> bool| all.iter().filter(|(_, seen)| is(seen)).count();
        Ok(Self {
            missing: count(|seen| matches!(seen, FrameOnDisk::Missing)),
            unrecorded: count(|seen| matches!(seen, FrameOnDisk::Unrecorded)),
            all,
        })
    }

    /// The hashes of the frames, and the frames that are not there or not whole.
    fn hashes(self, source: &Deliverable) -> io::Result<(Vec<String>, FrameSet)> {
        let wanted = ExpectedPicture::from(source);
        let mut hashes = Vec::with_capacity(self.all.len());
        let mut lacking = Vec::new();
        for (frame, seen) in self.all {
            match seen {
                FrameOnDisk::Recorded(hash) => hashes.push(hash),
                FrameOnDisk::Missing => lacking.push(frame),
                FrameOnDisk::Unrecorded => {
                    let path = source.path(frame);
                    let file = Path::new(&path);
                    match verify(file, &wanted) {
                        Ok(_) => hashes.push(content_hash(file)?),
                        Err(_) => lacking.push(frame),
                    }
                }
            }
        }
        Ok((hashes, FrameSet::from_frames(lacking)))
    }
}
