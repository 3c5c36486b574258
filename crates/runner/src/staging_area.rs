//! A staging folder and the files that are expected in it: which file is which frame, which of them
//! are finished, and the way of the finished ones to their true names.
//!
//! A file is finished when it decodes whole as the picture that is wanted and its end is proven: the
//! engine named it as final, the engine has gone on to a later frame, or its process ended with success.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, Naming, Profile, learn};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::template::PathPattern;
use truepath_media::{Wanted, verify};

use crate::checkpoints;
use crate::crash::point;
use crate::disk::{Stamp, changed_at, hash_file, modified_at, stamp};
use crate::ledger::{How, Replaces};
use crate::proof;
use crate::publish::{Brought, Credits, PublishError, Published, Ready, record};
use crate::staging;

/// A staging folder and what is expected of it.
pub(crate) struct StagingArea<'a> {
    pub(crate) folder: PathBuf,
    pub(crate) outputs: Vec<ExpectedOutput<'a>>,
    pub(crate) frames: FrameSet,
    profile: &'a Profile,
    /// The last frame that the engine says to have begun.
    pub(crate) begun: Option<Frame>,
    /// The last frame that was published from here.
    published: Option<Frame>,
    /// The names of its checkpoints.
    checkpoints: Option<PathPattern>,
}

/// One deliverable whose files are expected in a staging folder.
pub(crate) struct ExpectedOutput<'a> {
    pub(crate) index: usize,
    pub(crate) deliverable: &'a Deliverable,
    pub(crate) credits: Credits,
    name: Option<PathPattern>,
    /// Frames that take the place of files that are there.
    pub(crate) replaces: BTreeMap<Frame, Replaces>,
    pub(crate) done: BTreeSet<Frame>,
    /// Frames that were found bad.
    pub(crate) flaws: BTreeMap<Frame, FrameFlaw>,
}

/// What is wrong with a frame.
#[derive(Debug, Clone)]
pub(crate) struct FrameFlaw {
    pub(crate) reason: String,
    /// Whether the picture is whole and of another kind than was asked for.
    pub(crate) is_wrong_kind: bool,
    /// What its file was when that was found: an engine may go on with one that seemed to be finished.
    /// None where it is wrong whatever the file is.
    seen: Option<Stamp>,
}

/// What proves that files are finished.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Evidence<'a> {
    /// Files that the engine named as final.
    pub(crate) named: &'a [String],
    /// Whether files count of which a later frame has begun: the engine works in order.
    pub(crate) in_order: bool,
    /// Whether the process ended by itself with success.
    pub(crate) success: bool,
}

/// A file that is recognised: its name, the index of its output, its frame.
pub(crate) type Found = (String, usize, Frame);

/// A picture that decodes and of which nothing proves that it is finished.
#[derive(Debug, Clone)]
pub(crate) struct UnprovenFile {
    pub(crate) file: PathBuf,
    /// The place of its deliverable among the outputs of its staging area.
    pub(crate) output: usize,
    pub(crate) frame: Frame,
    pub(crate) hash: String,
}

