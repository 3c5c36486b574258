//! Deliverables: what is to be made, fully expanded but for the frame.

mod began;
mod choose;
mod common;
mod expand;
mod expansion;
mod make;
mod movie;
mod planes;
mod problem;
mod resolve;
mod root;
mod share;
mod values;
mod version;

use std::sync::Arc;
use std::time::Duration;

pub use began::Began;
pub use choose::{Selection, SelectionError};
pub use expand::{MOST_DELIVERABLES, Surroundings, expand};
pub use expansion::Expansion;
pub use movie::Movie;
pub use planes::Plane;
pub use problem::{Problem, ProblemKind};
pub use share::Share;

use crate::engine::Profile;
use crate::frames::{Frame, FrameSet};
use crate::job::Word;
use crate::picture::{Bits, Channels, FormatFacts, Holds, Region, Size, TransferFacts};
use crate::source::{Place, Sourced};
use crate::system::System;
use crate::template::{PathPattern, Template};

/// A sequence of files, a still or a movie: one output of one shot, variant, view and camera.
#[derive(Debug, Clone)]
pub struct Deliverable {
    /// Which of these it is.
    pub made: Made,
    /// What it shares with its neighbours.
    pub common: Arc<Common>,
    /// The pass, when one is asked for by name; of several passes in a file the file's name.
    pub pass: Option<Word>,
    /// What each of its files holds: one picture, or several passes and views of it.
    pub planes: Arc<[Plane]>,
    /// What its pictures must be.
    pub picture: Picture,
    /// Settings for the engine.
    pub settings: Arc<[(String, Word)]>,
    /// The template that made its paths.
    pub template: Arc<PathTemplate>,
    /// Its paths; absolute, with `/` between components.
    pub pattern: PathPattern,
    /// The folder that its paths may not leave.
    pub root: Arc<str>,
}

/// What a deliverable is.
#[derive(Debug, Clone)]
pub enum Made {
    /// A file a frame.
    Sequence,
    /// One picture under a name of its own.
    Still,
    /// One file of all frames.
    Movie(Arc<Movie>),
}

impl PartialEq for Made {
    /// Whether two are of one kind.
    fn eq(&self, other: &Self) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other)
    }
}

/// What deliverables of one output, shot, variant, view and camera share.
#[derive(Debug, Clone)]
pub struct Common {
    /// Index of the shot in the job.
    pub shot_index: usize,
    /// Index of the output in the job.
    pub output_index: usize,
    /// The shot's name.
    pub shot: String,
    /// The output's name.
    pub output: String,
    /// The project's name.
    pub project: Option<String>,
    /// The camera, when one is asked for by name.
    pub camera: Option<Word>,
    /// The variant.
    pub variant: Option<Word>,
    /// The view.
    pub view: Option<Word>,
    /// The preset.
    pub preset: Option<Sourced<String>>,
    /// What has a higher number is made earlier.
    pub priority: i64,
    /// Variables for the engine's environment.
    pub env: Arc<[(String, Word)]>,
    /// The engine.
    pub engine: Arc<Profile>,
    /// The scene.
    pub scene: Option<Scene>,
    /// The frames of the shot: what names and clocks are made from.
    pub clip: FrameSet,
    /// The frames that files are made for: those of the shot; of a still and a movie a single one.
    pub frames: Sourced<FrameSet>,
    /// Those of them that the preset asks for and that were chosen on the command line.
    pub chosen: FrameSet,
    /// The version.
    pub version: Option<i64>,
    /// Frames a second.
    pub fps: Option<String>,
    /// Threads for one process.
    pub threads: Option<i64>,
    /// How long its processes may take, and how often they are tried.
    pub limits: Limits,
    /// Whether pictures that cannot be decoded here count as whole.
    pub allows_unverifiable: bool,
    /// The most frames of one process; none for as many as the engine takes.
    pub chunk: Option<u64>,
    /// Whether processes are spread over the frames: first, last, middle, then ever finer.
    pub spread: bool,
    /// Tokens of the project's own and folders of places.
    pub project_values: Arc<ProjectValues>,
}

/// How long processes may take, how often they are tried, and what is kept of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Limits {
    /// The longest before the first frame begins.
    pub start: Option<Duration>,
    /// The longest that one frame may take.
    pub frame: Option<Duration>,
    /// The longest without a word.
    pub silence: Option<Duration>,
    /// How often frames are tried again that came to nothing.
    pub retries: u32,
    /// The pause before the first of those tries; it doubles with each.
    pub retry_pause: Duration,
    /// How often checkpoints are copied to a safe place.
    pub checkpoint_every: Duration,
    /// How many checkpoints of a frame are kept.
    pub checkpoint_keep: usize,
}

