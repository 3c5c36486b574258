//! Measures a picture while it is decoded: row by row, in whatever order rows and tiles come, and in little
//! memory. What the numbers mean stands at [`PictureMeasure`].

mod cells;
mod channel;
mod parts;
mod sample;

use truepath_core::picture::{Digest, PictureMeasure, Size};
use xxhash_rust::xxh3::xxh3_64_with_seed;

use crate::proxy::PixelTarget;
pub(crate) use cells::Cells;
use channel::ChannelSums;
pub(crate) use parts::PartSums;
pub(crate) use sample::SampleKind;

/// Brightness, contrast and noise are taken from about so many rows: they are no more exact with all.
const ROWS: u32 = 96;
/// A picture has so many channels at most that it is measured by.
const MOST_CHANNELS: usize = 4;

/// Measures a picture, where that is asked for.
pub(crate) struct Meter {
    is_on: bool,
    measuring: Option<Measuring>,
    /// What a decoder has measured by itself.
    measured: Option<PictureMeasure>,
    /// Takes the pixels themselves, where they are wanted.
    pixels: Option<PixelTarget>,
}

struct Measuring {
    size: Size,
    /// Every so many rows are summed up.
    step: u32,
    channels: Vec<ChannelSums>,
    has_alpha: bool,
    digest: u64,
    not_a_number: u64,
    infinite: u64,
    cells: Cells,
    parts: PartSums,
}

/// Samples of one row that lie side by side: those of one channel, or of several pixel by pixel.
#[derive(Clone, Copy)]
pub(crate) struct RowPart<'a> {
    pub(crate) bytes: &'a [u8],
    pub(crate) kind: SampleKind,
    /// The first of its channels; none of channels that are no part of the picture, such as further layers.
    pub(crate) first: Option<usize>,
    /// How many channels they are.
    pub(crate) channels: usize,
}

impl<'a> RowPart<'a> {
    /// All channels of a picture pixel by pixel.
    pub(crate) fn interleaved(bytes: &'a [u8], kind: SampleKind, channels: usize) -> Self {
        Self {
            bytes,
            kind,
            first: Some(0),
            channels,
        }
    }

    /// Whether all samples are numbers, and none is infinite.
    pub(crate) fn is_finite(&self) -> bool {
        self.kind.count_broken(self.bytes) == (0, 0)
    }

    /// Bytes of a pixel.
    fn pixel(&self) -> usize {
        self.channels * self.kind.bytes()
    }
}

impl Meter {
    /// One that measures, or does nothing.
    pub(crate) fn new(is_on: bool) -> Self {
        Self {
            is_on,
            measuring: None,
            measured: None,
            pixels: None,
        }
    }

    /// One that takes the pixels and measures nothing.
    pub(crate) fn of_pixels(pixels: PixelTarget) -> Self {
        Self {
            pixels: Some(pixels),
            ..Self::new(true)
        }
    }

    /// The pixels that were taken.
    pub(crate) fn into_pixels(self) -> Option<PixelTarget> {
        self.pixels
    }

    /// Whether rows are wanted.
    pub(crate) fn is_on(&self) -> bool {
        self.is_on
    }

    /// Begins a picture; a second one in the same file is not measured.
    pub(crate) fn begin(&mut self, size: Size, channels: usize, has_alpha: bool) {
        let is_measured = (1..=MOST_CHANNELS).contains(&channels);
        if let Some(pixels) = &mut self.pixels {
            self.is_on &= is_measured && pixels.begin(size, channels, has_alpha);
            return;
        }
        if !self.is_on || self.measuring.is_some() || !is_measured {
            self.is_on &= self.measuring.is_none() && is_measured;
            return;
        }
        self.measuring = Some(Measuring {
            size,
            step: (size.height / ROWS).max(1),
            channels: vec![ChannelSums::default(); channels],
            has_alpha,
            digest: 0,
            not_a_number: 0,
            infinite: 0,
            cells: Cells::new(size),
            parts: PartSums::new(size),
        });
    }

    /// No more rows are measured: those of further pictures in the file.
    pub(crate) fn end(&mut self) {
        self.is_on = false;
    }

