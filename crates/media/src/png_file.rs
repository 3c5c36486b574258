//! PNG, row by row, and every frame of an animated one. ISO/IEC 15948.

use std::io::{BufRead, Seek, SeekFrom};

use png::{BitDepth, ColorType};
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::meter::{Meter, RowPart, SampleKind};

/// Decodes every row of every frame.
pub(crate) fn decode(
    mut reader: impl BufRead + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let after = chunks(&mut reader)?;
    let broken = |error: png::DecodingError| Flaw::Broken(error.to_string());
    let mut decoder = png::Decoder::new(reader);
    decoder.set_transformations(png::Transformations::IDENTITY);
    decoder.set_ignore_text_chunk(true);
    decoder.ignore_checksums(false);
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
    let frames = info
        .animation_control
        .map_or(1, |control| control.num_frames);
    // The first picture of an animation may be no frame of it.
    let pictures = match (info.animation_control, info.frame_control) {
        (Some(_), None) => frames + 1,
        _ => frames,
    };
    let is_interlaced = info.interlaced;
    // Pixels of less than 8 bits and of palettes are numbers of colours.
    let kind = match (info.color_type, info.bit_depth) {
        (ColorType::Indexed, _) => None,
        (_, BitDepth::Eight) => Some(SampleKind::Eight),
        (_, BitDepth::Sixteen) => Some(SampleKind::SixteenBig),
        _ => None,
    };
    let mut facts = Facts::new(size, Found::Known(channels), Found::Known(bits));
    expect(&facts)?;
    let samples = reader.info().color_type.samples();
    if let (Some(_), false) = (kind, is_interlaced) {
        meter.begin(size, samples, matches!(samples, 2 | 4));
    }
    for picture in 0..pictures {
        if picture > 0 {
            meter.end();
            reader.next_frame_info().map_err(broken)?;
        }
        let mut number = 0;
        while let Some(row) = reader.next_interlaced_row().map_err(broken)? {
            if let Some(kind) = kind {
                let part = RowPart {
                    bytes: row.data(),
                    kind,
                    first: Some(0),
                    channels: samples,
                };
                meter.row(0, number, &[part]);
            }
            number += 1;
        }
    }
    reader.finish().map_err(broken)?;
    if frames > 1 {
        facts.note(format!("it has {frames} frames"));
    }
    facts.note_bytes_after_the_end(after as usize);
    Ok(facts)
}

/// Whether all chunks are there and have the checksums that they say, up to the last (`IEND`); gives
/// the number of bytes after it.
fn chunks(reader: &mut (impl BufRead + Seek)) -> Result<u64, Flaw> {
    let length = reader.seek(SeekFrom::End(0))?;
    let mut at = 8;
    reader.seek(SeekFrom::Start(at))?;
    loop {
        let mut head = [0; 8];
        let cut_short = |_| Flaw::Broken("it ends before its end chunk".to_owned());
        reader.read_exact(&mut head).map_err(cut_short)?;
        let size = u32::from_be_bytes([head[0], head[1], head[2], head[3]]);
        at += 12 + u64::from(size);
        if at > length {
            return Err(Flaw::Broken("it ends before its end chunk".to_owned()));
        }
        let name = &head[4..];
        // The decoder compares the checksums of the pixels itself.
        if matches!(name, b"IDAT" | b"fdAT") {
            reader.seek_relative(i64::from(size) + 4)?;
            continue;
        }
        let mut sum = crc32fast::Hasher::new();
        sum.update(name);
        let mut left = u64::from(size);
        let mut piece = [0; 4096];
        while left > 0 {
            let now = left.min(piece.len() as u64) as usize;
            reader.read_exact(&mut piece[..now])?;
            sum.update(&piece[..now]);
            left -= now as u64;
        }
        let mut stored = [0; 4];
        reader.read_exact(&mut stored)?;
        if u32::from_be_bytes(stored) != sum.finalize() {
            let name = String::from_utf8_lossy(name);
            return Err(Flaw::Broken(format!(
                "the checksum of its chunk {name} is wrong"
            )));
        }
        if name == b"IEND" {
            reader.seek(SeekFrom::Start(0))?;
            return Ok(length - at);
        }
    }
}
