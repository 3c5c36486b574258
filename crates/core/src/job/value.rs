//! The values of keys.

use std::time::Duration;

use crate::frames::FrameSet;
use crate::movie::{AudioCodecFacts, CodecFacts, ContainerFacts, Corner, Fps, PixelFormat};
use crate::picture::{Bits, Channels, FormatFacts, Ratio, Region, Size, TransferFacts};
use crate::source::Place;
use crate::template::Template;

/// A text with its own place.
#[derive(Debug, Clone, PartialEq)]
pub struct PlacedText {
    /// The text.
    pub text: String,
    /// Where it was written.
    pub place: Place,
}

impl PlacedText {
    /// The text of a word that may be missing.
    #[must_use]
    pub fn text_of(word: Option<&Self>) -> Option<&str> {
        word.map(|word| word.text.as_str())
    }
}

/// An entry of a `run` line: one argument, or several that stand or fall together.
#[derive(Debug, Clone, PartialEq)]
pub struct RunEntry {
    /// The arguments, each with its text.
    pub arguments: Vec<(Template, PlacedText)>,
    /// Whether another value would make another picture.
    pub changes_picture: bool,
}

/// A path with tokens, and where it is written.
#[derive(Debug, Clone, PartialEq)]
pub struct PathTemplate {
    /// The path with tokens.
    pub template: Template,
    /// The length of its text, in bytes.
    pub length: usize,
    /// Where it is written.
    pub place: Place,
}

/// A sound, and when it begins.
#[derive(Debug, Clone, PartialEq)]
pub struct SoundEntry {
    /// Its file.
    pub file: PathTemplate,
    /// When it begins, in milliseconds from the first frame; negative, so much of its beginning is left out.
    pub offset: i64,
}

/// The value of a key.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// A text.
    Text(String),
    /// One or more components of paths.
    Words(Vec<PlacedText>),
    /// A whole number.
    Number(i64),
    /// A path with tokens; with the length of its text in bytes.
    Template(Template, usize),
    /// Frames.
    Frames(FrameSet),
    /// Width and height.
    Size(Size),
    /// A file format.
    Format(&'static FormatFacts),
    /// Channels of a pixel.
    Channels(Channels),
    /// Bits of a channel.
    Bits(Bits),
    /// Settings by name.
    Settings(Vec<(String, PlacedText)>),
    /// A command line.
    Run(Vec<RunEntry>),
    /// A length of time.
    Duration(Duration),
    /// A part of a size, or the width of a pixel by its height.
    Ratio(Ratio),
    /// Frames per second.
    Fps(Fps),
    /// True or false.
    Truth(bool),
    /// Which of the frames.
    FramesToRender(FramesToRender),
    /// Files that hold several passes: name and passes.
    Layers(Vec<(PlacedText, Vec<PlacedText>)>),
    /// Paths with tokens.
    Templates(Vec<PathTemplate>),
    /// Sounds that are heard together.
    Sounds(Vec<SoundEntry>),
    /// A part of a picture.
    Region(Region),
    /// A transfer function.
    Transfer(&'static TransferFacts),
    /// A container of movies.
    Container(&'static ContainerFacts),
    /// A codec of pictures.
    Codec(&'static CodecFacts),
    /// A codec of sound.
    AudioCodec(&'static AudioCodecFacts),
    /// A corner of a picture.
    Corner(Corner),
    /// How pixels of a movie are stored.
    Pixels(&'static PixelFormat),
    /// One of several parts: which, from 1, and of how many.
    Share(u64, u64),
    /// Whole numbers above zero.
    Weights(Vec<u64>),
    /// Exit codes.
    Codes(Vec<i64>),
    /// Handed back to the scene by `unset`.
    Unset,
}

/// Which frames of a shot are rendered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FramesToRender {
    /// Every frame.
    All,
    /// The first, the middle and the last.
    FirstMiddleLast,
}

impl FramesToRender {
    /// All of them.
    pub const ALL: [Self; 2] = [Self::All, Self::FirstMiddleLast];

    /// The word in job files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::All => "all",
            Self::FirstMiddleLast => "first-middle-last",
        }
    }

    /// What a word stands for.
    #[must_use]
    pub fn from_name(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.word() == word)
    }
}

impl PartialEq for FormatFacts {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}
