//! TIFF, page by page: `directory` reads what a picture is, `strips` decodes its pieces. Every page and
//! every strip or tile must be there and decode to all of its pixels; memory grows with none of them.

mod directory;
mod rows;
mod strips;

use std::collections::HashSet;
use std::io::{Read, Seek};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::meter::{Meter, SampleKind};
use directory::{Directory, TiffSource};
use rows::{PieceRows, Predictor, SampleLayout};
use strips::{Compression, StripPiece};

/// Decodes all pages; what the picture is, is that of the first.
pub(crate) fn decode(
    file: impl Read + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let (mut source, mut next) = TiffSource::open(file)?;
    let mut first: Option<Facts> = None;
    let mut seen = HashSet::new();
    while next != 0 {
        if !seen.insert(next) {
            return Err(Flaw::Broken("its pages go round in a circle".to_owned()));
        }
        let (directory, after) = source.directory(next)?;
        next = after;
        let page = Page::read(&mut source, &directory)?;
        if first.is_none() {
            let facts = page.facts();
            expect(&facts)?;
            let size = facts.size;
            first = Some(facts);
            if let Some(layout) = page.layout(&mut source, &directory)? {
                meter.begin(size, layout.channels, matches!(layout.channels, 2 | 4));
            }
        } else {
            meter.end();
        }
        page.decode(&mut source, &directory, meter)?;
    }
    let mut facts = first.ok_or_else(|| Flaw::Broken("it has no picture".to_owned()))?;
    if seen.len() > 1 {
        facts.note(format!("it has {} pages", seen.len()));
    }
    Ok(facts)
}

/// What one picture of the file is. Field numbers after TIFF revision 6.0, appendix A.
struct Page {
    width: u64,
    height: u64,
    /// Bits of each sample of a pixel.
    bits: Vec<u64>,
    samples: u64,
    /// 1 unsigned, 2 signed, 3 floating point, 4 unknown.
    format: u64,
    photometric: u64,
    /// What the samples besides colour are: 0 unknown, 1 and 2 alpha.
    extra: Vec<u64>,
    compression: Compression,
    /// Whether each sample has strips of its own.
    planar: bool,
    /// Of YCbCr pixels: how many share their colour, across and down.
    sub_sampling: (u64, u64),
}

impl Page {
    fn read<R: Read + Seek>(source: &mut TiffSource<R>, of: &Directory) -> Result<Self, Flaw> {
        let bits = source.values(of, 258)?;
        let page = Self {
            width: source.value(of, 256, 0)?,
            height: source.value(of, 257, 0)?,
            samples: source.value(of, 277, 1)?,
            bits: if bits.is_empty() { vec![1] } else { bits },
            format: source.value(of, 339, 1)?,
            photometric: source.value(of, 262, 0)?,
            extra: source.values(of, 338)?,
            compression: Compression::of(source.value(of, 259, 1)?)?,
            planar: source.value(of, 284, 1)? == 2,
            sub_sampling: match source.values(of, 530)?[..] {
                [across, down] if across > 0 && down > 0 => (across, down),
                _ => (2, 2),
            },
        };
        let is_size = |length: u64| (1..=u64::from(u32::MAX)).contains(&length);
        if !is_size(page.width) || !is_size(page.height) || !(1..=64).contains(&page.samples) {
            return Err(Flaw::Broken("its size is out of bounds".to_owned()));
        }
        Ok(page)
    }

    fn facts(&self) -> Facts {
        let colours = match self.photometric {
            0 | 1 | 3 => 1,
            5 => 4,
            _ => 3,
        };
        let extra = self.samples.saturating_sub(colours);
        let alpha = extra > 0 && self.extra.first().is_none_or(|what| *what <= 2);
        let channels = match (self.photometric, alpha) {
            (0 | 1, false) => Found::Known(Channels::Gray),
            (0 | 1, true) => Found::Known(Channels::GrayAlpha),
            // Colours of a palette are red, green and blue.
            (2 | 3 | 6, false) => Found::Known(Channels::Rgb),
            (2 | 3 | 6, true) => Found::Known(Channels::Rgba),
            (5, _) => Found::Other("cmyk".to_owned()),
            (8..=10, _) => Found::Other("lab".to_owned()),
            (other, _) => Found::Other(format!("color space {other}")),
        };
        let size = Size {
            width: self.width as u32,
            height: self.height as u32,
        };
        let mut facts = Facts::new(size, channels, self.depth());
        facts.compression = Some(self.compression.word());
        if extra > u64::from(alpha) {
            facts.note(format!(
                "it has {} further channels",
                extra - u64::from(alpha)
            ));
        }
        facts
    }

