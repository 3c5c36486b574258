//! How many bytes a picture will take, before there is one.

use super::{Bits, Channels, FormatFacts, Size};

/// Bytes of a picture by a rule of thumb: its pixels as stored, times what compression usually
/// leaves of rendered pictures, which are noisy, or of measures such as depth, which are not. Flat
/// pictures come out far smaller; frames that are rendered already give a better estimate.
#[must_use]
pub(crate) fn rule_of_thumb(
    format: &FormatFacts,
    size: Size,
    channels: Option<Channels>,
    bits: Option<Bits>,
    compression: Option<&str>,
    is_data: bool,
) -> u64 {
    let channels = channels.unwrap_or(if format.channels.contains(&Channels::Rgba) {
        Channels::Rgba
    } else {
        Channels::Rgb
    });
    let bits = bits.unwrap_or(format.bits[0]);
    let sample = match bits {
        Bits::Eight => 1,
        Bits::Ten | Bits::Twelve | Bits::Sixteen | Bits::Half => 2,
        Bits::Float => 4,
    };
    let pixel = match (format.name, bits, channels) {
        ("hdr", ..) => 4,                       // three mantissas and an exponent
        ("dpx", Bits::Ten, Channels::Rgb) => 4, // three samples to a word of 32 bits
        _ => channels.count() as u64 * sample,
    };
    let raw = u64::from(size.width) * u64::from(size.height) * pixel;
    let left = left_of_100(format.name, bits, compression);
    // Measures are smooth: what loses nothing leaves little of them.
    let left = if is_data && left < 100 {
        left.min(5)
    } else {
        left
    };
    raw * left / 100
}

/// What compression leaves of 100 bytes.
fn left_of_100(format: &str, bits: Bits, compression: Option<&str>) -> u64 {
    match (format, compression) {
        (_, Some("none")) | ("bmp" | "dpx", _) => 100,
        ("png", _) if bits == Bits::Sixteen => 75,
        ("png", _) => 36,
        ("exr", Some("rle")) => 85,
        ("exr", Some("pxr24")) => 50,
        ("exr", Some("b44" | "b44a")) => 44,
        ("exr", Some("dwaa" | "dwab")) => 15,
        ("exr", _) => 60,
        ("jpeg", _) | ("webp", Some("lossy")) => 12,
        ("webp", _) => 40,
        ("tiff", Some(_)) => 65,
        ("tga", Some("rle")) | ("hdr", _) => 80,
        _ => 100,
    }
}
