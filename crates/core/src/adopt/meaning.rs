//! What words of a command line can mean, and how a user says it.

/// A word, and what it means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meaning {
    /// The word of the first line.
    pub text: String,
    /// What stands before the value: `--frame=`, `+W`.
    pub before: String,
    /// What it means.
    pub means: ValueMeaning,
    /// The name of the setting that it is.
    pub setting: String,
    /// What stands between the two numbers of a range, such as `-` or `:`.
    pub between: &'static str,
}

/// What a value means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueMeaning {
    /// Nothing that a job knows: it stays as it is.
    Itself,
    /// The scene.
    Scene,
    /// What is written.
    Output,
    /// The folder of what is written.
    OutputFolder,
    /// Its name, without folder and extension.
    OutputName,
    /// Its kind of file.
    OutputType,
    /// A single frame.
    Frame,
    /// The first frame.
    First,
    /// The last frame.
    Last,
    /// The first frame of the clip, whatever part of it is rendered.
    ClipFirst,
    /// Its last frame.
    ClipLast,
    /// The step between frames.
    Step,
    /// First and last with something between, such as `1-96`.
    Range,
    /// The width in pixels.
    Width,
    /// The height in pixels.
    Height,
    /// Both, with an x between.
    Size,
    /// The camera.
    Camera,
    /// The pass.
    Pass,
    /// The threads.
    Threads,
    /// A setting of the renderer's own, which differs from line to line.
    Setting,
}

impl ValueMeaning {
    /// What it is, in words.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Itself => "not understood, stays as it is",
            Self::Scene => "the scene",
            Self::Output => "what is written",
            Self::OutputFolder => "the folder of what is written",
            Self::OutputName => "the name of what is written",
            Self::OutputType => "the kind of file that is written",
            Self::Frame => "the frame",
            Self::First => "the first frame",
            Self::Last => "the last frame",
            Self::ClipFirst => "the first frame of the clip",
            Self::ClipLast => "the last frame of the clip",
            Self::Step => "the step between frames",
            Self::Range => "first and last frame",
            Self::Width => "the width",
            Self::Height => "the height",
            Self::Size => "width and height",
            Self::Camera => "the camera",
            Self::Pass => "the pass",
            Self::Threads => "threads of the process",
            Self::Setting => "a setting, which differs from line to line",
        }
    }

    /// The words with which a user can say what a flag means.
    pub const HINTS: [(&'static str, Self); 18] = [
        ("scene", Self::Scene),
        ("output", Self::Output),
        ("output-folder", Self::OutputFolder),
        ("output-name", Self::OutputName),
        ("output-type", Self::OutputType),
        ("frame", Self::Frame),
        ("first", Self::First),
        ("last", Self::Last),
        ("clip-first", Self::ClipFirst),
        ("clip-last", Self::ClipLast),
        ("step", Self::Step),
        ("range", Self::Range),
        ("width", Self::Width),
        ("height", Self::Height),
        ("size", Self::Size),
        ("camera", Self::Camera),
        ("pass", Self::Pass),
        ("threads", Self::Threads),
    ];

    /// What a token of a profile means.
    pub(super) fn of_token(token: &str) -> Option<Self> {
        Some(match token {
            "scene.file" => Self::Scene,
            "target" => Self::Output,
            "frame" => Self::Frame,
            "first" => Self::First,
            "last" => Self::Last,
            "clip.first" => Self::ClipFirst,
            "clip.last" => Self::ClipLast,
            "step" => Self::Step,
            "frames" => Self::Range,
            "width" => Self::Width,
            "height" => Self::Height,
            "camera" => Self::Camera,
            "pass" => Self::Pass,
            "threads" => Self::Threads,
            _ => return None,
        })
    }
}

/// What a user says that a flag, or the word with a number, means.
pub type Hint = (String, ValueMeaning);
