//! Takes finished frames out of a staging folder: recognises them, verifies them, publishes them.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, Naming, Profile, learn};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::template::PathPattern;
use truepath_media::{Wanted, verify};

use crate::crash::point;
use crate::disk::{Stamp, hash_file, stamp};
use crate::ledger::Replaces;
use crate::proof;
use crate::publish::{Brought, Credits, PublishError, Published, Ready, record};
use crate::staging;

/// A staging folder and what is expected of it.
pub(crate) struct Field<'a> {
    pub(crate) staging: PathBuf,
    /// Index and deliverable, each with what is told of its files.
    pub(crate) crops: Vec<Crop<'a>>,
    pub(crate) frames: FrameSet,
    profile: &'a Profile,
}

/// One deliverable of a staging folder.
pub(crate) struct Crop<'a> {
    pub(crate) index: usize,
    pub(crate) deliverable: &'a Deliverable,
    pub(crate) credits: Credits,
    native: Option<PathPattern>,
    /// Frames that take the place of files that are there.
    pub(crate) replaces: BTreeMap<Frame, Replaces>,
    pub(crate) done: BTreeSet<Frame>,
    /// Frames that were found bad.
    flaws: BTreeMap<Frame, Flaw>,
}

impl Crop<'_> {
    /// Why frames were found bad.
    pub(crate) fn reasons(&self) -> BTreeMap<Frame, String> {
        let reason = |(frame, flaw): (&Frame, &Flaw)| (*frame, flaw.reason.clone());
        self.flaws.iter().map(reason).collect()
    }
}

/// What is wrong with a frame.
struct Flaw {
    reason: String,
    /// What its file was when that was found: an engine may go on with one that seemed to be finished.
    /// None where it is wrong whatever the file is.
    seen: Option<Stamp>,
}

/// When a file may be taken for finished.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum When<'a> {
    /// The engine says that this file is written.
    Told(&'a str),
    /// The engine has gone on to a later frame.
    Passed,
    /// The engine has ended.
    Ended,
}

