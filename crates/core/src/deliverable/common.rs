//! What deliverables of one output, shot, variant, view and camera share.

use std::sync::Arc;
use std::time::Duration;

use super::{ProjectValues, Scene};
use crate::frames::FrameSet;
use crate::job::PlacedText;
use crate::movie::Fps;
use crate::profile::Profile;
use crate::source::Sourced;
use crate::split::Split;

/// What deliverables of one output, shot, variant, view and camera share.
#[derive(Debug, Clone)]
pub struct Common {
    /// Index of the shot in the job.
    pub shot_index: usize,
    /// Index of the output in the job.
    pub output_index: usize,
    /// What it is called by.
    pub names: Names,
    /// Its frames.
    pub frames: Frames,
    /// The engine.
    pub engine: Arc<Profile>,
    /// The scene.
    pub scene: Option<Scene>,
    /// Files and folders that the job says the scene needs.
    pub scene_files: Arc<[Scene]>,
    /// Frames per second.
    pub fps: Option<Fps>,
    /// How its processes are started and supervised.
    pub processes: Processes,
    /// Whether pictures that cannot be decoded here count as whole.
    pub allows_unverifiable: bool,
    /// Tokens of the project's own and folders of places.
    pub project_values: Arc<ProjectValues>,
}

/// What the job calls a deliverable by.
#[derive(Debug, Clone)]
pub struct Names {
    /// The project.
    pub project: Option<String>,
    /// The shot.
    pub shot: String,
    /// The output.
    pub output: String,
    /// The variant.
    pub variant: Option<PlacedText>,
    /// The view.
    pub view: Option<PlacedText>,
    /// The camera, when one is asked for by name.
    pub camera: Option<PlacedText>,
    /// The preset.
    pub preset: Option<Sourced<String>>,
    /// The version.
    pub version: Option<i64>,
}

/// The frames of a deliverable.
#[derive(Debug, Clone)]
pub struct Frames {
    /// The frames of the shot: what names and clocks are made from.
    pub shot: FrameSet,
    /// The frames that files are made for: those of the shot; of a still and a movie a single one.
    pub files: Sourced<FrameSet>,
    /// Those of them that the preset asks for and that were selected on the command line.
    pub selected: FrameSet,
    /// Whether the preset asks for a few frames of the clip: they show size and look, and no motion.
    pub is_sample: bool,
}

/// How processes are started and supervised.
#[derive(Debug, Clone)]
pub struct Processes {
    /// Higher numbers first.
    pub priority: i64,
    /// Variables for the engine's environment.
    pub env: Arc<[(String, PlacedText)]>,
    /// Variables whose values are secrets.
    pub secret: Arc<[PlacedText]>,
    /// Threads for one process.
    pub threads: Option<i64>,
    /// The most frames of one process; none for as many as the engine takes.
    pub chunk: Option<u64>,
    /// Whether the job sets that, and it does not follow from how long starting takes.
    pub is_chunk_set: bool,
    /// Whether its frames may be split over several processes, where the engine takes a range.
    pub split: Split,
    /// Whether processes are spread over the frames: first, last, middle, then ever finer.
    pub spread: bool,
    /// How long they may take, and how often they are tried.
    pub limits: Limits,
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
    /// How often frames are tried again that failed.
    pub retries: u32,
    /// The pause before the first of those tries; it doubles with each.
    pub retry_pause: Duration,
    /// How often checkpoints are copied to a safe place.
    pub checkpoint_every: Duration,
    /// How many checkpoints of a frame are kept.
    pub checkpoint_keep: usize,
    /// Whether those of frames are kept that were stopped with fewer samples than are wanted.
    pub keeps_stopped: bool,
}
