//! What each file format can hold, as a table.

use super::{Bits, Channels};

/// What a file format can hold.
#[derive(Debug)]
pub struct FormatFacts {
    /// The word in job files.
    pub name: &'static str,
    /// Extensions in use, the usual one first.
    pub extensions: &'static [&'static str],
    /// The channels that it can hold.
    pub channels: &'static [Channels],
    /// The bits a channel that it can hold.
    pub bits: &'static [Bits],
    /// Ways of compression to choose from; none where there is no choice.
    pub compressions: &'static [&'static str],
    /// The document that says so.
    pub source: &'static str,
}

use Bits::{Eight, Float, Half, Sixteen};
use Channels::{Gray, GrayAlpha, Rgb, Rgba};

/// The formats that pictures can be written in.
pub const FORMATS: [FormatFacts; 8] = [
    FormatFacts {
        name: "png",
        extensions: &["png"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Eight, Sixteen],
        compressions: &[],
        source: "ISO/IEC 15948 (PNG), table of colour types and depths",
    },
    FormatFacts {
        name: "exr",
        extensions: &["exr"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Half, Float],
        compressions: &[
            "none", "rle", "zips", "zip", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab",
        ],
        source: "OpenEXR file layout, `compression` and `chlist` attributes",
    },
    FormatFacts {
        name: "jpeg",
        extensions: &["jpg", "jpeg"],
        channels: &[Gray, Rgb],
        bits: &[Eight],
        compressions: &[],
        source: "ITU-T T.871 (JFIF): one or three components of 8 bits",
    },
    FormatFacts {
        name: "tiff",
        extensions: &["tif", "tiff"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Eight, Sixteen, Float],
        compressions: &["none", "packbits", "lzw", "deflate"],
        source: "TIFF revision 6.0, sections 8, 18 and 19",
    },
    FormatFacts {
        name: "bmp",
        extensions: &["bmp"],
        channels: &[Rgb, Rgba],
        bits: &[Eight],
        compressions: &[],
        source: "BITMAPV4HEADER, bit counts 24 and 32",
    },
    FormatFacts {
        name: "tga",
        extensions: &["tga"],
        channels: &[Gray, Rgb, Rgba],
        bits: &[Eight],
        compressions: &["none", "rle"],
        source: "TGA file format, version 2.0, image types 2, 3, 10 and 11",
    },
    FormatFacts {
        name: "webp",
        extensions: &["webp"],
        channels: &[Rgb, Rgba],
        bits: &[Eight],
        compressions: &["lossless", "lossy"],
        source: "RFC 9649 (WebP)",
    },
    FormatFacts {
        name: "hdr",
        extensions: &["hdr"],
        channels: &[Rgb],
        bits: &[Float],
        compressions: &[],
        source: "the RGBE picture format: three mantissas that share an exponent",
    },
];

/// The facts of the format with this name.
#[must_use]
pub fn format(name: &str) -> Option<&'static FormatFacts> {
    FORMATS.iter().find(|facts| facts.name == name)
}

/// The format that an extension stands for, in any case.
#[must_use]
pub fn format_of_extension(extension: &str) -> Option<&'static FormatFacts> {
    let lowered = extension.to_lowercase();
    FORMATS
        .iter()
        .find(|facts| facts.extensions.contains(&lowered.as_str()))
}