/// Why files cannot be collected.
#[derive(Debug, thiserror::Error)]
pub(crate) enum CollectError {
    #[error("{0}")]
    Disk(#[from] io::Error),
    #[error("{0}")]
    Learn(#[from] learn::LearnError),
    #[error("another run has taken this one for dead, and goes on in its place")]
    Fenced,
}

/// The name alone of a file that an engine names: it may give its whole path.
pub(crate) fn name_of(named: &str) -> String {
    named.rsplit('/').next().unwrap_or(named).trim().to_owned()
}

/// A frame that got its true name.
pub(crate) struct Collected {
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
fn flaw(deliverable: &Deliverable, file: &Path, seen: Option<Stamp>) -> Option<FrameFlaw> {
    if deliverable.movie().is_some() {
        let reason = proof::flaw(deliverable, file, Path::new("/"))?;
        return Some(FrameFlaw {
            reason,
            is_wrong_kind: false,
            seen,
        });
    }
    let flaw = verify(file, &Wanted::from(deliverable)).err()?;
    Some(FrameFlaw {
        reason: match flaw.fix() {
            Some(fix) => format!("{flaw}; {fix}"),
            None => flaw.to_string(),
        },
        is_wrong_kind: flaw.is_wrong_kind(),
        seen,
    })
}

impl<'a> StagingArea<'a> {
    pub(crate) fn new(
        folder: PathBuf,
        members: Vec<(usize, &'a Deliverable, Credits)>,
        frames: FrameSet,
        profile: &'a Profile,
    ) -> Self {
        let name = folder.display().to_string();
        let deliverables: Vec<&Deliverable> = members.iter().map(|(_, one, _)| *one).collect();
        let call = Call {
            profile,
            deliverables: &deliverables,
            frames: &frames,
            staging: &name,
            prepared: None,
        };
        let outputs = members
            .iter()
            .map(|(index, deliverable, credits)| ExpectedOutput {
                index: *index,
                deliverable,
                credits: credits.clone(),
                // Checked before anything runs; without it nothing is recognised.
                name: call.native(deliverable).unwrap_or_default(),
                replaces: BTreeMap::new(),
                done: BTreeSet::new(),
                flaws: BTreeMap::new(),
            })
            .collect();
        let checkpoints = profile
            .checkpoint
            .as_ref()
            .and_then(|checkpoint| checkpoints::names(checkpoint, &call));
        Self {
            folder,
            outputs,
            frames,
            profile,
            begun: None,
            published: None,
            checkpoints,
        }
    }

    /// Whether files can be recognised before the engine has ended.
    pub(crate) fn is_predictable(&self) -> bool {
        matches!(self.profile.naming, Naming::Native(_)) || self.profile.writes.is_some()
    }

    /// Whether a file that an engine names is a frame that is still to come.
    pub(crate) fn expects(&self, named: &str) -> bool {
        let found = self.recognise(&[name_of(named)]).unwrap_or_default();
        let mut found = found.iter();
        found.any(|(_, output, frame)| !self.outputs[*output].done.contains(frame))
    }

    /// Publishes what is finished; while the engine is at `work`, no file that is open for writing.
    pub(crate) fn collect(
        &mut self,
        publish: &dyn Fn(Vec<Ready>) -> Vec<Published>,
        evidence: Evidence<'_>,
        at_work: bool,
    ) -> Result<Vec<Collected>, CollectError> {
        let files = match (evidence.success || evidence.in_order, evidence.named) {
            // No need to list the folder.
            (false, [one]) if at_work => {
                let name = name_of(one);
                let is_there = self.folder.join(&name).is_file();
                is_there.then_some(name).into_iter().collect()
            }
            _ => staging::files(&self.folder)?,
        };
        let found = self.finished(&files, evidence)?;
        let ready = self.verified(found, at_work)?;
        self.publish(publish, ready)
    }

    /// Publishes those of some finished files that decode whole as what is wanted.
    pub(crate) fn collect_finished(
        &mut self,
        publish: &dyn Fn(Vec<Ready>) -> Vec<Published>,
        finished: Vec<Found>,
    ) -> Result<Vec<Collected>, CollectError> {
        let ready = self.verified(finished, false)?;
        self.publish(publish, ready)
    }

    /// Publishes files that are verified.
    fn publish(
        &mut self,
        publish: &dyn Fn(Vec<Ready>) -> Vec<Published>,
        ready: Vec<(usize, Ready)>,
    ) -> Result<Vec<Collected>, CollectError> {
        let files = ready.iter().map(|(_, ready)| ready.clone()).collect();
        let mut collected = Vec::new();
        for ((output, ready), result) in ready.into_iter().zip(publish(files)) {
            let known = &mut self.outputs[output];
            match result {
                Ok(brought) => {
                    known.done.insert(ready.frame);
                    self.published = self.published.max(Some(ready.frame));
                    collected.push(Collected {
                        deliverable: known.index,
                        frame: ready.frame,
                        staged: ready.staged,
                        brought,
                    });
                }
                Err(PublishError::Taken(path)) => {
                    let flaw = FrameFlaw {
                        reason: format!("a file appeared under its name meanwhile: {path}"),
                        is_wrong_kind: false,
                        seen: None,
                    };
                    known.flaws.insert(ready.frame, flaw);
                }
                Err(PublishError::Fenced) => return Err(CollectError::Fenced),
                Err(PublishError::Disk(error)) => return Err(error.into()),
            }
        }
        Ok(collected)
    }

    /// Those of some files whose end is proven.
    pub(crate) fn finished(
        &self,
        files: &[String],
        evidence: Evidence<'_>,
    ) -> Result<Vec<Found>, CollectError> {
        let mut found = self.recognise(files)?;
        if evidence.success {
            return Ok(found);
        }
        let passed = match evidence.in_order {
            true => self.passed(files, &found)?,
            false => BTreeSet::new(),
        };
        let named: BTreeSet<String> = evidence.named.iter().map(|name| name_of(name)).collect();
        found.retain(|(name, ..)| named.contains(name) || passed.contains(name));
        Ok(found)
    }

    /// Files of which a later frame has begun since they last changed: a later frame's picture or
    /// checkpoint changed after them, or the log says so.
    fn passed(&self, files: &[String], found: &[Found]) -> io::Result<BTreeSet<String>> {
        // What was moved here from where the engine writes has the time of the move.
        let time = match self.profile.writes {
            Some(_) => modified_at,
            None => changed_at,
        };
        let mut signs: Vec<(Frame, i128)> = Vec::new();
        let mut times: BTreeMap<&str, i128> = BTreeMap::new();
        for (name, _, frame) in found {
            if let Some(when) = time(&self.folder.join(name))? {
                signs.push((*frame, when));
                times.insert(name, when);
            }
        }
        if let Some(pattern) = &self.checkpoints {
            for name in files {
                if let Some(Some(frame)) = pattern.read(name)
                    && let Some(when) = time(&self.folder.join(name))?
                {
                    signs.push((frame, when));
                }
            }
        }
        let latest = self.begun.max(self.published);
        let passed = found.iter().filter(|(name, _, frame)| {
            let Some(changed) = times.get(name.as_str()) else {
                return false;
            };
            let mut later = signs.iter().filter(|(other, _)| other > frame);
            Some(*frame) < latest || later.any(|(_, when)| when > changed)
        });
        Ok(passed.map(|(name, ..)| name.clone()).collect())
    }

    /// Those of some finished files that decode whole as what is wanted; what is wrong with the others
    /// is kept.
    fn verified(
        &mut self,
        found: Vec<Found>,
        at_work: bool,
    ) -> Result<Vec<(usize, Ready)>, CollectError> {
        let mut ready = Vec::new();
        for (name, output, frame) in found {
            let known = &self.outputs[output];
            let staged = self.folder.join(&name);
            let Some(seen) = stamp(&staged)? else {
                continue;
            };
            let seen = Some(seen);
            let is_the_same = |flaw: &FrameFlaw| flaw.seen.is_none_or(|then| Some(then) == seen);
            if known.done.contains(&frame) || known.flaws.get(&frame).is_some_and(is_the_same) {
                continue;
            }
            if at_work && staging::writers(&self.folder, Some(&name)) {
                continue;
            }
            point("complete");
            let known = &mut self.outputs[output];
            if let Some(flaw) = flaw(known.deliverable, &staged, seen) {
                known.flaws.insert(frame, flaw);
                continue;
            }
            known.flaws.remove(&frame);
            point("verified");
            ready.push((output, known.ready(staged, frame, How::Rendered)?));
        }
        Ok(ready)
    }

    /// What is left after a process that did not end with success: pictures that decode and are not
    /// proven; what is wrong with the others is kept.
    pub(crate) fn unproven(&mut self) -> Result<Vec<UnprovenFile>, CollectError> {
        let files = staging::files(&self.folder)?;
        // Half a set of files may tell nothing.
        let found = self.recognise(&files).unwrap_or_default();
        let mut unproven = Vec::new();
        for (name, output, frame) in found {
            let known = &mut self.outputs[output];
            if known.done.contains(&frame) {
                continue;
            }
            let file = self.folder.join(&name);
            match flaw(known.deliverable, &file, stamp(&file)?) {
                Some(flaw) => {
                    known.flaws.insert(frame, flaw);
                }
                None => unproven.push(UnprovenFile {
                    hash: hash_file(&file)?,
                    file,
                    output,
                    frame,
                }),
            }
        }
        Ok(unproven)
    }

    /// Publishes unproven pictures because the user takes them as they are.
    pub(crate) fn accept(
        &mut self,
        publish: &dyn Fn(Vec<Ready>) -> Vec<Published>,
        unproven: Vec<UnprovenFile>,
    ) -> Result<Vec<Collected>, CollectError> {
        let mut ready = Vec::new();
        for one in unproven {
            let output = &self.outputs[one.output];
            ready.push((
                one.output,
                output.ready(one.file, one.frame, How::Accepted)?,
            ));
        }
        self.publish(publish, ready)
    }

    /// The last frame that the engine began, as far as it says so or its files show it.
    pub(crate) fn last_begun(&self) -> Option<Frame> {
        let files = staging::files(&self.folder).unwrap_or_default();
        let pictures = self.recognise(&files).unwrap_or_default();
        let pictures = pictures.iter().map(|(_, _, frame)| *frame);
        let checkpoints = files.iter().filter_map(|name| {
            let pattern = self.checkpoints.as_ref()?;
            pattern.read(name).flatten()
        });
        pictures.chain(checkpoints).max().max(self.begun)
    }

    /// Files that are recognised as frames and have no true name: folder and name, the place of the
    /// output, and the frame. Where names are learned, a picture of which the frame is not known
    /// stands for the first that is missing.
    pub(crate) fn left_over(&self) -> Vec<(PathBuf, usize, Frame)> {
        let files = staging::files(&self.folder).unwrap_or_default();
        let mut found = self.recognise(&files).unwrap_or_default();
        if !self.is_predictable() {
            let output = &self.outputs[0];
            let missing = self.missing(output);
            for file in &files {
                let extension = Path::new(file).extension().unwrap_or_default();
                let extensions = output.deliverable.picture.format.extensions;
                let is_picture = extensions.iter().any(|one| extension == *one);
                let is_known = found.iter().any(|(name, ..)| name == file);
                if let (true, false, Some(first)) = (is_picture, is_known, missing.first()) {
                    let frame = learn::numbers(file).find(|frame| missing.contains(*frame));
                    found.push((file.clone(), 0, frame.unwrap_or(first)));
                }
            }
        }
        found
            .into_iter()
            .map(|(name, output, frame)| (self.folder.join(name), output, frame))
            .collect()
    }

    /// Files of the staging folder that stand under their true names already, byte for byte.
    pub(crate) fn twins(&self) -> io::Result<Vec<PathBuf>> {
        let mut twins = Vec::new();
        for (staged, output, frame) in self.left_over() {
            let path = self.outputs[output].deliverable.path(frame);
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
        self.outputs
            .iter()
            .all(|output| output.done.len() as u64 == wanted)
    }

    /// Why all pictures so far are of another kind than is wanted, where that is so of three at least.
    pub(crate) fn wrong_kind(&self) -> Option<&str> {
        let is_done = |output: &ExpectedOutput<'_>| !output.done.is_empty();
        if self.outputs.iter().any(is_done) {
            return None;
        }
        let mut flaws = self.outputs.iter().flat_map(|output| output.flaws.values());
        let wrong = flaws.clone().filter(|flaw| flaw.is_wrong_kind).count();
        let is_all = wrong >= 3 && flaws.all(|flaw| flaw.is_wrong_kind);
        let first = self
            .outputs
            .iter()
            .find_map(|output| output.flaws.values().next());
        first.filter(|_| is_all).map(|flaw| flaw.reason.as_str())
    }

    /// Which file is which frame of which deliverable.
    fn recognise(&self, files: &[String]) -> Result<Vec<Found>, CollectError> {
        if !self.is_predictable() {
            let wanted = self.missing(&self.outputs[0]);
            let (_, name) = self.outputs[0].deliverable.pattern.split();
            let found = learn::learn(files, &wanted, &|frame| name.path(frame))?;
            return Ok(found
                .into_iter()
                .map(|(file, frame)| (file, 0, frame))
                .collect());
        }
        let mut found = Vec::new();
        for file in files {
            for (index, output) in self.outputs.iter().enumerate() {
                if let Some(name) = &output.name
                    && let Some(frame) = name.read(file)
                    && let Some(frame) = frame.or_else(|| self.frames.first())
                    && self.frames.contains(frame)
                {
                    found.push((file.clone(), index, frame));
                    break;
                }
            }
        }
        found.sort_by_key(|(_, output, frame)| (*frame, *output));
        Ok(found)
    }

    /// Frames of an output that have not got their true names.
    pub(crate) fn missing(&self, output: &ExpectedOutput<'_>) -> FrameSet {
        let frames = self.frames.iter();
        FrameSet::from_frames(frames.filter(|frame| !output.done.contains(frame)))
    }
}

impl ExpectedOutput<'_> {
    /// A verified file, ready to get its true name.
    fn ready(&self, staged: PathBuf, frame: Frame, how: How) -> io::Result<Ready> {
        let to = PathBuf::from(self.deliverable.path(frame));
        Ok(Ready {
            record: record(&staged, &to, &self.credits)?,
            replaces: self.replaces.get(&frame).copied(),
            removed: None,
            how,
            staged,
            frame,
        })
    }
}
