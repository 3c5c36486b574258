//! What the encoder inside this program makes, as a table.

use crate::picture::Size;

/// The name of its profile.
pub const BUILT_IN: &str = "built-in";

/// A codec that it makes.
#[derive(Debug, PartialEq, Eq)]
pub struct BuiltInCodec {
    /// The codec.
    pub codec: &'static str,
    /// The containers that it puts it into.
    pub containers: &'static [&'static str],
    /// How pixels are stored.
    pub pixels: &'static str,
    /// The most pixels of the longer and of the shorter side.
    pub most: (u32, u32),
}

/// The codecs that it makes.
pub const BUILT_IN_CODECS: [BuiltInCodec; 2] = [
    BuiltInCodec {
        codec: "h264",
        containers: &["mp4", "mov"],
        pixels: "4:2:0 8",
        most: (3840, 2160),
    },
    BuiltInCodec {
        codec: "mjpeg",
        containers: &["mov"],
        pixels: "4:4:4 8",
        most: (65_535, 65_535),
    },
];

/// What is known of a codec that it makes.
#[must_use]
pub fn built_in_codec(name: &str) -> Option<&'static BuiltInCodec> {
    BUILT_IN_CODECS.iter().find(|row| row.codec == name)
}

impl BuiltInCodec {
    /// Whether pictures of a size are not too large for it, lying or upright.
    #[must_use]
    pub fn fits(&self, size: Size) -> bool {
        let (longer, shorter) = (size.width.max(size.height), size.width.min(size.height));
        longer <= self.most.0 && shorter <= self.most.1
    }
}

/// The codecs of sound that it puts into a container.
#[must_use]
pub fn built_in_sounds(container: &str) -> &'static [&'static str] {
    match container {
        "mp4" => &["flac"],
        "mov" => &["pcm-16", "pcm-24"],
        _ => &[],
    }
}