    fn depth(&self) -> Found<Bits> {
        let first = self.bits[0];
        if self.bits.iter().any(|bits| *bits != first) {
            return Found::Other("of several depths".to_owned());
        }
        match (self.format, first) {
            (3, 16) => Found::Known(Bits::Half),
            (3, 32) => Found::Known(Bits::Float),
            (3, bits) => Found::Other(format!("{bits}-bit floating point")),
            (2, bits) => Found::Other(format!("{bits}-bit with a sign")),
            (_, 1..=8) => Found::Known(Bits::Eight),
            (_, 10) => Found::Known(Bits::Ten),
            (_, 12) => Found::Known(Bits::Twelve),
            (_, 16) => Found::Known(Bits::Sixteen),
            (_, bits) => Found::Other(format!("{bits}-bit whole numbers")),
        }
    }

    /// Bytes of the pixels of a piece, of one sample or of all.
    fn bytes(&self, (width, height): (u64, u64), plane: Option<usize>) -> u64 {
        // Pixels that share their colour are stored in groups: section 21.
        if self.photometric == 6 && self.samples == 3 && plane.is_none() {
            let (across, down) = self.sub_sampling;
            let groups = width.div_ceil(across) * height.div_ceil(down);
            return groups * (across * down + 2) * self.bits[0] / 8;
        }
        let of = |sample: usize| self.bits.get(sample).unwrap_or(&self.bits[0]);
        let bits = match plane {
            Some(plane) => *of(plane),
            None => (0..self.samples as usize).map(of).sum(),
        };
        width
            .saturating_mul(bits)
            .div_ceil(8)
            .saturating_mul(height)
    }

    /// How its samples are stored, where it can be measured: samples of one depth, side by side, that are gray or
    /// red, green and blue.
    fn layout<R: Read + Seek>(
        &self,
        source: &mut TiffSource<R>,
        of: &Directory,
    ) -> Result<Option<SampleLayout>, Flaw> {
        let is_little = source.is_little();
        let kind = match (self.format, self.bits[0]) {
            (1 | 4, 8) => SampleKind::Eight,
            (1 | 4, 16) if is_little => SampleKind::SixteenLittle,
            (1 | 4, 16) => SampleKind::SixteenBig,
            (3, 16) => SampleKind::Half,
            (3, 32) => SampleKind::Float,
            _ => return Ok(None),
        };
        let is_of_one_depth = self.bits.iter().all(|bits| *bits == self.bits[0]);
        let is_plain = matches!(self.photometric, 1 | 2) && self.compression != Compression::Jpeg;
        let predictor = match self.compression {
            Compression::Lzw | Compression::Deflate => Predictor::of(source.value(of, 317, 1)?),
            _ => Some(Predictor::None),
        };
        let is_measured = is_of_one_depth && is_plain && !self.planar && self.samples <= 4;
        Ok(predictor
            .filter(|_| is_measured)
            .map(|predictor| SampleLayout {
                kind,
                is_little,
                channels: self.samples as usize,
                predictor,
            }))
    }

    fn decode<R: Read + Seek>(
        &self,
        source: &mut TiffSource<R>,
        of: &Directory,
        meter: &mut Meter,
    ) -> Result<(), Flaw> {
        let layout = self.layout(source, of)?;
        let tile = (source.value(of, 322, 0)?, source.value(of, 323, 0)?);
        let is_tiled = tile.0 > 0 && tile.1 > 0;
        let full = if is_tiled {
            tile
        } else {
            (
                self.width,
                source.value(of, 278, self.height)?.clamp(1, self.height),
            )
        };
        let (places, lengths) = if is_tiled {
            (source.values(of, 324)?, source.values(of, 325)?)
        } else {
            (source.values(of, 273)?, source.values(of, 279)?)
        };
        let tables = match self.compression {
            Compression::Jpeg => Some(source.values(of, 347)?),
            _ => None,
        };
        let tables: Option<Vec<u8>> = tables
            .filter(|bytes| !bytes.is_empty())
            .map(|bytes| bytes.into_iter().map(|byte| byte as u8).collect());
        let (across, down) = (self.width.div_ceil(full.0), self.height.div_ceil(full.1));
        let planes = if self.planar { self.samples } else { 1 };
        let count = across.saturating_mul(down).saturating_mul(planes);
        if (places.len() as u64) < count || (lengths.len() as u64) < count {
            return Err(Flaw::Broken(format!(
                "it has {} of {count} strips or tiles",
                places.len().min(lengths.len())
            )));
        }
        let pieces = places.into_iter().zip(lengths).zip(0..count);
        for ((at, stored), number) in pieces {
            let plane = self.planar.then_some((number / (across * down)) as usize);
            let row = number % (across * down) / across;
            // The last strip ends with the picture; tiles are always full.
            let rows = full.1.min(self.height - row * full.1);
            let size = if is_tiled { full } else { (full.0, rows) };
            let piece = StripPiece {
                at,
                stored,
                wanted: self.bytes(size, plane),
                size,
            };
            let most = self.bytes(full, plane).max(piece.wanted);
            let column = number % (across * down) % across * full.0;
            let widths = (size.0, size.0.min(self.width - column));
            let at = (column as u32, (row * full.1) as u32);
            let mut rows = PieceRows::new(most, meter, layout, at, widths);
            strips::decode(
                source,
                &piece,
                self.compression,
                &mut rows,
                tables.as_deref(),
            )?;
        }
        Ok(())
    }
}
