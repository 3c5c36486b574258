//! JPEG, proven by its entropy-coded data: every block of every scan is decoded to its coefficients,
//! and nothing may be left over. `markers` splits a file into segments, `huffman` reads codes, `scan`
//! walks the blocks, `blocks` reads their coefficients. Picture decoders conceal what is missing; this one reports it.
//!
//! Tables, markers and procedures after ITU-T T.81 (ISO/IEC 10918-1).

mod bits;
mod blocks;
mod huffman;
mod markers;
mod measure;
mod scan;

use truepath_core::picture::{Bits, Channels, Size};
use xxhash_rust::xxh3::xxh3_64_with_seed;

use crate::facts::{Facts, Flaw, Found};
use crate::meter::Meter;
use markers::{Segment, Segments};
use scan::{ScanFrame, Tables};

/// Decodes a JPEG file whole.
pub(crate) fn decode(
    bytes: &[u8],
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let tables = Tables::new(meter.is_on());
    let Stream { frame, end, digest } = stream(bytes, tables)?;
    let channels = match frame.components.len() {
        1 => Found::Known(Channels::Gray),
        3 => Found::Known(Channels::Rgb),
        4 => Found::Other("cmyk".to_owned()),
        several => Found::Other(format!("{several} components")),
    };
    let bits = match frame.precision {
        8 => Found::Known(Bits::Eight),
        12 => Found::Known(Bits::Twelve),
        other => Found::Other(other.to_string()),
    };
    let size = Size {
        width: frame.width,
        height: frame.height,
    };
    let mut facts = Facts::new(size, channels, bits);
    expect(&facts)?;
    meter.set(frame.measure(digest));
    facts.note_bytes_after_the_end(bytes.len() - end);
    Ok(facts)
}

/// Decodes a stream inside another file, which may have its tables elsewhere; gives its width and
/// height in pixels.
pub(crate) fn decode_inside(bytes: &[u8], tables: Option<&[u8]>) -> Result<(u32, u32), Flaw> {
    let tables = match tables {
        Some(tables) => only_tables(tables)?,
        None => Tables::default(),
    };
    let Stream { frame, .. } = stream(bytes, tables)?;
    Ok((frame.width, frame.height))
}

fn only_tables(bytes: &[u8]) -> Result<Tables, Flaw> {
    let mut tables = Tables::default();
    let mut segments = Segments::new(bytes)?;
    loop {
        match segments.next()? {
            Segment::HuffmanTables(content) => tables.define_huffman(content)?,
            Segment::RestartInterval(interval) => tables.restart_interval = interval,
            Segment::End => return Ok(tables),
            _ => {}
        }
    }
}

/// What was decoded.
struct Stream {
    frame: ScanFrame,
    /// The place after it, in bytes.
    end: usize,
    /// A digest of all that makes its pixels.
    digest: u64,
}

/// Decodes from the start marker to the end marker.
fn stream(bytes: &[u8], mut tables: Tables) -> Result<Stream, Flaw> {
    let mut segments = Segments::new(bytes)?;
    let mut frame: Option<ScanFrame> = None;
    let mut digest = 0;
    loop {
        let start = segments.at;
        let segment = segments.next()?;
        if !matches!(segment, Segment::Aside) {
            digest = xxh3_64_with_seed(&bytes[start..segments.at], digest);
        }
        match segment {
            Segment::HuffmanTables(content) => tables.define_huffman(content)?,
            Segment::RestartInterval(interval) => tables.restart_interval = interval,
            Segment::Frame { process, content } => {
                if frame.is_some() {
                    return Err(broken("it has two frame headers"));
                }
                frame = Some(ScanFrame::read(process, content)?);
            }
            Segment::Scan(header) => {
                let Some(frame) = &mut frame else {
                    return Err(broken("a scan comes before the frame header"));
                };
                let end = frame.scan(header, &tables, bytes, segments.at)?;
                digest = xxh3_64_with_seed(&bytes[segments.at..end], digest);
                segments.at = end;
            }
            Segment::End => {
                let frame = frame.ok_or_else(|| broken("it has no frame header"))?;
                frame.is_whole()?;
                return Ok(Stream {
                    frame,
                    end: segments.at,
                    digest,
                });
            }
            Segment::Quantization(content) => tables.define_quantization(content)?,
            Segment::Aside | Segment::Other => {}
        }
    }
}

fn broken(what: impl Into<String>) -> Flaw {
    Flaw::Broken(what.into())
}
