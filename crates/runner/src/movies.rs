//! What is there of a movie, seen beside the frames that it is put together from.

use std::io;
use std::path::Path;

use rayon::prelude::*;
use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{Flaw, Wanted, verify};

use crate::disk::{hash_file, stamp};
use crate::fingerprint::Fingerprints;
use crate::inventory::{There, difference};
use crate::ledger::{KnownFile, Ledger};
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
        Some(Flaw::Unverifiable(reason)) => match movie.common.allows_unverifiable {
            true => None,
            false => Some(There::Unverifiable(reason)),
        },
        flaw => flaw.map(|flaw| There::Broken(flaw.to_string())),
    };
    let other_frames = |record: &KnownFile| {
        fingerprint.is_some() && record.fingerprint() != fingerprint.as_deref()
    };
    let there = match (found, record) {
        (None, _) => There::Missing,
        (Some(_), None) => flaw().unwrap_or(There::Unrecorded),
        (Some(_), Some(record)) if is_as_recorded && !decode => match other_frames(record) {
            true => There::Stale,
            false => There::Valid,
        },
        (Some(found), Some(record)) => match flaw() {
            Some(There::Broken(flaw)) => There::Broken(flaw),
            _ if hash_file(file)? != record.hash.to_string() => {
                There::Changed(difference(record.stamp, found))
            }
            Some(flaw) => flaw,
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

/// The state of a movie by size and time, as `status` looks: the movie itself is not opened, and so
/// many of its frames at most as the ledger does not know. None where that is not enough to tell.
pub(crate) fn look_briefly(
    movie: &Deliverable,
    ledger: &Ledger,
    most_unrecorded: usize,
) -> io::Result<Option<There>> {
    let path = movie.path(movie.common.frames.shot.first().unwrap_or(0));
    let record = match (stamp(Path::new(&path))?, ledger.published.get(&path)) {
        (None, _) => return Ok(Some(There::Missing)),
        (Some(_), None) => return Ok(None),
        (Some(found), Some(record)) if record.stamp != found => {
            return Ok(Some(There::Changed(difference(record.stamp, found))));
        }
        (Some(_), Some(record)) => record,
    };
    let (hashes, lacking) = match source(movie) {
        Some(source) => {
            let frames = MovieFrames::of(source, ledger)?;
            if frames.missing > 0 {
                return Ok(Some(There::Stale));
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
    Ok(Some(match lacking.is_empty() && is_of_these_frames()? {
        true => There::Valid,
        false => There::Stale,
    }))
}

/// The sequence that a movie is put together from.
fn source(movie: &Deliverable) -> Option<&Deliverable> {
    movie.movie().and_then(|one| one.source.as_deref())
}

/// What is there of the frames of a movie, by size and time.
#[derive(Default)]
struct MovieFrames {
    all: Vec<(Frame, MovieSeen)>,
    missing: usize,
    unrecorded: usize,
}

/// What is there of one frame, by size and time.
enum MovieSeen {
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
                Some(record) => MovieSeen::Recorded(record.hash.to_string()),
                None if found.is_some() => MovieSeen::Unrecorded,
                None => MovieSeen::Missing,
            };
            Ok((frame, seen))
        };
        let all: Vec<Frame> = source.common.frames.shot.iter().collect();
        let all: io::Result<Vec<(Frame, MovieSeen)>> = all.into_par_iter().map(seen).collect();
        let all = all?;
        let count = |is: fn(&MovieSeen) -> bool| all.iter().filter(|(_, seen)| is(seen)).count();
        Ok(Self {
            missing: count(|seen| matches!(seen, MovieSeen::Missing)),
            unrecorded: count(|seen| matches!(seen, MovieSeen::Unrecorded)),
            all,
        })
    }

    /// The hashes of the frames, and the frames that are not there or not whole.
    fn hashes(self, source: &Deliverable) -> io::Result<(Vec<String>, FrameSet)> {
        let wanted = Wanted::from(source);
        let mut hashes = Vec::with_capacity(self.all.len());
        let mut lacking = Vec::new();
        for (frame, seen) in self.all {
            match seen {
                MovieSeen::Recorded(hash) => hashes.push(hash),
                MovieSeen::Missing => lacking.push(frame),
                MovieSeen::Unrecorded => {
                    let path = source.path(frame);
                    let file = Path::new(&path);
                    match verify(file, &wanted) {
                        Ok(_) => hashes.push(hash_file(file)?),
                        Err(_) => lacking.push(frame),
                    }
                }
            }
        }
        Ok((hashes, FrameSet::from_frames(lacking)))
    }
}
