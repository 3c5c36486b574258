//! WebP: the chunks of the container are compared with the length of the file, and each frame is
//! decoded. RFC 9649.

use std::io::{BufRead, Read, Seek, SeekFrom};

use image_webp::{DecodingError, WebPDecoder};
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};

/// Decodes every frame.
pub(crate) fn decode(
    mut reader: impl BufRead + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let after = chunks(&mut reader)?;
    let broken = |error: DecodingError| match error {
        DecodingError::UnsupportedFeature(what) => Flaw::unverifiable(what),
        other => Flaw::Broken(other.to_string()),
    };
    let mut decoder = WebPDecoder::new(reader).map_err(broken)?;
    let (width, height) = decoder.dimensions();
    let channels = if decoder.has_alpha() {
        Channels::Rgba
    } else {
        Channels::Rgb
    };
    let mut facts = Facts::new(
        Size { width, height },
        Found::Known(channels),
        Found::Known(Bits::Eight),
    );
    expect(&facts)?;
    let bytes = u64::from(width) * u64::from(height) * channels.count() as u64;
    if bytes > MOST_MEMORY {
        return Err(Flaw::too_large(bytes));
    }
    let mut pixels = vec![0; bytes as usize];
    if decoder.is_animated() {
        let frames = decoder.num_frames();
        for _ in 0..frames {
            decoder.read_frame(&mut pixels).map_err(broken)?;
        }
        facts.note(format!("it has {frames} frames"));
    } else {
        decoder.read_image(&mut pixels).map_err(broken)?;
        let size = facts.size;
        meter.begin(size, channels.count(), channels == Channels::Rgba);
        let rows = pixels.chunks_exact((width as usize * channels.count()).max(1));
        for (number, bytes) in (0..).zip(rows) {
            let part = RowPart::interleaved(bytes, SampleKind::Eight, channels.count());
            meter.row(0, number, &[part]);
        }
    }
    facts.note_bytes_after_the_end(after as usize);
    Ok(facts)
}

/// Whether all chunks are there; gives the number of bytes after the last.
fn chunks(reader: &mut (impl Read + Seek)) -> Result<u64, Flaw> {
    let length = reader.seek(SeekFrom::End(0))?;
    reader.seek(SeekFrom::Start(0))?;
    let cut_short = || Flaw::Broken("it ends before its last chunk does".to_owned());
    let mut head = [0; 12];
    reader.read_exact(&mut head).map_err(|_| cut_short())?;
    let end = 8 + u64::from(u32::from_le_bytes([head[4], head[5], head[6], head[7]]));
    if end > length {
        return Err(cut_short());
    }
    let mut at = 12;
    while at + 8 <= end {
        let mut chunk = [0; 8];
        reader.seek(SeekFrom::Start(at))?;
        reader.read_exact(&mut chunk).map_err(|_| cut_short())?;
        let size = u64::from(u32::from_le_bytes([chunk[4], chunk[5], chunk[6], chunk[7]]));
        at += 8 + size;
        if at > end {
            return Err(cut_short());
        }
        // Filled up to an even length.
        at += size % 2;
    }
    reader.seek(SeekFrom::Start(0))?;
    Ok(length - end.next_multiple_of(2).min(length))
}
