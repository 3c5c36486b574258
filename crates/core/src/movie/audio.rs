//! What sound can be coded as, as a table.

/// A way to code sound.
#[derive(Debug, PartialEq, Eq)]
pub struct AudioCodecFacts {
    /// The word in job files.
    pub name: &'static str,
    /// Whether every sample comes back as it was.
    pub lossless: bool,
    /// The document that defines it.
    pub source: &'static str,
}

/// The codecs of sound.
pub const AUDIO_CODECS: [AudioCodecFacts; 7] = [
    AudioCodecFacts {
        name: "aac",
        lossless: false,
        source: "ISO/IEC 14496-3",
    },
    AudioCodecFacts {
        name: "opus",
        lossless: false,
        source: "RFC 6716",
    },
    AudioCodecFacts {
        name: "vorbis",
        lossless: false,
        source: "Vorbis I specification",
    },
    AudioCodecFacts {
        name: "mp3",
        lossless: false,
        source: "ISO/IEC 11172-3, layer III",
    },
    AudioCodecFacts {
        name: "flac",
        lossless: true,
        source: "RFC 9639",
    },
    AudioCodecFacts {
        name: "pcm-16",
        lossless: true,
        source: "linear samples of 16 bits",
    },
    AudioCodecFacts {
        name: "pcm-24",
        lossless: true,
        source: "linear samples of 24 bits",
    },
];

/// The facts of the codec with this name.
#[must_use]
pub fn audio_codec(name: &str) -> Option<&'static AudioCodecFacts> {
    AUDIO_CODECS.iter().find(|facts| facts.name == name)
}
