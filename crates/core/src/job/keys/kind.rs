//! What kinds of values keys take.

use crate::movie::{AUDIO_CODECS, CODECS, CONTAINERS, ContainerFacts, PIXEL_FORMATS};
use crate::picture::{Bits, Channels, FORMATS, TRANSFERS};

/// What kind of value a key takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Any text.
    Text,
    /// A text that is one component of a path.
    Component,
    /// A list of such texts.
    Components,
    /// A whole number from 0.
    Number,
    /// A number above zero, with or without a fraction.
    Rate,
    /// A path with tokens.
    Template,
    /// A set of frames.
    Frames,
    /// Width and height.
    Size,
    /// A file format.
    Format,
    /// Channels of a pixel.
    Channels,
    /// Bits of a channel.
    Bits,
    /// A table of single values.
    Settings,
    /// A command line: a list of texts with tokens.
    Run,
    /// A length of time.
    Duration,
    /// A part of a size.
    Scale,
    /// True or false.
    Truth,
    /// A whole number, below zero too.
    Signed,
    /// `"all"` or `"first-middle-last"`.
    Only,
    /// Names of keys.
    Keys,
    /// A number, or a template that finds it in the scene's name.
    Version,
    /// A single frame.
    Frame,
    /// Which passes share a file, by the file's name.
    Layers,
    /// From 1 to 100.
    Quality,
    /// Width of a pixel by its height.
    Ratio,
    /// A part of a picture.
    Region,
    /// One of these words.
    Choice(&'static [&'static str]),
    /// A transfer function.
    Transfer,
    /// A container of movies.
    Container,
    /// A codec of pictures.
    Codec,
    /// A codec of sound.
    AudioCodec,
    /// How pixels of a movie are stored.
    Pixels,
    /// Bits a second.
    BitRate,
    /// One of several parts.
    Share,
    /// Whole numbers above zero.
    Weights,
    /// Exit codes of a process.
    Codes,
}

impl Kind {
    /// The words to choose from, where there is a choice.
    #[must_use]
    pub fn words(self) -> Vec<&'static str> {
        match self {
            Self::Format => FORMATS.iter().map(|facts| facts.name).collect(),
            Self::Channels => Channels::ALL.map(Channels::word).to_vec(),
            Self::Bits => Bits::ALL.map(Bits::word).to_vec(),
            Self::Only => vec!["all", "first-middle-last"],
            Self::Choice(words) => words.to_vec(),
            Self::Transfer => TRANSFERS.iter().map(|facts| facts.name).collect(),
            Self::Container => CONTAINERS.iter().map(ContainerFacts::name).collect(),
            Self::Codec => CODECS.iter().map(|facts| facts.name).collect(),
            Self::AudioCodec => AUDIO_CODECS.iter().map(|facts| facts.name).collect(),
            Self::Pixels => PIXEL_FORMATS.iter().map(|facts| facts.name).collect(),
            _ => Vec::new(),
        }
    }

    /// What a value of this kind looks like, for messages.
    #[must_use]
    pub fn looks_like(self) -> String {
        let words = self.words();
        if words.is_empty() {
            return self.shape().to_owned();
        }
        let words: Vec<String> = words
            .into_iter()
            .map(|word| match word.parse::<u8>() {
                Ok(_) => word.to_owned(),
                Err(_) => format!("\"{word}\""),
            })
            .collect();
        format!("one of {}", words.join(", "))
    }

    /// What a value looks like where there is no choice of words.
    fn shape(self) -> &'static str {
        match self {
            Self::Text => "a text such as \"zip\"",
            Self::Component => "a text such as \"dome\"",
            Self::Components => "a list of texts such as [\"beauty\", \"depth\"]",
            Self::Number => "a whole number such as 3",
            Self::Rate => "a number such as 30 or 23.976",
            Self::Template => "a path such as \"renders/{shot}.{frame:04}.png\"",
            Self::Frames => "frames such as \"1-96\", \"1-96/4\" or \"1-10,20\"",
            Self::Size => "a size such as \"1920x1080\" or \"hd\"",
            Self::Settings => "a table such as { exposure = -2.0 }",
            Self::Run => "a list such as [\"myrender\", \"--frame\", \"{frame}\", \"{target}\"]",
            Self::Duration => "a time such as \"90s\", \"5m\" or \"2h\"",
            Self::Scale => "a part such as \"1/8\", \"10%\" or 0.125",
            Self::Truth => "true or false",
            Self::Signed => "a whole number such as 10 or -1",
            Self::Keys => "a list of keys such as [\"camera\", \"size\"]",
            Self::Version => {
                "a whole number such as 3, or a template such as \"{shot}_v{version:03}.toml\""
            }
            Self::Frame => "a frame such as 48",
            Self::Layers => "a table such as { light = [\"beauty\", \"shadow\"] }",
            Self::Quality => "a whole number from 1 to 100",
            Self::Ratio => "a number such as 2, 1.5 or \"64/45\"",
            Self::Region => "a part such as \"640x360 at 100,50\"",
            Self::BitRate => "bits a second such as \"20M\" or \"800k\"",
            Self::Share => "a part such as \"2/4\"",
            Self::Weights => "numbers such as \"8,8,16,4\"",
            Self::Codes => "a list of exit codes such as [3]",
            Self::Format
            | Self::Channels
            | Self::Bits
            | Self::Only
            | Self::Choice(_)
            | Self::Transfer
            | Self::Container
            | Self::Codec
            | Self::AudioCodec
            | Self::Pixels => "one of some words",
        }
    }
}