/// Values that are the same for the whole job.
#[derive(Debug, Clone)]
pub struct ProjectValues {
    /// `[token]`
    pub tokens: Vec<(String, String)>,
    /// Places with their absolute folders.
    pub places: Vec<(String, String)>,
    /// The system that the paths are made for.
    pub system: System,
    /// Who and where.
    pub person: Person,
    /// When the run began.
    pub began: Option<Began>,
}

/// Who makes it, and on which machine.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Person {
    /// The user's name.
    pub user: Option<String>,
    /// The artist.
    pub artist: Option<String>,
    /// The machine's name.
    pub host: Option<String>,
}

/// The file that is rendered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scene {
    /// Its absolute path, with `/` between components.
    pub path: String,
    /// Where the job names it.
    pub place: Place,
}

impl Scene {
    /// Its folder.
    #[must_use]
    pub fn folder(&self) -> &str {
        self.path.rsplit_once('/').map_or("/", |(folder, _)| folder)
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

/// What pictures must be; what nobody sets is the engine's choice.
#[derive(Debug, Clone)]
pub struct Picture {
    /// The file format.
    pub format: &'static FormatFacts,
    /// Where the format is said, when it is not told by the extension.
    pub format_place: Option<Place>,
    /// The channels.
    pub channels: Option<Sourced<Channels>>,
    /// The bits of a channel.
    pub bits: Option<Sourced<Bits>>,
    /// The compression.
    pub compression: Option<Sourced<String>>,
    /// How well a lossy file keeps the picture, from 1 to 100.
    pub quality: Option<Sourced<i64>>,
    /// Width and height of the whole picture, in pixels.
    pub size: Option<Sourced<Size>>,
    /// The part of it that is rendered.
    pub crop: Option<Sourced<Region>>,
    /// Width of a pixel by its height: numerator and denominator.
    pub pixel_aspect: Option<Sourced<(u32, u32)>>,
    /// What the values of the pixels are.
    pub color: Color,
}

impl Picture {
    /// Width and height of the files, in pixels.
    #[must_use]
    pub fn file_size(&self) -> Option<Size> {
        let crop = self.crop.as_ref().map(|crop| crop.value.size);
        crop.or(self.size.as_ref().map(|size| size.value))
    }

    /// Whether the pixels are linear light: said, or because the format usually holds it.
    #[must_use]
    pub fn is_light(&self) -> bool {
        let said = self.color.linear.as_ref().map(|linear| linear.value);
        said.unwrap_or_else(|| self.format.is_light())
    }

    /// Whether the files have 8 bits: said, or because the format has no others.
    #[must_use]
    pub fn has_eight_bits(&self) -> bool {
        match &self.bits {
            Some(bits) => bits.value == Bits::Eight,
            None => self.format.bits == [Bits::Eight],
        }
    }

    /// All that is said of the files, by name; pictures of which the same is said are alike.
    #[must_use]
    pub fn said(&self) -> Vec<(&'static str, String)> {
        let aspect = |(width, height): (u32, u32)| format!("{width}:{height}");
        [
            ("format", Some(self.format.name.to_owned())),
            (
                "channels",
                self.channels.as_ref().map(|one| one.value.to_string()),
            ),
            ("bits", self.bits.as_ref().map(|one| one.value.to_string())),
            (
                "compression",
                self.compression.as_ref().map(|one| one.value.clone()),
            ),
            (
                "quality",
                self.quality.as_ref().map(|one| one.value.to_string()),
            ),
            ("size", self.size.as_ref().map(|one| one.value.to_string())),
            ("crop", self.crop.as_ref().map(|one| one.value.to_string())),
            (
                "pixel-aspect",
                self.pixel_aspect.as_ref().map(|one| aspect(one.value)),
            ),
        ]
        .into_iter()
        .filter_map(|(name, value)| Some((name, value?)))
        .collect()
    }
}

/// What the values of pixels are, as the job says it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Color {
    /// Whether they are linear light; unset, nobody knows.
    pub linear: Option<Sourced<bool>>,
    /// How linear pixels become ready for display.
    pub transfer: Option<Sourced<&'static TransferFacts>>,
}

impl Deliverable {
    /// The movie, if it is one.
    #[must_use]
    pub fn movie(&self) -> Option<&Movie> {
        match &self.made {
            Made::Movie(movie) => Some(movie),
            Made::Sequence | Made::Still => None,
        }
    }

    /// Whether it is a movie that is put together from a sequence, and no work of its engine.
    #[must_use]
    pub fn is_put_together(&self) -> bool {
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
        let mut label = common.shot.clone();
        let words = [
            Word::text_of(common.variant.as_ref()),
            Word::text_of(common.view.as_ref()),
            Word::text_of(common.camera.as_ref()),
            Some(common.output.as_str()),
            Word::text_of(self.pass.as_ref()),
        ];
        for word in words.into_iter().flatten() {
            label.push_str(" · ");
            label.push_str(word);
        }
        label
    }
}
