//! What is there of a movie, seen beside the frames that it is assembled from.

use std::io;
use std::path::Path;

use truepath_core::deliverable::Deliverable;
use truepath_media::Flaw;

use crate::disk::{has_content, stamp};
use crate::fingerprint::SourcesFingerprint;
use crate::inventory::{FileOnDisk, difference};
use crate::ledger::{Files, KnownFile};
use crate::proof;
use crate::sources::{LackingFiles, SourcesOnDisk};

/// What is there of a movie.
pub(crate) struct MovieOnDisk {
    /// The file.
    pub(crate) there: FileOnDisk,
    /// The fingerprint that it should have; none while its frames are not whole.
    pub(crate) fingerprint: Option<String>,
    /// The frames that are not there or not whole.
    pub(crate) lacking: LackingFiles,
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
    files: &Files,
    decode: bool,
    folder: &Path,
) -> io::Result<MovieOnDisk> {
    let frame = movie.common.frames.shot.first().unwrap_or(0);
    let sources = SourcesOnDisk::look(movie, frame, files)?;
    let (fingerprint, lacking) = match sources.fingerprint(|| SourcesFingerprint::of(movie))? {
        Ok(fingerprint) => (Some(fingerprint), LackingFiles::new()),
        Err(lacking) => (None, lacking),
    };
    let path = movie.path(frame);
    let file = Path::new(&path);
    let found = stamp(file)?;
    let record = files.get(&path);
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
    files: &Files,
    most_unrecorded: usize,
) -> io::Result<Option<FileOnDisk>> {
    let frame = movie.common.frames.shot.first().unwrap_or(0);
    let path = movie.path(frame);
    let record = match (stamp(Path::new(&path))?, files.get(&path)) {
        (None, _) => return Ok(Some(FileOnDisk::Missing)),
        (Some(_), None) => return Ok(None),
        (Some(found), Some(record)) if record.stamp != found => {
            return Ok(Some(FileOnDisk::Changed(difference(record.stamp, found))));
        }
        (Some(_), Some(record)) => record,
    };
    let sources = SourcesOnDisk::look(movie, frame, files)?;
    if sources.missing() > 0 {
        return Ok(Some(FileOnDisk::Stale));
    }
    if sources.unrecorded() > most_unrecorded {
        return Ok(None);
    }
    let today = sources.fingerprint(|| SourcesFingerprint::of(movie))?;
    Ok(Some(match today {
        Ok(today) if record.fingerprint() == Some(&today) => FileOnDisk::Valid,
        _ => FileOnDisk::Stale,
    }))
}
