//! What is there of a movie, seen beside the frames that it is put together from.

use std::io;
use std::path::Path;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::FrameSet;
use truepath_media::{Wanted, verify};

use crate::disk::{hash_file, stamp};
use crate::fingerprint::Fingerprints;
use crate::inventory::There;
use crate::ledger::{Known, Ledger};
use crate::proof;

/// What is there of a movie.
pub(crate) struct MovieThere {
    /// The file.
    pub(crate) there: There,
    /// The fingerprint that it should have; none while its frames are not whole.
    pub(crate) fingerprint: Option<String>,
    /// The frames that are not there or not whole.
    pub(crate) lacking: FrameSet,
}

impl MovieThere {
    /// The state of the movie: one that is as recorded is stale all the same while its frames are not
    /// whole, for nobody can tell whether it is made of today's.
    pub(crate) fn state(self) -> There {
        match self.there {
            There::Valid if !self.lacking.is_empty() => There::Stale,
            there => there,
        }
    }
}

/// Looks at a movie that is put together. With `decode` it is proven although the ledger knows it.
pub(crate) fn look(
    movie: &Deliverable,
    ledger: &Ledger,
    decode: bool,
    folder: &Path,
) -> io::Result<MovieThere> {
    let (hashes, lacking) = match movie.movie().and_then(|one| one.source.as_deref()) {
        Some(source) => hashes(source, ledger)?,
        None => (Vec::new(), FrameSet::empty()),
    };
    let fingerprint = if lacking.is_empty() {
        Some(Fingerprints::of_movie(movie, &hashes)?)
    } else {
        None
    };
    let frame = movie.common.clip.first().unwrap_or(0);
    let path = movie.path(frame);
    let file = Path::new(&path);
    let found = stamp(file)?;
    let record = ledger.published.get(&path);
    let is_as_recorded = record.is_some_and(|record| Some(record.stamp) == found);
    let flaw = || proof::flaw(movie, file, folder);
    let other_frames =
        |record: &Known| fingerprint.is_some() && record.fingerprint() != fingerprint.as_deref();
    let there = match (found, record) {
        (None, _) => There::Missing,
        (Some(_), None) => flaw().map_or(There::Unrecorded, There::Broken),
        (Some(_), Some(record)) if is_as_recorded && !decode => match other_frames(record) {
            true => There::Stale,
            false => There::Valid,
        },
        (Some(_), Some(record)) => match flaw() {
            Some(flaw) => There::Broken(flaw),
            None if hash_file(file)? != record.hash.to_string() => There::Changed,
            None if other_frames(record) => There::Stale,
            None if is_as_recorded => There::Valid,
            None => There::Touched,
        },
    };
    Ok(MovieThere {
        there,
        fingerprint,
        lacking,
    })
}

/// The hashes of the frames of a sequence, and the frames that are not there or not whole.
fn hashes(source: &Deliverable, ledger: &Ledger) -> io::Result<(Vec<String>, FrameSet)> {
    let wanted = Wanted::from(source);
    let mut hashes = Vec::new();
    let mut lacking = Vec::new();
    for frame in source.common.clip.iter() {
        let path = source.path(frame);
        let file = Path::new(&path);
        let found = stamp(file)?;
        let record = ledger.published.get(&path);
        match record.filter(|record| Some(record.stamp) == found) {
            Some(record) => hashes.push(record.hash.to_string()),
            None if found.is_some() && verify(file, &wanted).is_ok() => {
                hashes.push(hash_file(file)?);
            }
            None => lacking.push(frame),
        }
    }
    Ok((hashes, FrameSet::from_frames(lacking)))
}
