//! What a deliverable is.

use std::sync::Arc;

use super::{Common, Movie, PathTemplate, Picture, Plane};
use crate::frames::{Frame, FrameSet};
use crate::job::{PlacedText, Setting, Value};
use crate::picture::Holds;
use crate::template::PathPattern;

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
    /// Where each of these is taken from, where its files are made of those of another output; empty where they are rendered.
    pub layer_sources: Arc<[LayerSource]>,
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

/// Where a picture of a file is taken from that is made of other files.
#[derive(Debug, Clone)]
pub struct LayerSource {
    /// What has the file of the same frame.
    pub deliverable: Arc<Deliverable>,
    /// The words that the name of its layer has in that file; none where the file holds this picture alone.
    pub words: Vec<String>,
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

    /// Whether its files are assembled from those of other deliverables, and no scene is rendered for them: a movie of a
    /// sequence, and pictures of the layers of others.
    #[must_use]
    pub fn is_assembled(&self) -> bool {
        !self.layer_sources.is_empty() || self.is_assembled_movie()
    }

    /// Whether it is a movie that is assembled from a sequence.
    #[must_use]
    pub fn is_assembled_movie(&self) -> bool {
        self.movie().is_some_and(|movie| !movie.is_direct())
    }

    /// Whether its files are pictures that its engine renders.
    #[must_use]
    pub(crate) fn is_rendered(&self) -> bool {
        self.movie().is_none() && !self.is_assembled()
    }

    /// The files that the file of a frame is assembled from, each once: of which deliverables, and of which frames.
    #[must_use]
    pub fn sources(&self, frame: Frame) -> Vec<(&Deliverable, FrameSet)> {
        let movie = self.movie().and_then(|movie| movie.source.as_deref());
        if let Some(source) = movie {
            return vec![(source, source.common.frames.shot.clone())];
        }
        let mut sources: Vec<(&Deliverable, FrameSet)> = Vec::new();
        for one in self.layer_sources.iter() {
            let one = &*one.deliverable;
            if sources
                .iter()
                .all(|(known, _)| known.pattern != one.pattern)
            {
                sources.push((one, FrameSet::range(frame, frame)));
            }
        }
        sources
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
