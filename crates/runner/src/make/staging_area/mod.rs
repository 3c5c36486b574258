//! A staging folder and the files that are expected in it: which file is which frame, which of them
//! are finished, and the way of the finished ones to their true names.
//!
//! A file is finished when it decodes whole as the picture that is wanted and its end is proven: the
//! engine named it as final, the engine has gone on to a later frame, or its process ended with success.

mod evidence;
mod left_over;
#[cfg(test)]
mod tests;

pub(crate) use evidence::Evidence;

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{Invocation, learn};
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::{PictureKind, PictureMeasure, RenderedSamples};
use truepath_core::profile::{LogKind, Profile};
use truepath_core::template::PathPattern;
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine};

use crate::disk::{Stamp, content_hash, recorded};
use crate::look::proof;
use crate::make::checkpoints;
use crate::make::publish::{
    Provenance, PublishError, PublishResult, PublishedFile, VerifiedFile, record_with,
};
use crate::make::staging;
use crate::record::ledger::{FileOrigin, Replaces};

/// A staging folder and what is expected of it.
pub(crate) struct StagingArea<'a> {
    pub(crate) folder: PathBuf,
    pub(crate) outputs: Vec<ExpectedOutput<'a>>,
    pub(crate) frames: FrameSet,
    profile: &'a Profile,
    /// The last frame that the engine says to have begun.
    pub(crate) begun: Option<Frame>,
    /// The samples that the engine reports of frames that it is at.
    samples: BTreeMap<Frame, RenderedSamples>,
    /// The first error that the engine reports of frames that it is at.
    errors: BTreeMap<Frame, String>,
    /// The last frame that was published from here.
    published: Option<Frame>,
    /// The names of its checkpoints.
    checkpoints: Option<PathPattern>,
}

/// One deliverable whose files are expected in a staging folder.
pub(crate) struct ExpectedOutput<'a> {
    pub(crate) index: DeliverableId,
    pub(crate) deliverable: &'a Deliverable,
    pub(crate) provenance: Provenance,
    name: Option<PathPattern>,
    /// Frames that take the place of files that are there.
    pub(crate) replaces: BTreeMap<Frame, Replaces>,
    /// Frames that are rendered besides, and thrown away.
    pub(crate) besides: FrameSet,
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

/// A file that is recognised: its name, the index of its output, its frame.
pub(crate) type FoundFile = (String, usize, Frame);

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

/// A frame that was rendered besides: its picture is whole, and nobody wants it.
pub(crate) struct RenderedBesides {
    /// Index of the deliverable.
    pub(crate) deliverable: DeliverableId,
    /// The frame.
    pub(crate) frame: Frame,
    /// The picture.
    pub(crate) staged: PathBuf,
}

/// What was taken out of a staging folder.
#[derive(Default)]
pub(crate) struct Harvest {
    /// Frames that got their true names.
    pub(crate) collected: Vec<Collected>,
    /// Pictures that are to be thrown away.
    pub(crate) besides: Vec<RenderedBesides>,
}

/// A frame that got its true name.
pub(crate) struct Collected {
    /// Index of the deliverable.
    pub(crate) deliverable: DeliverableId,
    /// The frame.
    pub(crate) frame: Frame,
    /// What it was called in the staging folder.
    pub(crate) staged: PathBuf,
    /// That it has its true name.
    pub(crate) brought: PublishedFile,
}

impl FileContent {
    /// The hash of its bytes, as ledgers record it.
    pub(crate) fn hash(&self) -> &str {
        &self.hash
    }
}

/// What is learned of a picture before it gets its true name, in one pass over its bytes.
const EXAMINED: ExamineOptions<'_> = ExamineOptions {
    hashes: &[HashKind::Blake3],
    measure: true,
};

impl FrameFlaw {
    /// Of a file that a process still writes although its engine has ended.
    fn still_written(seen: Option<Stamp>) -> Self {
        Self {
            reason: "a process still has the file open for writing, after the end of the engine"
                .to_owned(),
            is_wrong_kind: false,
            seen,
        }
    }

    /// Of a picture of whose frame the engine has reported an error.
    fn reported(error: &str, seen: Option<Stamp>) -> Self {
        Self {
            reason: format!("the engine reported an error: {error}"),
            is_wrong_kind: false,
            seen,
        }
    }
}

/// What is known of a file that should get its true name.
#[derive(Debug, Clone)]
pub(crate) struct FileContent {
    /// The hash of its bytes, as ledgers record it.
    hash: String,
    /// What the picture shows.
    picture: Option<PictureMeasure>,
    /// Its size, channels and bits, of a picture.
    kind: Option<PictureKind>,
    /// Why this program cannot decode it, if it cannot.
    unverifiable: Option<String>,
    /// The program that proved a movie.
    proven_by: Option<String>,
}

