//! How many bytes a movie will take, before there is one.

use super::CodecFacts;
use crate::picture::Size;

/// Bytes of a movie by a rule of thumb: its pixels, times the bits that the codec usually spends on
/// one at that quality. A rate that is set gives a better estimate.
#[must_use]
pub(crate) fn rule_of_thumb(
    codec: &CodecFacts,
    quality: Option<&str>,
    size: Size,
    frames: u64,
) -> u64 {
    let pixels = u64::from(size.width) * u64::from(size.height) * frames;
    pixels * hundredths_of_bits(codec.name, quality.unwrap_or("good")) / 800
}

/// Hundredths of bits a pixel.
fn hundredths_of_bits(codec: &str, quality: &str) -> u64 {
    let good = match codec {
        "ffv1" => 1000,
        "prores" => 250,
        "mjpeg" => 120,
        "h264" => 12,
        _ => 8,
    };
    match quality {
        "draft" => good / 2,
        "high" => good * 2,
        "lossless" if codec != "ffv1" => 600,
        _ => good,
    }
}
