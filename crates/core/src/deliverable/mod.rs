//! Deliverables: what is to be made, fully expanded but for the frame.

mod choose;
mod expand;
mod make;
mod problem;
mod resolve;
mod root;
mod values;

use std::sync::Arc;
use std::time::Duration;

use jiff::civil::DateTime;

pub use choose::{Selection, SelectionError};
pub use expand::{Expansion, Surroundings, expand};
pub use problem::{Problem, ProblemKind};

use crate::engine::Profile;
use crate::frames::{Frame, FrameSet};
use crate::job::Word;
use crate::picture::{Bits, Channels, FormatFacts, Size};
use crate::source::{Place, Sourced};
use crate::template::{PathPattern, Template};

/// A sequence of files: one output of one shot, variant, view and camera.
#[derive(Debug, Clone)]
pub struct Deliverable {
    /// What it shares with its neighbours.
    pub common: Arc<Common>,
    /// The pass, when one is asked for by name.
    pub pass: Option<Word>,
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
    /// The frames of the shot: what names are made from.
    pub frames: Sourced<FrameSet>,
    /// Those of them that the preset asks for and that were chosen on the command line.
    pub chosen: FrameSet,
    /// The version.
    pub version: Option<i64>,
    /// Frames a second.
    pub fps: Option<String>,
    /// Threads for one process.
    pub threads: Option<i64>,
    /// The longest that one frame may take.
    pub frame_limit: Option<Duration>,
    /// Tokens of the project's own and folders of places.
    pub project_values: Arc<ProjectValues>,
}

/// Values that are the same for the whole job.
#[derive(Debug, Clone, Default)]
pub struct ProjectValues {
    /// `[token]`
    pub tokens: Vec<(String, String)>,
    /// Places with their absolute folders.
    pub places: Vec<(String, String)>,
    /// Who and where.
    pub person: Person,
    /// When the run began, in the local time of the machine that began it.
    pub instant: Option<DateTime>,
}

/// Who makes it, and on which machine.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Person {
    /// The user's name.
    pub user: Option<String>,
    /// The author.
    pub author: Option<String>,
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
    /// Width and height in pixels.
    pub size: Option<Sourced<Size>>,
}

impl Deliverable {
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