/// What a file holds that should get its true name, or what is wrong with it.
fn verified(
    deliverable: &Deliverable,
    file: &Path,
    seen: Option<Stamp>,
) -> Result<FileContent, FrameFlaw> {
    let content = |hash: io::Result<String>| match hash {
        Ok(hash) => Ok(FileContent {
            hash,
            picture: None,
            kind: None,
            unverifiable: None,
            proven_by: None,
        }),
        Err(error) => Err(Flaw::from(error)),
    };
    let found = if deliverable.movie().is_some() {
        let proven = match proof::prove(deliverable, file, Path::new("/")) {
            Ok(proven_by) => Ok((proven_by, None)),
            Err(Flaw::Unverifiable(reason)) => Ok((None, Some(reason))),
            Err(flaw) => Err(flaw),
        };
        proven.and_then(|(proven_by, unverifiable)| {
            let content = content(content_hash(file))?;
            Ok(FileContent {
                unverifiable,
                proven_by,
                ..content
            })
        })
    } else {
        let seen = examine(file, &ExpectedPicture::from(deliverable), EXAMINED);
        let hash = || match &seen.hashes {
            Some(digits) => Ok(recorded(HashKind::Blake3, &digits.concat())),
            None => content_hash(file),
        };
        match seen.facts {
            Ok(facts) => content(hash()).map(|content| FileContent {
                picture: seen.measure,
                kind: Some(facts.kind()),
                ..content
            }),
            Err(Flaw::Unverifiable(reason)) => content(hash()).map(|content| FileContent {
                unverifiable: Some(reason),
                ..content
            }),
            Err(flaw) => Err(flaw),
        }
    };
    // What is taken from another file stays as it is.
    let source = deliverable.layer_sources.first();
    let source = source.map(|one| one.deliverable.common.names.output.as_str());
    let writer = source.map_or_else(|| "the renderer".to_owned(), |from| format!("`{from}`"));
    match found {
        Ok(content) => Ok(content),
        Err(flaw) => Err(FrameFlaw {
            reason: match flaw.fix(&writer) {
                Some(fix) => format!("{flaw}; {fix}"),
                None => flaw.to_string(),
            },
            is_wrong_kind: flaw.is_wrong_kind(),
            seen,
        }),
    }
}

impl<'a> StagingArea<'a> {
    pub(crate) fn new(
        folder: PathBuf,
        members: &AtLeastOne<(DeliverableId, &'a Deliverable, Provenance)>,
        frames: FrameSet,
        profile: &'a Profile,
    ) -> Self {
        let name = folder.display().to_string();
        let deliverables = members.map(|(_, one, _)| *one);
        let invocation = Invocation {
            profile,
            deliverables: &deliverables,
            frames: &frames,
            staging: &name,
            prepared: None,
            threads: None,
        };
        let outputs = members
            .iter()
            .map(|(index, deliverable, provenance)| ExpectedOutput {
                index: *index,
                deliverable,
                provenance: provenance.clone(),
                // Checked before anything runs; without it nothing is recognised.
                name: invocation.output_name(deliverable).unwrap_or_default(),
                replaces: BTreeMap::new(),
                besides: FrameSet::empty(),
                done: BTreeSet::new(),
                flaws: BTreeMap::new(),
            })
            .collect();
        let checkpoints = profile
            .checkpoint
            .as_ref()
            .and_then(|checkpoint| checkpoints::names(checkpoint, &invocation));
        Self {
            folder,
            outputs,
            frames,
            profile,
            begun: None,
            samples: BTreeMap::new(),
            errors: BTreeMap::new(),
            published: None,
            checkpoints,
        }
    }

    /// The engine reports how many samples the frame has that it is at: the one that was begun last, or the only one.
    pub(crate) fn got(&mut self, samples: RenderedSamples) {
        if let Some(frame) = self.begun.or_else(|| self.only_frame()) {
            self.samples.insert(frame, samples);
        }
    }

    /// The engine reports an error of the frame that it is at: the one that was begun last, or the first that is missing.
    pub(crate) fn failed(&mut self, error: &str) {
        let next = || {
            let missing = self.outputs.iter().map(|output| self.missing(output));
            missing.filter_map(|frames| frames.first()).min()
        };
        if let Some(frame) = self.begun.or_else(next) {
            let known = self.errors.entry(frame);
            known.or_insert_with(|| error.to_owned());
        }
    }

    fn only_frame(&self) -> Option<Frame> {
        self.frames.first().filter(|_| self.frames.count() == 1)
    }

    /// The samples and errors of frames that a log reports that was read before.
    pub(crate) fn heard_before(
        &mut self,
        samples: BTreeMap<Frame, RenderedSamples>,
        errors: BTreeMap<Frame, String>,
    ) {
        self.samples.extend(samples);
        self.errors.extend(errors);
    }

    /// Whether the log of its engine reports how many samples frames have.
    fn reports_samples(&self) -> bool {
        let mut patterns = self.profile.log.iter();
        patterns.any(|pattern| pattern.kind == LogKind::Samples)
    }

    /// The profile of the engine that writes in it.
    pub(crate) fn profile(&self) -> &'a Profile {
        self.profile
    }

