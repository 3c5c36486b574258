//! PNG, row by row.

use std::io::{BufRead, Seek};

use png::{BitDepth, ColorType};
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw};

pub(crate) fn decode(reader: impl BufRead + Seek) -> Result<Facts, Flaw> {
    let broken = |error: png::DecodingError| Flaw::Broken(error.to_string());
    let mut decoder = png::Decoder::new(reader);
    decoder.set_transformations(png::Transformations::IDENTITY);
    let mut reader = decoder.read_info().map_err(broken)?;
    let info = reader.info();
    let size = Size {
        width: info.width,
        height: info.height,
    };
    let channels = match info.color_type {
        ColorType::Grayscale => Channels::Gray,
        ColorType::GrayscaleAlpha => Channels::GrayAlpha,
        // A palette with transparency has an alpha for every colour.
        ColorType::Indexed | ColorType::Rgb if info.trns.is_some() => Channels::Rgba,
        ColorType::Indexed | ColorType::Rgb => Channels::Rgb,
        ColorType::Rgba => Channels::Rgba,
    };
    let bits = match info.bit_depth {
        BitDepth::Sixteen => Bits::Sixteen,
        _ => Bits::Eight,
    };
    while reader.next_interlaced_row().map_err(broken)?.is_some() {}
    reader.finish().map_err(broken)?;
    Ok(Facts {
        size,
        channels,
        bits,
    })
}