    /// Takes the samples of a row, or of a part of it that begins at a column.
    pub(crate) fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        if let Some(pixels) = self.pixels.as_mut().filter(|_| self.is_on) {
            pixels.row(column, row, parts);
        } else if let Some(measuring) = self.measuring.as_mut().filter(|_| self.is_on) {
            measuring.row(column, row, parts);
        }
    }

    /// Takes what a decoder has measured by itself, where pixels have no rows.
    pub(crate) fn set(&mut self, measured: Option<PictureMeasure>) {
        if self.is_on {
            self.measured = measured;
        }
    }

    /// What was measured.
    pub(crate) fn measure(self) -> Option<PictureMeasure> {
        self.measured
            .or_else(|| self.measuring.map(Measuring::measure))
    }
}

impl Measuring {
    fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        if row >= self.size.height || column >= self.size.width {
            return;
        }
        for (place, part) in parts.iter().enumerate() {
            let seed = u64::from(row) << 32 | u64::from(column) ^ (place as u64) << 60;
            // A sum does not depend on the order in which rows come.
            self.digest = self
                .digest
                .wrapping_add(xxh3_64_with_seed(part.bytes, seed));
            let of_picture = part.first.map(|first| first..first + part.channels);
            let channels = of_picture.and_then(|places| self.channels.get_mut(places));
            let (not_a_number, infinite) = if let Some(channels) = channels {
                if row.is_multiple_of(self.step) {
                    let colors = channels.len() - usize::from(self.has_alpha && channels.len() > 1);
                    channel::take_sums(channels, part, |at, values| {
                        if at < colors {
                            self.parts.row(column, row, values);
                        }
                    });
                }
                channel::take_extremes(channels, part)
            } else {
                part.kind.count_broken(part.bytes)
            };
            self.not_a_number += not_a_number;
            self.infinite += infinite;
        }
        self.cells.row(column, row, parts);
    }

    fn measure(self) -> PictureMeasure {
        let alpha = usize::from(self.has_alpha && self.channels.len() > 1);
        let colors = &self.channels[..self.channels.len() - alpha];
        let mut all = ChannelSums::default();
        colors.iter().for_each(|one| all.add(one));
        PictureMeasure {
            digest: Digest(self.digest),
            ranges: self.channels.iter().map(ChannelSums::range).collect(),
            has_alpha: self.has_alpha,
            brightness: all.mean(),
            contrast: all.deviation(),
            noise: all.noise(),
            thumbnail: self.parts.thumbnail(),
            not_a_number: self.not_a_number,
            infinite: self.infinite,
            blank: self.cells.blank(),
        }
    }
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::BlankPart;

    use super::*;

    /// Measures a gray picture of 8 bits whose pixels a function gives.
    fn gray(size: Size, pixel: impl Fn(u32, u32) -> u8) -> PictureMeasure {
        let mut meter = Meter::new(true);
        meter.begin(size, 1, false);
        for row in 0..size.height {
            let bytes: Vec<u8> = (0..size.width).map(|column| pixel(column, row)).collect();
            meter.row(
                0,
                row,
                &[RowPart::interleaved(&bytes, SampleKind::Eight, 1)],
            );
        }
        meter.measure().unwrap()
    }

    const SIZE: Size = Size {
        width: 200,
        height: 120,
    };

    fn noise(column: u32, row: u32) -> u8 {
        (column.wrapping_mul(2_654_435_761) ^ row.wrapping_mul(40_503)).to_le_bytes()[2]
    }

    #[test]
    fn the_numbers_are_those_of_the_pixels() {
        let ramp = gray(SIZE, |column, _| column as u8);
        assert_eq!(ramp.ranges, [(0.0, 199.0 / 255.0)]);
        assert!((ramp.brightness - 99.5 / 255.0).abs() < 1e-5);
        // The deviation of 0 … n - 1 is the root of (n² - 1) / 12.
        let deviation = ((200.0_f32 * 200.0 - 1.0) / 12.0).sqrt() / 255.0;
        assert!((ramp.contrast - deviation).abs() < 1e-4);
        assert!((ramp.noise - 1.0 / 255.0).abs() < 1e-6);
        assert_eq!((ramp.not_a_number, ramp.infinite), (0, 0));
        assert_eq!(ramp.blank, None);
    }

    #[test]
    fn rows_and_tiles_in_any_order_give_the_same() {
        let whole = gray(SIZE, noise);
        let mut meter = Meter::new(true);
        meter.begin(SIZE, 1, false);
        for row in (0..SIZE.height).rev() {
            let bytes: Vec<u8> = (0..SIZE.width).map(|column| noise(column, row)).collect();
            meter.row(
                0,
                row,
                &[RowPart::interleaved(&bytes, SampleKind::Eight, 1)],
            );
        }
        assert_eq!(meter.measure().unwrap(), whole);
    }

    #[test]
    fn one_pixel_makes_another_digest() {
        let one = gray(SIZE, noise);
        let other = gray(SIZE, |column, row| {
            noise(column, row) ^ u8::from((column, row) == (199, 119))
        });
        assert_ne!(one.digest, other.digest);
        // So does another place of the same rows.
        let moved = gray(SIZE, |column, row| noise(column, (row + 1) % SIZE.height));
        assert_ne!(one.digest, moved.digest);
    }

    #[test]
    fn a_part_that_was_never_rendered_is_found_to_the_cell() {
        for (left, top, width, height) in [
            (0, 80, 200, 40),
            (0, 0, 200, 16),
            (160, 0, 40, 120),
            (64, 32, 64, 64),
        ] {
            let holed = gray(SIZE, |column, row| {
                let is_in =
                    (left..left + width).contains(&column) && (top..top + height).contains(&row);
                if is_in { 0 } else { noise(column, row) }
            });
            let blank = BlankPart {
                left,
                top,
                width,
                height,
            };
            assert_eq!(holed.blank, Some(blank));
        }
        // Everything is no part, and a round hole has no straight edge.
        assert_eq!(gray(SIZE, |_, _| 9).blank, None);
        let round = gray(SIZE, |column, row| {
            let (x, y) = (column as f32 - 100.0, row as f32 - 60.0);
            if x * x + y * y < 2500.0 {
                0
            } else {
                noise(column, row)
            }
        });
        assert_eq!(round.blank, None);
    }

    #[test]
    fn broken_numbers_are_counted_and_left_out_of_the_others() {
        let values = [
            0.25_f32,
            f32::NAN,
            f32::INFINITY,
            -1.0,
            f32::NEG_INFINITY,
            0.5,
        ];
        let floats: Vec<u8> = values
            .iter()
            .flat_map(|value| value.to_le_bytes())
            .collect();
        let halves: Vec<u8> = values
            .iter()
            .flat_map(|value| half::f16::from_f32(*value).to_le_bytes())
            .collect();
        for (bytes, kind) in [(floats, SampleKind::Float), (halves, SampleKind::Half)] {
            let mut meter = Meter::new(true);
            let size = Size {
                width: 6,
                height: 1,
            };
            meter.begin(size, 1, false);
            meter.row(0, 0, &[RowPart::interleaved(&bytes, kind, 1)]);
            let measure = meter.measure().unwrap();
            assert_eq!((measure.not_a_number, measure.infinite), (1, 2));
            assert_eq!(measure.ranges, [(-1.0, 0.5)]);
            assert!((measure.brightness + 0.25 / 3.0).abs() < 1e-6);
        }
    }

    #[test]
    fn channels_are_told_apart_and_alpha_is_no_brightness() {
        let size = Size {
            width: 100,
            height: 4,
        };
        // Red 10, green 20, blue 30, alpha 255, with 16 bits in both orders.
        let big: Vec<u8> = [10_u16, 20, 30, 65535]
            .repeat(100)
            .iter()
            .flat_map(|value| value.to_be_bytes())
            .collect();
        let mut meter = Meter::new(true);
        meter.begin(size, 4, true);
        for row in 0..4 {
            meter.row(
                0,
                row,
                &[RowPart::interleaved(&big, SampleKind::SixteenBig, 4)],
            );
        }
        let measure = meter.measure().unwrap();
        assert_eq!(measure.constant_alpha(), Some(1.0));
        let color = measure.constant_color().unwrap();
        assert_eq!(color, [10.0, 20.0, 30.0].map(|value| value / 65535.0));
        assert!((measure.brightness - 20.0 / 65535.0).abs() < 1e-7);
    }

    #[test]
    fn what_is_not_asked_for_or_comes_second_is_not_measured() {
        let mut off = Meter::new(false);
        off.begin(SIZE, 1, false);
        assert!(off.measure().is_none());
        let mut many = Meter::new(true);
        many.begin(SIZE, 12, false);
        assert!(!many.is_on() && many.measure().is_none());
        let mut twice = Meter::new(true);
        twice.begin(SIZE, 1, false);
        twice.row(
            0,
            0,
            &[RowPart::interleaved(&[5; 200], SampleKind::Eight, 1)],
        );
        twice.end();
        twice.row(
            0,
            0,
            &[RowPart::interleaved(&[9; 200], SampleKind::Eight, 1)],
        );
        assert_eq!(
            twice.measure().unwrap().ranges,
            [(5.0 / 255.0, 5.0 / 255.0)]
        );
    }
}
