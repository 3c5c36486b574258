//! TGA: TGA file format specification, version 2.0, of 1991.

use std::io::{BufRead, Read};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::meter::{Meter, RowPart, SampleKind};
use crate::passed_over::{cut_short, pass_over};

/// What the footer of version 2.0 ends with.
const SIGNATURE: &[u8] = b"TRUEVISION-XFILE.\0";
const FOOTER: usize = 26;

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let mut head = [0; 18];
    reader.read_exact(&mut head).map_err(cut_short)?;
    let short = |at: usize| u16::from_le_bytes([head[at], head[at + 1]]);
    let (kind, depth) = (head[2], head[16]);
    let entries = if head[1] == 1 { short(5) } else { 0 };
    let channels = match (kind & 7, depth, head[7]) {
        (1, 8 | 16, 15 | 16 | 24) if head[1] == 1 => Channels::Rgb,
        (1, 8 | 16, 32) if head[1] == 1 => Channels::Rgba,
        (2, 15 | 16 | 24, _) => Channels::Rgb,
        (2, 32, _) => Channels::Rgba,
        (3, 8, _) => Channels::Gray,
        (3, 16, _) => Channels::GrayAlpha,
        _ => {
            return Err(Flaw::OtherFormat {
                wanted: "tga",
                found: "of no known format".to_owned(),
            });
        }
    };
    if !matches!(kind, 1..=3 | 9..=11) || short(12) == 0 || short(14) == 0 {
        return Err(Flaw::Broken("its header cannot be read".to_owned()));
    }
    let size = Size {
        width: short(12).into(),
        height: short(14).into(),
    };
    let mut facts = Facts::new(size, Found::Known(channels), Found::Known(Bits::Eight));
    expect(&facts)?;
    pass_over(&mut reader, u64::from(head[0]))?;
    let colors = Colors::read(&mut reader, short(3), entries, head[7])?;
    let mut rows = Rows {
        size,
        channels: channels.count(),
        depth,
        colors: colors.filter(|_| kind & 7 == 1),
        is_from_top: head[17] & 0x20 != 0,
        is_from_right: head[17] & 0x10 != 0,
        stored: Vec::new(),
        number: 0,
        meter,
    };
    rows.meter
        .begin(size, rows.channels, matches!(rows.channels, 2 | 4));
    match kind {
        9..=11 => runs(&mut reader, &mut rows)?,
        _ => plain(&mut reader, &mut rows)?,
    }
    let mut tail = Vec::new();
    reader.take(1 << 20).read_to_end(&mut tail)?;
    if tail.is_empty() || (tail.len() >= FOOTER && tail.ends_with(SIGNATURE)) {
        return Ok(facts);
    }
    // Its first letters, at the place where they stand in a footer.
    let is_footer = (1..SIGNATURE.len())
        .rev()
        .any(|cut| cut >= 4 && tail.ends_with(&SIGNATURE[..cut]));
    if is_footer {
        Err(Flaw::Broken("it ends within its footer".to_owned()))
    } else {
        facts.note_bytes_after_the_end(tail.len());
        Ok(facts)
    }
}

/// The colors that pixels are numbers of, each as red, green, blue and alpha.
struct Colors {
    /// The number of the first.
    first: usize,
    colors: Vec<[u8; 4]>,
}

impl Colors {
    /// Reads them; none where there are none.
    fn read(
        reader: &mut impl BufRead,
        first: u16,
        entries: u16,
        depth: u8,
    ) -> Result<Option<Self>, Flaw> {
        let mut bytes = vec![0; usize::from(entries) * usize::from(depth.div_ceil(8))];
        reader.read_exact(&mut bytes).map_err(cut_short)?;
        let each = bytes.chunks_exact(usize::from(depth.div_ceil(8)).max(1));
        Ok((entries > 0).then(|| Self {
            first: first.into(),
            colors: each.map(color).collect(),
        }))
    }

    fn of(&self, number: usize) -> [u8; 4] {
        let at = number.checked_sub(self.first);
        let found = at.and_then(|at| self.colors.get(at));
        found.copied().unwrap_or_default()
    }
}