    /// Whether files can be recognised before the engine has ended.
    pub(crate) fn is_predictable(&self) -> bool {
        self.profile.is_predictable()
    }

    /// Whether a file that an engine names is a frame that is still to come.
    pub(crate) fn expects(&self, named: &str) -> bool {
        self.deliverable_of(&name_of(named)).is_some()
    }

    /// What a file is a frame of that is still to come.
    pub(crate) fn deliverable_of(&self, name: &str) -> Option<&'a Deliverable> {
        let found = self.recognise(&[name.to_owned()]).unwrap_or_default();
        let mut found = found.iter();
        let (_, output, _) =
            found.find(|(_, output, frame)| !self.outputs[*output].done.contains(frame))?;
        Some(self.outputs[*output].deliverable)
    }

    /// Publishes what is finished; while the engine is at `work`, no file that is open for writing.
    pub(crate) fn collect(
        &mut self,
        publish: &dyn Fn(Vec<VerifiedFile>) -> Vec<PublishResult>,
        evidence: Evidence<'_>,
        at_work: bool,
    ) -> Result<Harvest, CollectError> {
        let ready = self.ready_files(evidence, at_work)?;
        self.publish(publish, ready)
    }

    /// What is finished and decodes whole as what is wanted, ready to get its true name.
    pub(crate) fn ready_files(
        &mut self,
        evidence: Evidence<'_>,
        at_work: bool,
    ) -> Result<Vec<(usize, VerifiedFile)>, CollectError> {
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
        self.verified(found, at_work)
    }

    /// Publishes those of some finished files that decode whole as what is wanted.
    pub(crate) fn collect_finished(
        &mut self,
        publish: &dyn Fn(Vec<VerifiedFile>) -> Vec<PublishResult>,
        finished: Vec<FoundFile>,
    ) -> Result<Harvest, CollectError> {
        let ready = self.verified(finished, false)?;
        self.publish(publish, ready)
    }

    /// Publishes files that are verified.
    pub(crate) fn publish(
        &mut self,
        publish: &dyn Fn(Vec<VerifiedFile>) -> Vec<PublishResult>,
        mut ready: Vec<(usize, VerifiedFile)>,
    ) -> Result<Harvest, CollectError> {
        let besides = self.take_besides(&mut ready);
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
        Ok(Harvest { collected, besides })
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
    fn recognise(&self, files: &[String]) -> Result<Vec<FoundFile>, CollectError> {
        if !self.is_predictable() {
            let wanted = self.missing(&self.outputs[0]);
            let (_, name) = self.outputs[0].deliverable.pattern.split();
            let target = learn::target_name(&name, &self.frames);
            let found = learn::learn(files, &wanted, &target, &|frame| name.path(frame))?;
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

    /// Frames of an output that have not come.
    pub(crate) fn missing(&self, output: &ExpectedOutput<'_>) -> FrameSet {
        let frames = self.frames.iter();
        FrameSet::from_frames(frames.filter(|frame| !output.done.contains(frame)))
    }

    /// Frames of an output that are wanted and have not got their true names.
    pub(crate) fn wanted(&self, output: &ExpectedOutput<'_>) -> FrameSet {
        let missing = self.missing(output);
        match output.besides.is_empty() {
            true => missing,
            false => missing.difference(&output.besides).unwrap_or(missing),
        }
    }

    /// Takes those of some verified files away that are rendered besides; gives where they are.
    fn take_besides(&mut self, ready: &mut Vec<(usize, VerifiedFile)>) -> Vec<RenderedBesides> {
        let mut besides = Vec::new();
        ready.retain(|(output, file)| {
            let known = &mut self.outputs[*output];
            let is_besides = known.besides.contains(file.frame);
            if is_besides {
                known.done.insert(file.frame);
                self.published = self.published.max(Some(file.frame));
                besides.push(RenderedBesides {
                    deliverable: known.index,
                    frame: file.frame,
                    staged: file.staged.clone(),
                });
            }
            !is_besides
        });
        besides
    }
}

impl ExpectedOutput<'_> {
    /// A verified file, ready to get its true name.
    fn ready(
        &self,
        staged: PathBuf,
        frame: Frame,
        how: FileOrigin,
        content: FileContent,
        samples: Option<RenderedSamples>,
    ) -> io::Result<VerifiedFile> {
        let to = PathBuf::from(self.deliverable.path(frame));
        let mut record = record_with(&staged, &to, &self.provenance, content.hash)?;
        record.unverifiable = content.unverifiable;
        record.proven_by = content.proven_by;
        record.kind = content.kind;
        record.picture = content.picture;
        record.samples = samples;
        Ok(VerifiedFile {
            record,
            replaces: self.replaces.get(&frame).copied(),
            removed_hash: None,
            how,
            staged,
            frame,
        })
    }
}
