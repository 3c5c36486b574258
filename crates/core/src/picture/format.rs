//! What each file format can hold, as a table.

use super::{Bits, Channels};

/// A file format of pictures. Who decodes pictures matches on it, so that no format is forgotten.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)] // each is described in `FORMATS`
pub enum FileFormat {
    Png,
    Exr,
    Jpeg,
    Tiff,
    Dpx,
    Bmp,
    Tga,
    Webp,
    Hdr,
}

/// What a file format can hold.
#[derive(Debug)]
pub struct FormatFacts {
    /// The format; none of the pictures inside a movie.
    pub format: Option<FileFormat>,
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
    /// The ways of compression that throw something away; `""` where there is no choice.
    pub lossy: &'static [&'static str],
    /// Whether those take a quality from 1 to 100.
    pub quality: bool,
    /// What one file can hold several of.
    pub holds: &'static [Holds],
    /// The most pixels of a side.
    pub longest_side: u32,
    /// The document that says so.
    pub source: &'static str,
}

impl FormatFacts {
    /// Whether a compression throws something away.
    #[must_use]
    pub(crate) fn is_lossy(&self, compression: Option<&str>) -> bool {
        self.lossy.contains(&compression.unwrap_or_default())
    }

    /// The usual extension, without a dot.
    #[must_use]
    pub fn extension(&self) -> &'static str {
        self.extensions.first().copied().unwrap_or(self.name)
    }

    /// Whether it holds nothing but fractions, which usually are linear light.
    #[must_use]
    pub(crate) fn is_light(&self) -> bool {
        self.bits
            .iter()
            .all(|bits| matches!(bits, Bits::Half | Bits::Float))
    }
}

/// What one file can hold several of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Holds {
    /// Several passes.
    Passes,
    /// Several views.
    Views,
}

use Bits::{Eight, Float, Half, Sixteen, Ten, Twelve};
use Channels::{Gray, GrayAlpha, Rgb, Rgba};

/// The formats that pictures can be written in.
pub const FORMATS: [FormatFacts; 9] = [
    FormatFacts {
        format: Some(FileFormat::Png),
        name: "png",
        extensions: &["png"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Eight, Sixteen],
        compressions: &[],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 0x7fff_ffff,
        source: "ISO/IEC 15948 (PNG), table of colour types and depths",
    },
    FormatFacts {
        format: Some(FileFormat::Exr),
        name: "exr",
        extensions: &["exr"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Half, Float],
        compressions: &[
            "none", "rle", "zips", "zip", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab",
        ],
        lossy: &["b44", "b44a", "pxr24", "dwaa", "dwab"],
        quality: false,
        holds: &[Holds::Passes, Holds::Views],
        longest_side: 0x7fff_ffff,
        source: "OpenEXR file layout, `compression` and `chlist` attributes",
    },
    FormatFacts {
        format: Some(FileFormat::Jpeg),
        name: "jpeg",
        extensions: &["jpg", "jpeg"],
        channels: &[Gray, Rgb],
        bits: &[Eight],
        compressions: &[],
        lossy: &[""],
        quality: true,
        holds: &[],
        longest_side: 65_535,
        source: "ITU-T T.871 (JFIF): one or three components of 8 bits",
    },
    FormatFacts {
        format: Some(FileFormat::Tiff),
        name: "tiff",
        extensions: &["tif", "tiff"],
        channels: &[Gray, GrayAlpha, Rgb, Rgba],
        bits: &[Eight, Sixteen, Float],
        compressions: &["none", "packbits", "lzw", "deflate"],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 0xffff_ffff,
        source: "TIFF revision 6.0, sections 8, 18 and 19",
    },
    FormatFacts {
        format: Some(FileFormat::Dpx),
        name: "dpx",
        extensions: &["dpx"],
        channels: &[Gray, Rgb, Rgba],
        bits: &[Eight, Ten, Twelve, Sixteen],
        compressions: &[],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 0xffff_ffff,
        source: "SMPTE ST 268-1, image element descriptors 6, 50 and 51",
    },
    FormatFacts {
        format: Some(FileFormat::Bmp),
        name: "bmp",
        extensions: &["bmp"],
        channels: &[Rgb, Rgba],
        bits: &[Eight],
        compressions: &[],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 0x7fff_ffff,
        source: "BITMAPV4HEADER, bit counts 24 and 32",
    },
    FormatFacts {
        format: Some(FileFormat::Tga),
        name: "tga",
        extensions: &["tga"],
        channels: &[Gray, Rgb, Rgba],
        bits: &[Eight],
        compressions: &["none", "rle"],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 65_535,
        source: "TGA file format, version 2.0, image types 2, 3, 10 and 11",
    },
    FormatFacts {
        format: Some(FileFormat::Webp),
        name: "webp",
        extensions: &["webp"],
        channels: &[Rgb, Rgba],
        bits: &[Eight],
        compressions: &["lossless", "lossy"],
        lossy: &["lossy"],
        quality: true,
        holds: &[],
        longest_side: 16_383,
        source: "RFC 9649 (WebP)",
    },
    FormatFacts {
        format: Some(FileFormat::Hdr),
        name: "hdr",
        extensions: &["hdr"],
        channels: &[Rgb],
        bits: &[Float],
        compressions: &[],
        lossy: &[],
        quality: false,
        holds: &[],
        longest_side: 32_767,
        source: "the RGBE picture format: three mantissas that share an exponent",
    },
];

/// The facts of the format with this name.
#[must_use]
pub fn format(name: &str) -> Option<&'static FormatFacts> {
    let lowered = name.trim_start_matches('.').to_lowercase();
    let by_name = FORMATS.iter().find(|facts| facts.name == lowered);
    by_name.or_else(|| format_of_extension(&lowered))
}

/// The format that an extension stands for, in any case.
#[must_use]
pub(crate) fn format_of_extension(extension: &str) -> Option<&'static FormatFacts> {
    let lowered = extension.to_lowercase();
    FORMATS
        .iter()
        .find(|facts| facts.extensions.contains(&lowered.as_str()))
}