/// Red, green, blue and alpha of a stored color: blue stands first, and 15 and 16 bits hold five for each.
fn color(stored: &[u8]) -> [u8; 4] {
    match *stored {
        [low, high] => {
            let word = u16::from_le_bytes([low, high]);
            let five = |shift: u16| {
                let value = (word >> shift & 31) as u8;
                value << 3 | value >> 2
            };
            [five(10), five(5), five(0), 255]
        }
        [blue, green, red] => [red, green, blue, 255],
        [blue, green, red, alpha] => [red, green, blue, alpha],
        _ => [0; 4],
    }
}

/// Takes stored pixels, and hands on whole rows.
struct Rows<'m> {
    size: Size,
    channels: usize,
    /// Bits of a stored pixel.
    depth: u8,
    colors: Option<Colors>,
    is_from_top: bool,
    is_from_right: bool,
    /// The pixels of the row so far.
    stored: Vec<u8>,
    /// Rows before it.
    number: u32,
    meter: &'m mut Meter,
}

impl Rows<'_> {
    /// Bytes of a stored pixel.
    fn pixel(&self) -> usize {
        self.depth.div_ceil(8).into()
    }

    /// Bytes of a stored row.
    fn row(&self) -> usize {
        self.size.width as usize * self.pixel()
    }

    fn push(&mut self, bytes: &[u8]) {
        if !self.meter.is_on() {
            return;
        }
        let length = self.row();
        let mut left = bytes;
        while !left.is_empty() {
            let now = left.len().min(length - self.stored.len());
            self.stored.extend_from_slice(&left[..now]);
            left = &left[now..];
            if self.stored.len() == length {
                self.end_row();
            }
        }
    }

    fn end_row(&mut self) {
        let mut pixels: Vec<u8> = Vec::with_capacity(self.size.width as usize * self.channels);
        let each = self.stored.chunks_exact(self.pixel());
        let take = |stored: &[u8]| match (&self.colors, self.channels) {
            (Some(colors), count) => {
                let number = stored
                    .iter()
                    .rev()
                    .fold(0, |sum, one| sum << 8 | usize::from(*one));
                pixels.extend_from_slice(&colors.of(number)[..count]);
            }
            (None, 1 | 2) => pixels.extend_from_slice(stored),
            (None, count) => pixels.extend_from_slice(&color(stored)[..count]),
        };
        if self.is_from_right {
            each.rev().for_each(take);
        } else {
            each.for_each(take);
        }
        let number = if self.is_from_top {
            self.number
        } else {
            self.size.height.saturating_sub(self.number + 1)
        };
        let part = RowPart::interleaved(&pixels, SampleKind::Eight, self.channels);
        self.meter.row(0, number, &[part]);
        self.number += 1;
        self.stored.clear();
    }
}

fn plain(reader: &mut impl BufRead, rows: &mut Rows<'_>) -> Result<(), Flaw> {
    let mut row = vec![0; rows.row()];
    for _ in 0..rows.size.height {
        reader.read_exact(&mut row).map_err(cut_short)?;
        rows.push(&row);
    }
    Ok(())
}

/// Packets of up to 128 pixels: one pixel that repeats, or each for itself.
fn runs(reader: &mut impl BufRead, rows: &mut Rows<'_>) -> Result<(), Flaw> {
    let pixels = u64::from(rows.size.width) * u64::from(rows.size.height);
    let mut packet = [0; 128 * 4];
    let mut done = 0;
    while done < pixels {
        let mut head = [0];
        reader.read_exact(&mut head).map_err(cut_short)?;
        let count = usize::from(head[0] & 127) + 1;
        let is_repeated = head[0] & 128 != 0;
        let length = if is_repeated { 1 } else { count } * rows.pixel();
        let stored = &mut packet[..length];
        reader.read_exact(stored).map_err(cut_short)?;
        done += count as u64;
        if done > pixels {
            return Err(Flaw::Broken(
                "its last run is longer than the picture".to_owned(),
            ));
        }
        let repeats = if is_repeated { count } else { 1 };
        (0..repeats).for_each(|_| rows.push(stored));
    }
    Ok(())
}
