//! BMP, after the headers BITMAPINFOHEADER, BITMAPV4HEADER and BITMAPV5HEADER and the one before them
//! (BITMAPCOREHEADER).

use std::io::{self, BufRead};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::passed_over::{cut_short, pass_over};

/// What the second header says.
struct BmpHeader {
    size: Size,
    /// Bits of a pixel.
    depth: u16,
    /// 0 none, 1 and 2 in runs, 3 and 6 with masks.
    compression: u32,
    /// Whether a mask for alpha is there.
    alpha: bool,
}

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
) -> Result<Facts, Flaw> {
    let mut head = [0; 14];
    reader.read_exact(&mut head).map_err(cut_short)?;
    let pixels_at = u64::from(long(&head, 10));
    let (header, length) = BmpHeader::read(&mut reader)?;
    let channels = if header.alpha {
        Channels::Rgba
    } else {
        Channels::Rgb
    };
    let bits = Found::Known(Bits::Eight);
    let mut facts = Facts::new(header.size, Found::Known(channels), bits);
    expect(&facts)?;
    let before = pixels_at.checked_sub(14 + length);
    pass_over(&mut reader, before.ok_or_else(unread)?)?;
    match header.compression {
        0 | 3 | 6 => {
            let row = (u64::from(header.size.width) * u64::from(header.depth)).div_ceil(32) * 4;
            pass_over(&mut reader, row * u64::from(header.size.height))?;
        }
        1 | 2 => runs(&mut reader, &header)?,
        other => {
            return Err(Flaw::unverifiable(format!(
                "BMP compression {other} is not decoded"
            )));
        }
    }
    let after = io::copy(&mut reader, &mut io::sink())?;
    // Up to three bytes fill the last word up.
    if after > 3 {
        facts.note_bytes_after_the_end(after as usize);
    }
    Ok(facts)
}

impl BmpHeader {
    /// Reads it; gives its length in bytes too.
    fn read(reader: &mut impl BufRead) -> Result<(Self, u64), Flaw> {
        let mut start = [0; 4];
        reader.read_exact(&mut start).map_err(cut_short)?;
        let length = long(&start, 0);
        if !matches!(length, 12 | 40..=124) {
            return Err(unread());
        }
        let mut head = vec![0; length as usize];
        reader.read_exact(&mut head[4..]).map_err(cut_short)?;
        let (width, height, depth) = match length {
            12 => (
                short(&head, 4).into(),
                i32::from(short(&head, 6)),
                short(&head, 10),
            ),
            // Rows from the top where the height is negative.
            _ => (long(&head, 4), long(&head, 8) as i32, short(&head, 14)),
        };
        let compression = if length == 12 { 0 } else { long(&head, 16) };
        if width == 0
            || width > i32::MAX as u32
            || height == 0
            || !matches!(depth, 1 | 4 | 8 | 16 | 24 | 32)
        {
            return Err(unread());
        }
        let header = Self {
            size: Size {
                width,
                height: height.unsigned_abs(),
            },
            depth,
            compression,
            alpha: depth == 32
                && matches!(compression, 3 | 6)
                && length >= 56
                && long(&head, 52) != 0,
        };
        Ok((header, length.into()))
    }
}

/// Pixels in runs (RLE8, RLE4), up to the mark at their end.
fn runs(reader: &mut impl BufRead, header: &BmpHeader) -> Result<(), Flaw> {
    let (width, height) = (u64::from(header.size.width), u64::from(header.size.height));
    let (mut x, mut y) = (0, 0);
    loop {
        let mut pair = [0; 2];
        reader.read_exact(&mut pair).map_err(cut_short)?;
        match pair {
            [0, 0] => (x, y) = (0, y + 1),
            [0, 1] => return Ok(()),
            [0, 2] => {
                let mut step = [0; 2];
                reader.read_exact(&mut step).map_err(cut_short)?;
                x += u64::from(step[0]);
                y += u64::from(step[1]);
            }
            [0, count] => {
                let bytes = match header.compression {
                    1 => u64::from(count),
                    _ => u64::from(count).div_ceil(2),
                };
                pass_over(reader, bytes.next_multiple_of(2))?;
                x += u64::from(count);
            }
            [count, _] => x += u64::from(count),
        }
        // Rows may be filled up to words of 32 bits.
        if x > width.next_multiple_of(8) || y > height {
            return Err(Flaw::Broken("a run goes beyond the picture".to_owned()));
        }
    }
}

fn short(bytes: &[u8], at: usize) -> u16 {
    u16::from_le_bytes([bytes[at], bytes[at + 1]])
}

fn long(bytes: &[u8], at: usize) -> u32 {
    u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]])
}

fn unread() -> Flaw {
    Flaw::Broken("its headers cannot be read".to_owned())
}
