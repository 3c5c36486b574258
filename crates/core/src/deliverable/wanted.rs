//! The files that a deliverable wants: one list for frames, stills, movies and files with layers alike. It costs as much as
//! the ranges of its frames; a path is expanded when somebody asks for it.

use super::Deliverable;
use crate::frames::{Frame, FrameSet};

/// Of a deliverable with more frames no file is looked at: a slip of the hand, or a stranger's trap. They are 23 hours at 24
/// frames per second.
pub const MOST_FRAMES: u64 = 2_000_000;
/// So many files are looked at in one call at most.
pub const MOST_FILES: u64 = 100_000_000;

/// A file that a deliverable wants.
#[derive(Debug, Clone, Copy)]
pub struct WantedFile<'d> {
    deliverable: &'d Deliverable,
    /// Its frame; of a still the one that it shows, of a movie the first.
    pub frame: Frame,
}

/// What a file is made from.
#[derive(Debug)]
pub enum MadeFrom<'d> {
    /// The scene, by the engine.
    Scene,
    /// The files of other deliverables: which, and which of their frames.
    Files(Vec<(&'d Deliverable, FrameSet)>),
}

/// The files that a deliverable wants of the chosen part of a job.
#[derive(Debug, Clone, Copy)]
pub struct WantedFiles<'d> {
    deliverable: &'d Deliverable,
}

impl Deliverable {
    /// The files that the chosen part of the job wants of it.
    #[must_use]
    pub fn files(&self) -> WantedFiles<'_> {
        WantedFiles { deliverable: self }
    }

    /// The file of one of its frames.
    #[must_use]
    pub fn file(&self, frame: Frame) -> WantedFile<'_> {
        WantedFile {
            deliverable: self,
            frame,
        }
    }

    /// What a path is to this deliverable: the file of a frame, wanted or not; none where the path is not one of its names.
    #[must_use]
    pub fn file_of_path(&self, path: &str) -> Option<WantedFile<'_>> {
        let frame = self.pattern.read(path)?;
        // The name of a movie or a still has no frame.
        let frame = frame.or_else(|| self.common.frames.files.value.first())?;
        Some(self.file(frame))
    }
}

impl<'d> WantedFile<'d> {
    /// The absolute path, with `/` between components.
    #[must_use]
    pub fn path(&self) -> String {
        self.deliverable.path(self.frame)
    }

    /// The deliverable that it belongs to.
    #[must_use]
    pub fn deliverable(&self) -> &'d Deliverable {
        self.deliverable
    }

    /// Whether the job as a whole wants it.
    #[must_use]
    pub fn is_wanted(&self) -> bool {
        let frames = &self.deliverable.common.frames.files.value;
        frames.contains(self.frame)
    }

    /// What it is made from.
    #[must_use]
    pub fn made_from(&self) -> MadeFrom<'d> {
        if self.deliverable.is_assembled() {
            MadeFrom::Files(self.deliverable.sources(self.frame))
        } else {
            MadeFrom::Scene
        }
    }
}

impl<'d> WantedFiles<'d> {
    /// How many there are.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.deliverable.common.frames.selected.count()
    }

    /// One after another, in the order of their frames.
    pub fn iter(&self) -> impl Iterator<Item = WantedFile<'d>> + use<'d> {
        let deliverable = self.deliverable;
        let frames = deliverable.common.frames.selected.iter();
        frames.map(move |frame| deliverable.file(frame))
    }
}
