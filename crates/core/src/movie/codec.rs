//! What pictures of a movie can be coded as, as a table.

/// A way to code the pictures of a movie.
#[derive(Debug, PartialEq, Eq)]
pub struct CodecFacts {
    /// The word in job files.
    pub name: &'static str,
    /// The pixel formats that it can store, the usual one first.
    pub pixel_formats: &'static [&'static str],
    /// The qualities that it can be asked for, of `QUALITIES`.
    pub qualities: &'static [&'static str],
    /// The most pixels of a picture in its highest level.
    pub most_pixels: u64,
    /// The most pixels of a side in its highest level.
    pub longest_side: u32,
    /// The document that says so.
    pub source: &'static str,
}

/// How good a movie can be asked to be, the smallest file first.
pub(crate) const QUALITIES: [&str; 4] = ["draft", "good", "high", "lossless"];

const LOSSY: &[&str] = &["draft", "good", "high"];
const BOTH: &[&str] = &["draft", "good", "high", "lossless"];

/// The codecs of pictures.
pub const CODECS: [CodecFacts; 7] = [
    CodecFacts {
        name: "h264",
        pixel_formats: &[
            "4:2:0 8", "4:2:0 10", "4:2:2 8", "4:2:2 10", "4:4:4 8", "4:4:4 10",
        ],
        qualities: BOTH,
        most_pixels: 139_264 * 256,
        longest_side: 16_880,
        source: "ITU-T H.264, table A-1: 139 264 macroblocks in level 6.2",
    },
    CodecFacts {
        name: "hevc",
        pixel_formats: &[
            "4:2:0 8", "4:2:0 10", "4:2:0 12", "4:2:2 8", "4:2:2 10", "4:2:2 12", "4:4:4 8",
            "4:4:4 10", "4:4:4 12",
        ],
        qualities: BOTH,
        most_pixels: 35_651_584,
        longest_side: 16_888,
        source: "ITU-T H.265, table A.8: level 6.2",
    },
    CodecFacts {
        name: "av1",
        pixel_formats: &[
            "4:2:0 8", "4:2:0 10", "4:2:0 12", "4:2:2 8", "4:2:2 10", "4:2:2 12", "4:4:4 8",
            "4:4:4 10", "4:4:4 12",
        ],
        qualities: BOTH,
        most_pixels: 35_651_584,
        longest_side: 16_384,
        source: "AV1 bitstream specification, annex A: level 6.3",
    },
    CodecFacts {
        name: "vp9",
        pixel_formats: &[
            "4:2:0 8", "4:2:0 10", "4:2:0 12", "4:2:2 8", "4:2:2 10", "4:2:2 12", "4:4:4 8",
            "4:4:4 10", "4:4:4 12",
        ],
        qualities: BOTH,
        most_pixels: 35_651_584,
        longest_side: 16_384,
        source: "VP9 bitstream specification, annex A: level 6.2",
    },
    CodecFacts {
        name: "prores",
        pixel_formats: &[
            "4:2:2 10",
            "4:4:4 10",
            "4:4:4 12",
            "4:4:4:4 10",
            "4:4:4:4 12",
        ],
        qualities: LOSSY,
        most_pixels: 65_535 * 65_535,
        longest_side: 65_535,
        source: "SMPTE RDD 36: sides of 16 bits in the frame header",
    },
    CodecFacts {
        name: "mjpeg",
        pixel_formats: &["4:2:0 8", "4:2:2 8", "4:4:4 8"],
        qualities: LOSSY,
        most_pixels: 65_535 * 65_535,
        longest_side: 65_535,
        source: "ITU-T T.81: sides of 16 bits in the frame header",
    },
    CodecFacts {
        name: "ffv1",
        pixel_formats: &[
            "4:2:0 8", "4:2:0 10", "4:2:2 8", "4:2:2 10", "4:4:4 8", "4:4:4 10", "rgb 8", "rgb 16",
            "rgba 8",
        ],
        qualities: &["lossless"],
        most_pixels: u64::MAX,
        longest_side: u32::MAX,
        source: "RFC 9043",
    },
];

/// The facts of the codec with this name.
#[must_use]
pub fn codec(name: &str) -> Option<&'static CodecFacts> {
    let plain: String = name
        .to_lowercase()
        .chars()
        .filter(|c| c.is_ascii_alphanumeric())
        .collect();
    // The same standard has two names: ITU-T H.265 is ISO/IEC 23008-2, HEVC; H.264 is AVC.
    let plain = match plain.as_str() {
        "h265" => "hevc",
        "avc" => "h264",
        "avc1" => "h264",
        other => other,
    };
    CODECS.iter().find(|facts| facts.name == plain)
}
