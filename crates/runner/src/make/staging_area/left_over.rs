//! What is left in a staging folder after a process: pictures that are not proven, copies, and how far
//! the engine got.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::command::learn;
use truepath_core::frames::Frame;

use super::{CollectError, FileContent, Harvest, StagingArea, verified};
use crate::disk::{content_hash, has_content, stamp};
use crate::make::publish::{PublishResult, VerifiedFile};
use crate::make::staging;
use crate::record::ledger::FileOrigin;

/// A picture that decodes and of which nothing proves that it is finished.
#[derive(Debug, Clone)]
pub(crate) struct UnprovenFile {
    pub(crate) file: PathBuf,
    /// The place of its deliverable among the outputs of its staging area.
    pub(crate) output: usize,
    pub(crate) frame: Frame,
    pub(crate) content: FileContent,
}

impl StagingArea<'_> {
    /// What is left after a process that did not end with success: pictures that decode and are not
    /// proven; what is wrong with the others is kept.
    pub(crate) fn unproven(&mut self) -> Result<Vec<UnprovenFile>, CollectError> {
        let files = staging::files(&self.folder)?;
        // Half a set of files may show nothing.
        let found = self.recognise(&files).unwrap_or_default();
        let mut unproven = Vec::new();
        for (name, output, frame) in found {
            let known = &mut self.outputs[output];
            if known.done.contains(&frame) {
                continue;
            }
            let file = self.folder.join(&name);
            match verified(known.deliverable, &file, stamp(&file)?) {
                Err(flaw) => {
                    known.flaws.insert(frame, flaw);
                }
                Ok(content) => unproven.push(UnprovenFile {
                    content,
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
        publish: &dyn Fn(Vec<VerifiedFile>) -> Vec<PublishResult>,
        unproven: Vec<UnprovenFile>,
    ) -> Result<Harvest, CollectError> {
        let mut ready = Vec::new();
        for one in unproven {
            let output = &self.outputs[one.output];
            ready.push((
                one.output,
                output.ready(one.file, one.frame, FileOrigin::Accepted, one.content, None)?,
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

    /// Files of frames that are rendered besides.
    pub(crate) fn besides_left_over(&self) -> Vec<PathBuf> {
        let all = self.all_left_over().into_iter();
        all.filter(|(_, output, frame)| self.outputs[*output].besides.contains(*frame))
            .map(|(file, ..)| file)
            .collect()
    }

    /// Files of wanted frames that are recognised and have no true name: folder and name, the place of the output,
    /// and the frame.
    pub(crate) fn left_over(&self) -> Vec<(PathBuf, usize, Frame)> {
        let mut all = self.all_left_over();
        all.retain(|(_, output, frame)| !self.outputs[*output].besides.contains(*frame));
        all
    }

    /// Files that are recognised as frames and have no true name: folder and name, the place of the
    /// output, and the frame. Where names are learned, a picture of which the frame is not known
    /// stands for the first that is missing.
    fn all_left_over(&self) -> Vec<(PathBuf, usize, Frame)> {
        let files = staging::files(&self.folder).unwrap_or_default();
        let mut found = self.recognise(&files).unwrap_or_default();
        if !self.is_predictable() {
            let output = &self.outputs[0];
            let missing = self.missing(output);
            let (_, name) = output.deliverable.pattern.split();
            let target = learn::target_name(&name, &self.frames);
            for file in &files {
                let extension = Path::new(file).extension().unwrap_or_default();
                let extensions = output.deliverable.picture.format.extensions;
                let is_picture = extensions.iter().any(|one| extension == *one);
                let is_known = found.iter().any(|(name, ..)| name == file);
                if let (true, false, Some(first)) = (is_picture, is_known, missing.first()) {
                    let frame =
                        learn::numbers(file, &target).find(|frame| missing.contains(*frame));
                    found.push((file.clone(), 0, frame.unwrap_or(first)));
                }
            }
        }
        found
            .into_iter()
            .map(|(name, output, frame)| (self.folder.join(name), output, frame))
            .collect()
    }

    /// Files of frames that were published from here and that the engine has written again since, with other bytes.
    pub(crate) fn written_again(&self) -> io::Result<Vec<(PathBuf, usize, Frame)>> {
        if !self.is_predictable() {
            return Ok(Vec::new());
        }
        let twins = self.twins()?;
        let mut files = self.left_over();
        files.retain(|(staged, output, frame)| {
            self.outputs[*output].done.contains(frame) && !twins.contains(staged)
        });
        Ok(files)
    }

    /// Files of the staging folder that stand under their true names already, byte for byte.
    pub(crate) fn twins(&self) -> io::Result<Vec<PathBuf>> {
        let mut twins = Vec::new();
        for (staged, output, frame) in self.left_over() {
            let path = self.outputs[output].deliverable.path(frame);
            if let Ok(Some(there)) = stamp(Path::new(&path))
                && stamp(&staged)?.is_some_and(|own| own.size == there.size)
                && has_content(&staged, &content_hash(Path::new(&path))?)?
            {
                twins.push(staged);
            }
        }
        Ok(twins)
    }
}