/// Why a harvest had to be given up.
#[derive(Debug, thiserror::Error)]
pub(crate) enum HarvestError {
    #[error("{0}")]
    Disk(#[from] io::Error),
    #[error("{0}")]
    Learn(#[from] learn::LearnError),
    #[error("another run has taken this one for dead, and goes on in its place")]
    Fenced,
}

/// The name alone of a file that an engine tells of: it may tell its whole path.
fn name_of(told: &str) -> String {
    told.rsplit('/').next().unwrap_or(told).trim().to_owned()
}

/// A frame that got its true name.
pub(crate) struct Harvested {
    /// Index of the deliverable.
    pub(crate) deliverable: usize,
    /// The frame.
    pub(crate) frame: Frame,
    /// What it was called in the staging folder.
    pub(crate) staged: PathBuf,
    /// That it has its true name.
    pub(crate) brought: Brought,
}

/// What is wrong with a file that should get its true name.
fn flaw(deliverable: &Deliverable, file: &Path) -> Option<String> {
    if deliverable.movie().is_some() {
        return proof::flaw(deliverable, file, Path::new("/"));
    }
    let flaw = verify(file, &Wanted::from(deliverable)).err()?;
    Some(flaw.to_string())
}

impl<'a> Field<'a> {
    pub(crate) fn new(
        staging: PathBuf,
        members: Vec<(usize, &'a Deliverable, Credits)>,
        frames: FrameSet,
        profile: &'a Profile,
    ) -> Self {
        let name = staging.display().to_string();
        let deliverables: Vec<&Deliverable> = members.iter().map(|(_, one, _)| *one).collect();
        let call = Call {
            profile,
            deliverables: &deliverables,
            frames: &frames,
            staging: &name,
            prepared: None,
        };
        let crops = members
            .iter()
            .map(|(index, deliverable, credits)| Crop {
                index: *index,
                deliverable,
                credits: credits.clone(),
                // Checked before anything runs; without it nothing is recognised.
                native: call.native(deliverable).unwrap_or_default(),
                replaces: BTreeMap::new(),
                done: BTreeSet::new(),
                flaws: BTreeMap::new(),
            })
            .collect();
        Self {
            staging,
            crops,
            frames,
            profile,
        }
    }

    /// Whether files can be recognised before the engine has ended.
    pub(crate) fn is_predictable(&self) -> bool {
        matches!(self.profile.naming, Naming::Native(_)) || self.profile.writes.is_some()
    }

    /// Whether a file that an engine tells of is a frame that is still to come.
    pub(crate) fn expects(&self, told: &str) -> bool {
        let found = self.recognise(&[name_of(told)]).unwrap_or_default();
        let mut found = found.iter();
        found.any(|(_, crop, frame)| !self.crops[*crop].done.contains(frame))
    }

    /// Publishes what is finished.
    pub(crate) fn harvest(
        &mut self,
        publish: &dyn Fn(Vec<Ready>) -> Vec<Published>,
        when: When<'_>,
    ) -> Result<Vec<Harvested>, HarvestError> {
        let ripe = self.ripe(when)?;
        let files = ripe.iter().map(|(_, ready)| ready.clone()).collect();
        let mut harvested = Vec::new();
        for ((crop, ready), result) in ripe.into_iter().zip(publish(files)) {
            let known = &mut self.crops[crop];
            match result {
                Ok(brought) => {
                    known.done.insert(ready.frame);
                    harvested.push(Harvested {
                        deliverable: known.index,
                        frame: ready.frame,
                        staged: ready.staged,
                        brought,
                    });
                }
                Err(PublishError::Taken(path)) => {
                    let reason = format!("a file appeared under its name meanwhile: {path}");
                    known.flaws.insert(ready.frame, Flaw { reason, seen: None });
                }
                Err(PublishError::Fenced) => return Err(HarvestError::Fenced),
                Err(PublishError::Disk(error)) => return Err(error.into()),
            }
        }
        Ok(harvested)
    }

    /// What is finished and verified.
    fn ripe(&mut self, when: When<'_>) -> Result<Vec<(usize, Ready)>, HarvestError> {
        let files = match when {
            When::Told(file) => {
                let name = name_of(file);
                if self.staging.join(&name).is_file() {
                    vec![name]
                } else {
                    Vec::new()
                }
            }
            When::Passed | When::Ended => staging::files(&self.staging)?,
        };
        let mut found = self.recognise(&files)?;
        if when == When::Passed {
            let last = found.iter().map(|(_, _, frame)| *frame).max();
            found.retain(|(_, _, frame)| Some(*frame) < last);
        }
        let mut ripe = Vec::new();
        for (name, crop, frame) in found {
            let known = &self.crops[crop];
            let staged = self.staging.join(&name);
            let seen = stamp(&staged)?;
            let is_the_same = |flaw: &Flaw| flaw.seen.is_none_or(|then| Some(then) == seen);
            if known.done.contains(&frame) || known.flaws.get(&frame).is_some_and(is_the_same) {
                continue;
            }
            if when != When::Ended && staging::writers(&self.staging, Some(&name)) {
                continue;
            }
            point("complete");
            let known = &mut self.crops[crop];
            let to = PathBuf::from(known.deliverable.path(frame));
            if let Some(reason) = flaw(known.deliverable, &staged) {
                known.flaws.insert(frame, Flaw { reason, seen });
                continue;
            }
            known.flaws.remove(&frame);
            point("verified");
            let ready = Ready {
                record: record(&staged, &to, &known.credits)?,
                replaces: known.replaces.get(&frame).copied(),
                removed: None,
                staged,
                frame,
            };
            ripe.push((crop, ready));
        }
        Ok(ripe)
    }

    /// Files of the staging folder that stand under their true names already, byte for byte.
    pub(crate) fn twins(&self) -> io::Result<Vec<PathBuf>> {
        let files = staging::files(&self.staging)?;
        let mut twins = Vec::new();
        for (name, crop, frame) in self.recognise(&files).unwrap_or_default() {
            let staged = self.staging.join(name);
            let path = self.crops[crop].deliverable.path(frame);
            if let Ok(Some(there)) = stamp(Path::new(&path))
                && stamp(&staged)?.is_some_and(|own| own.size == there.size)
                && hash_file(&staged)? == hash_file(Path::new(&path))?
            {
                twins.push(staged);
            }
        }
        Ok(twins)
    }

    /// Whether all that it should bring has its true name.
    pub(crate) fn is_whole(&self) -> bool {
        let wanted = self.frames.count();
        self.crops
            .iter()
            .all(|crop| crop.done.len() as u64 == wanted)
    }

    /// Which file is which frame of which deliverable.
    fn recognise(&self, files: &[String]) -> Result<Vec<(String, usize, Frame)>, HarvestError> {
        if !self.is_predictable() {
            let wanted = self.still_wanted(0);
            let (_, name) = self.crops[0].deliverable.pattern.split();
            let found = learn::learn(files, &wanted, &|frame| name.path(frame))?;
            return Ok(found
                .into_iter()
                .map(|(file, frame)| (file, 0, frame))
                .collect());
        }
        let mut found = Vec::new();
        for file in files {
            for (index, crop) in self.crops.iter().enumerate() {
                if let Some(native) = &crop.native
                    && let Some(frame) = native.read(file)
                    && let Some(frame) = frame.or_else(|| self.frames.first())
                    && self.frames.contains(frame)
                {
                    found.push((file.clone(), index, frame));
                    break;
                }
            }
        }
        found.sort_by_key(|(_, crop, frame)| (*frame, *crop));
        Ok(found)
    }

    fn still_wanted(&self, crop: usize) -> FrameSet {
        let done = &self.crops[crop].done;
        FrameSet::from_frames(self.frames.iter().filter(|frame| !done.contains(frame)))
    }

    /// Frames of a crop that have not got their true names.
    pub(crate) fn missing(&self, crop: &Crop<'_>) -> FrameSet {
        FrameSet::from_frames(
            self.frames
                .iter()
                .filter(|frame| !crop.done.contains(frame)),
        )
    }
}
