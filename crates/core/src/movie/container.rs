//! What files of movies can hold, as a table.

use crate::picture::{Bits, Channels, FormatFacts};

/// A kind of file that holds a movie.
#[derive(Debug)]
pub struct ContainerFacts {
    /// What it is as a file: name, extensions, and what its pictures can be at most.
    pub format: FormatFacts,
    /// Codecs of pictures that it can hold.
    pub codecs: &'static [&'static str],
    /// Codecs of sound that it can hold.
    pub audio_codecs: &'static [&'static str],
}

impl ContainerFacts {
    /// The word in job files.
    #[must_use]
    pub fn name(&self) -> &'static str {
        self.format.name
    }
}

impl PartialEq for ContainerFacts {
    fn eq(&self, other: &Self) -> bool {
        self.name() == other.name()
    }
}

const fn file(
    name: &'static str,
    extensions: &'static [&'static str],
    source: &'static str,
) -> FormatFacts {
    FormatFacts {
        format: None,
        name,
        extensions,
        channels: &[Channels::Rgb, Channels::Rgba],
        bits: &[Bits::Eight, Bits::Ten, Bits::Twelve, Bits::Sixteen],
        compressions: &[],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: u32::MAX,
        source,
    }
}

/// The containers of movies.
pub const CONTAINERS: [ContainerFacts; 5] = [
    ContainerFacts {
        format: file(
            "mp4",
            &["mp4"],
            "ISO/IEC 14496-14 and the registered codecs of its family",
        ),
        codecs: &["h264", "hevc", "av1", "vp9"],
        audio_codecs: &["aac", "opus", "flac", "mp3"],
    },
    ContainerFacts {
        format: file(
            "mov",
            &["mov"],
            "QuickTime file format, media data atom types",
        ),
        codecs: &["h264", "hevc", "prores", "mjpeg"],
        audio_codecs: &["aac", "pcm-16", "pcm-24"],
    },
    ContainerFacts {
        format: file("mkv", &["mkv"], "RFC 9559 and the Matroska codec mappings"),
        codecs: &["h264", "hevc", "av1", "vp9", "prores", "mjpeg", "ffv1"],
        audio_codecs: &["aac", "opus", "vorbis", "mp3", "flac", "pcm-16", "pcm-24"],
    },
    ContainerFacts {
        format: file("webm", &["webm"], "WebM container guidelines"),
        codecs: &["vp9", "av1"],
        audio_codecs: &["opus", "vorbis"],
    },
    ContainerFacts {
        format: file("avi", &["avi"], "OpenDML AVI file format extensions"),
        codecs: &["mjpeg", "ffv1"],
        audio_codecs: &["pcm-16", "mp3"],
    },
];

/// The facts of the container with this name.
#[must_use]
pub fn container(name: &str) -> Option<&'static ContainerFacts> {
    CONTAINERS.iter().find(|facts| facts.name() == name)
}

/// The container that an extension stands for, in any case.
#[must_use]
pub fn container_of_extension(extension: &str) -> Option<&'static ContainerFacts> {
    let lowered = extension.to_lowercase();
    CONTAINERS
        .iter()
        .find(|facts| facts.format.extensions.contains(&lowered.as_str()))
}
