//! BMP, after the headers BITMAPINFOHEADER, BITMAPV4HEADER and BITMAPV5HEADER and the one before them
//! (BITMAPCOREHEADER).

use std::io::{self, BufRead};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};
use crate::passed_over::cut_short;

/// What the second header says.
struct BmpHeader {
    size: Size,
    /// Bits of a pixel.
    depth: u16,
    /// 0 none, 1 and 2 in runs, 3 and 6 with masks.
    compression: u32,
    /// Whether a mask for alpha is there.
    alpha: bool,
    /// Whether the first row is the upper one.
    is_from_top: bool,
    /// Bytes of a color in the palette.
    color_bytes: usize,
    /// The bits of red, green, blue and alpha in a pixel, where the header has them.
    masks: Option<[u32; 4]>,
}

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
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
    let before = pixels_at.checked_sub(14 + length).ok_or_else(unread)?;
    if before > MOST_MEMORY {
        return Err(Flaw::too_large(before));
    }
    // Masks that follow the header, and the palette.
    let mut between = vec![0; before as usize];
    reader.read_exact(&mut between).map_err(cut_short)?;
    let colors = Colors::new(&header, &between);
    meter.begin(header.size, channels.count(), header.alpha);
    match header.compression {
        0 | 3 | 6 => {
            let row = (u64::from(header.size.width) * u64::from(header.depth)).div_ceil(32) * 4;
            if row > MOST_MEMORY {
                return Err(Flaw::too_large(row));
            }
            let mut stored = vec![0; row as usize];
            for number in 0..header.size.height {
                reader.read_exact(&mut stored).map_err(cut_short)?;
                if meter.is_on() {
                    let pixels: Vec<u8> = (0..header.size.width as usize)
                        .flat_map(|x| colors.at(&stored, x).into_iter().take(channels.count()))
                        .collect();
                    let part = RowPart::interleaved(&pixels, SampleKind::Eight, channels.count());
                    meter.row(0, header.place(number), &[part]);
                }
            }
        }
        1 | 2 => {
            let pixels = u64::from(header.size.width) * u64::from(header.size.height);
            if pixels > MOST_MEMORY {
                return Err(Flaw::too_large(pixels));
            }
            let mut numbers = vec![0; pixels as usize];
            runs(&mut reader, &header, &mut numbers)?;
            let rows = numbers.chunks_exact(header.size.width as usize);
            for (number, row) in (0..).zip(rows) {
                let pixels: Vec<u8> = row
                    .iter()
                    .flat_map(|at| colors.of(usize::from(*at)).into_iter().take(3))
                    .collect();
                let part = RowPart::interleaved(&pixels, SampleKind::Eight, 3);
                meter.row(0, header.place(number), &[part]);
            }
        }
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
            is_from_top: height < 0,
            color_bytes: if length == 12 { 3 } else { 4 },
            masks: (length >= 52).then(|| {
                let alpha = if length >= 56 { long(&head, 52) } else { 0 };
                [long(&head, 40), long(&head, 44), long(&head, 48), alpha]
            }),
        };
        Ok((header, length.into()))
    }

    /// The row of the picture that a stored row is.
    fn place(&self, number: u32) -> u32 {
        if self.is_from_top {
            number
        } else {
            self.size.height - 1 - number
        }
    }
}

/// How stored pixels become red, green, blue and alpha.
enum Colors {
    /// Numbers of so many bits in a palette.
    Palette { depth: usize, colors: Vec<[u8; 4]> },
    /// Words of so many bytes, with the bits of each channel.
    Masks { bytes: usize, masks: [u32; 4] },
}

impl Colors {
    fn new(header: &BmpHeader, between: &[u8]) -> Self {
        let depth = usize::from(header.depth);
        if depth <= 8 {
            // Blue stands first, and the fourth byte means nothing.
            let each = between.chunks_exact(header.color_bytes);
            return Self::Palette {
                depth,
                colors: each.map(|one| [one[2], one[1], one[0], 255]).collect(),
            };
        }
        let behind = || {
            let is_there = between.len() >= 12;
            is_there.then(|| [long(between, 0), long(between, 4), long(between, 8), 0])
        };
        let set = if matches!(header.compression, 3 | 6) {
            header.masks.or_else(behind)
        } else {
            None
        };
        let masks = set.unwrap_or(if depth == 16 {
            [0x7c00, 0x03e0, 0x001f, 0]
        } else {
            [0x00ff_0000, 0xff00, 0xff, 0]
        });
        Self::Masks {
            bytes: depth / 8,
            masks,
        }
    }

    /// A pixel of a stored row.
    fn at(&self, row: &[u8], x: usize) -> [u8; 4] {
        match self {
            Self::Palette { depth, .. } => {
                let bit = x * depth;
                let shift = 8 - depth - bit % 8;
                let number = usize::from(row[bit / 8]) >> shift & ((1 << depth) - 1);
                self.of(number)
            }
            Self::Masks { bytes, masks } => {
                let stored = &row[x * bytes..(x + 1) * bytes];
                let word = stored
                    .iter()
                    .rev()
                    .fold(0, |sum, one| sum << 8 | u32::from(*one));
                masks.map(|mask| scaled(word, mask))
            }
        }
    }

    /// A color of the palette.
    fn of(&self, number: usize) -> [u8; 4] {
        match self {
            Self::Palette { colors, .. } => colors.get(number).copied().unwrap_or_default(),
            Self::Masks { .. } => [0; 4],
        }
    }
}

/// The bits of a mask as a value from 0 to 255.
fn scaled(word: u32, mask: u32) -> u8 {
    let shift = mask.trailing_zeros() % 32;
    match u64::from(mask >> shift) {
        0 => 0,
        most => (u64::from((word & mask) >> shift) * 255 / most) as u8,
    }
}

/// Pixels in runs (RLE8, RLE4), up to the mark at their end; gives the number of each in the palette.
fn runs(reader: &mut impl BufRead, header: &BmpHeader, numbers: &mut [u8]) -> Result<(), Flaw> {
    let (width, height) = (u64::from(header.size.width), u64::from(header.size.height));
    let (mut x, mut y) = (0, 0);
    let is_bytes = header.compression == 1;
    // Rows may be filled up to words of 32 bits: pixels beside the picture are left out.
    let mut put = |x: u64, y: u64, number: u8| {
        if x < width && y < height {
            numbers[(y * width + x) as usize] = number;
        }
    };
    let half = |byte: u8, at: u64| {
        if at.is_multiple_of(2) {
            byte >> 4
        } else {
            byte & 15
        }
    };
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
                let count = u64::from(count);
                let bytes = if is_bytes { count } else { count.div_ceil(2) };
                let mut stored = vec![0; bytes.next_multiple_of(2) as usize];
                reader.read_exact(&mut stored).map_err(cut_short)?;
                for at in 0..count {
                    let number = if is_bytes {
                        stored[at as usize]
                    } else {
                        half(stored[at as usize / 2], at)
                    };
                    put(x + at, y, number);
                }
                x += count;
            }
            [count, color] => {
                for at in 0..u64::from(count) {
                    put(x + at, y, if is_bytes { color } else { half(color, at) });
                }
                x += u64::from(count);
            }
        }
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
