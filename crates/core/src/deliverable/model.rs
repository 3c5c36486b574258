//! What a deliverable is.

use std::sync::Arc;

use super::{Common, Movie, Picture, Plane};
use crate::frames::{Frame, FrameSet};
use crate::job::{PlacedText, Setting, Value};
use crate::picture::Holds;
use crate::source::Place;
use crate::template::{PathPattern, Template};

/// A sequence of files, a still or a movie: one output of one shot, variant, view and camera.
#[derive(Debug, Clone)]
pub struct Deliverable {
    /// Which of these it is.
    pub kind: DeliverableKind,
    /// What it shares with its neighbours.
    pub common: Arc<Common>,
    /// The pass, when one is asked for by name; of several passes in a file the file's name.
    pub pass: Option<PlacedText>,
    /// What each of its files holds: one picture, or several passes and views of it.
    pub planes: Arc<[Plane]>,
    /// What its pictures must be.
    pub picture: Picture,
    /// Settings for the engine.
    pub settings: Arc<[(String, PlacedText)]>,
    /// The template that made its paths.
    pub template: Arc<PathTemplate>,
    /// Its paths; absolute, with `/` between components.
    pub pattern: PathPattern,
    /// The folder that its paths may not leave.
    pub root: Arc<str>,
}

/// What a deliverable is.
#[derive(Debug, Clone)]
pub enum DeliverableKind {
    /// A file a frame.
    Sequence,
    /// One picture under a name of its own.
    Still,
    /// One file of all frames.
    Movie(Arc<Movie>),
}

impl PartialEq for DeliverableKind {
    /// Whether two are of one kind.
    fn eq(&self, other: &Self) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other)
    }
}

/// A path template with its place in the job.
#[derive(Debug, Clone)]
pub struct PathTemplate {
    /// The template.
    pub template: Template,
    /// Where it was written.
    pub place: Place,
    /// The length of its text, in bytes.
    pub length: usize,
}

impl PathTemplate {
    /// The template that a setting holds.
    pub(super) fn of_setting(setting: &Setting) -> Option<Self> {
        match &setting.value.value {
            Value::Template(template, length) => Some(Self {
                template: template.clone(),
                place: setting.value.place.clone(),
                length: *length,
            }),
            _ => None,
        }
    }
}

impl Deliverable {
    /// The movie, if it is one.
    #[must_use]
    pub fn movie(&self) -> Option<&Movie> {
        match &self.kind {
            DeliverableKind::Movie(movie) => Some(movie),
            DeliverableKind::Sequence | DeliverableKind::Still => None,
        }
    }

    /// Whether it is a movie that is assembled from a sequence, and no work of its engine.
    #[must_use]
    pub fn is_assembled(&self) -> bool {
        self.movie().is_some_and(|movie| !movie.is_direct())
    }

    /// What each of its files holds several of.
    #[must_use]
    pub fn several(&self) -> Vec<Holds> {
        let Some(first) = self.planes.first() else {
            return Vec::new();
        };
        let mut several = Vec::new();
        if self.planes.iter().any(|plane| plane.pass != first.pass) {
            several.push(Holds::Passes);
        }
        if self.planes.iter().any(|plane| plane.view != first.view) {
            several.push(Holds::Views);
        }
        several
    }

    /// The path of one of its frames.
    #[must_use]
    pub fn path(&self, frame: Frame) -> String {
        self.pattern.path(frame)
    }

    /// The folders of the files of some of its frames, each once where the frame is no part of it.
    pub fn folders<'a>(&'a self, frames: &'a FrameSet) -> impl Iterator<Item = String> + 'a {
        let folder = self.pattern.split().0;
        let most = if folder.has_frame() { usize::MAX } else { 1 };
        frames
            .iter()
            .take(most)
            .map(move |frame| folder.path(frame))
    }

    /// What it is, in a few words: `dawn · dome · beauty`.
    #[must_use]
    pub fn label(&self) -> String {
        let common = &self.common;
        let mut label = common.names.shot.clone();
        let words = [
            PlacedText::text_of(common.names.variant.as_ref()),
            PlacedText::text_of(common.names.view.as_ref()),
            PlacedText::text_of(common.names.camera.as_ref()),
            Some(common.names.output.as_str()),
            PlacedText::text_of(self.pass.as_ref()),
        ];
        for word in words.into_iter().flatten() {
            label.push_str(" · ");
            label.push_str(word);
        }
        label
    }
}
