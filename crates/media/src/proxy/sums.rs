//! Adds up the pixels of a picture in the cells of a smaller one, in whatever order rows and tiles come.

use truepath_core::picture::{PixelFault, Size, srgb_light};

use super::{BYTES_OF_A_PIXEL, MOST_PIXELS, Proxy};
use crate::meter::{RowPart, SampleKind};

/// The sums of a picture.
pub(crate) struct ProxySums {
    within: Size,
    /// Whether the values are those of a display, and become light by the curve of sRGB.
    is_encoded: bool,
    /// Whether colors are not multiplied by alpha in the file.
    is_straight: bool,
    source: Size,
    size: Size,
    channels: usize,
    has_alpha: bool,
    sums: Vec<[f32; 4]>,
    counts: Vec<u32>,
    faults: Vec<PixelFault>,
    /// The column of the small picture for each of the large one.
    columns: Vec<u32>,
    /// Light of every value of 8 bits.
    light: Vec<f32>,
    seen: u64,
    /// Bytes of memory that it may take.
    pub(super) most_memory: u64,
    /// Bytes that it would take, where those are more.
    pub(super) too_large: Option<u64>,
}

impl ProxySums {
    pub(crate) fn new(within: Size, is_encoded: bool, is_straight: bool) -> Self {
        let nothing = Size {
            width: 0,
            height: 0,
        };
        Self {
            within,
            is_encoded,
            is_straight,
            source: nothing,
            size: nothing,
            channels: 0,
            has_alpha: false,
            sums: Vec::new(),
            counts: Vec::new(),
            faults: Vec::new(),
            columns: Vec::new(),
            light: (0..=255_u8)
                .map(|value| srgb_light(f32::from(value) / 255.0))
                .collect(),
            seen: 0,
            most_memory: MOST_PIXELS,
            too_large: None,
        }
    }

    /// Begins a picture; false of a second one in the same file.
    pub(crate) fn begin(&mut self, size: Size, channels: usize, has_alpha: bool) -> bool {
        if self.channels > 0 {
            return false;
        }
        // The side that is tighter decides.
        let is_wide = u64::from(size.width) * u64::from(self.within.height)
            >= u64::from(size.height) * u64::from(self.within.width);
        let (room, side) = if is_wide {
            (self.within.width, size.width)
        } else {
            (self.within.height, size.height)
        };
        let (room, side) = (u64::from(room.max(1)), u64::from(side.max(1)));
        let fitted = |length: u32| {
            if side <= room {
                return length;
            }
            ((u64::from(length) * room + side / 2) / side).max(1) as u32
        };
        self.size = Size {
            width: fitted(size.width),
            height: fitted(size.height),
        };
        self.source = size;
        self.channels = channels;
        self.has_alpha = has_alpha;
        let count = self.size.width as usize * self.size.height as usize;
        let bytes = count as u64 * BYTES_OF_A_PIXEL;
        if bytes > self.most_memory {
            self.too_large = Some(bytes);
            return false;
        }
        self.sums = vec![[0.0; 4]; count];
        self.counts = vec![0; count];
        self.faults = vec![PixelFault::None; count];
        let place = |column: u32| scaled(column, self.size.width, size.width);
        self.columns = (0..size.width).map(place).collect();
        true
    }

    /// Whether every pixel has come.
    pub(crate) fn is_whole(&self) -> bool {
        let pixels = u64::from(self.source.width) * u64::from(self.source.height);
        pixels > 0 && self.seen >= pixels
    }

    /// Takes the samples of a row, or of a part of it that begins at a column.
    pub(crate) fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        if row >= self.source.height || column >= self.source.width {
            return;
        }
        let Some(first) = parts.iter().find(|part| part.first.is_some()) else {
            return;
        };
        let width = first.bytes.len() / (first.channels * first.kind.bytes()).max(1);
        let width = width.min((self.source.width - column) as usize);
        let line =
            scaled(row, self.size.height, self.source.height) as usize * self.size.width as usize;
        let colors = self.channels - usize::from(self.has_alpha && self.channels > 1);
        self.seen += width as u64;
        // Most rows: sums of each channel by itself.
        let multiplies = self.is_straight && colors < self.channels;
        if !multiplies
            && parts
                .iter()
                .all(|part| part.first.is_none() || part.is_finite())
        {
            self.add_row(line, column as usize, width, parts, colors);
            return;
        }
        let mut values = vec![0.0_f32; self.channels];
        for x in 0..width {
            values.fill(0.0);
            for part in parts {
                let Some(first) = part.first else { continue };
                let bytes = part.kind.bytes();
                let at = x * part.channels * bytes;
                for channel in 0..part.channels {
                    let from = at + channel * bytes;
                    let (Some(sample), Some(value)) = (
                        part.bytes.get(from..from + bytes),
                        values.get_mut(first + channel),
                    ) else {
                        continue;
                    };
                    let is_color = first + channel < colors;
                    *value = if is_color {
                        self.light_of(part.kind, sample)
                    } else {
                        part.kind.value(sample)
                    };
                }
            }
            let cell = line + self.columns[column as usize + x] as usize;
            self.add(cell, &values, colors);
        }
    }

    /// Adds a row whose values are all numbers, and whose colors need no alpha.
    fn add_row(
        &mut self,
        line: usize,
        column: usize,
        width: usize,
        parts: &[RowPart<'_>],
        colors: usize,
    ) {
        // The pixels that fall into one cell stand side by side.
        let cells = &self.columns[column..column + width];
        let runs: Vec<(usize, usize, usize)> = cells
            .chunk_by(|one, next| one == next)
            .scan(0, |start, run| {
                let from = *start;
                *start += run.len();
                Some((line + run[0] as usize, from, *start))
            })
            .collect();
        for (cell, from, to) in &runs {
            self.counts[*cell] += (to - from) as u32;
        }
        let has_alpha = colors < self.channels;
        for part in parts {
            let Some(first) = part.first else { continue };
            for channel in first..first + part.channels {
                let is_color = channel < colors;
                let of_cell: &[usize] = match (is_color, colors < 3) {
                    (true, true) if channel == 0 => &[0, 1, 2],
                    (true, true) => continue,
                    (true, false) if channel < 3 => &[[0], [1], [2]][channel],
                    (true, false) => continue,
                    (false, _) => &[3],
                };
                let place = channel - first;
                for (cell, from, to) in &runs {
                    let sum = self.sum_of(part, place, *from, *to, is_color);
                    for at in of_cell {
                        self.sums[*cell][*at] += sum;
                    }
                }
            }
        }
        if !has_alpha {
            for (cell, from, to) in &runs {
                self.sums[*cell][3] += (to - from) as f32;
            }
        }
    }

    /// The sum of one channel from one pixel of a row to another.
    fn sum_of(
        &self,
        part: &RowPart<'_>,
        place: usize,
        from: usize,
        to: usize,
        is_color: bool,
    ) -> f32 {
        let bytes = part.kind.bytes();
        let pixel = part.channels * bytes;
        let Some(row) = part.bytes.get(from * pixel..to * pixel) else {
            return 0.0;
        };
        let samples = row
            .chunks_exact(pixel)
            .map(|one| &one[place * bytes..(place + 1) * bytes]);
        let is_light = is_color && self.is_encoded;
        // The kind is decided once for all samples.
        match part.kind {
            SampleKind::Float => samples.map(|one| SampleKind::Float.value(one)).sum(),
            SampleKind::Half => samples.map(|one| SampleKind::Half.value(one)).sum(),
            SampleKind::Eight if is_light => {
                samples.map(|one| self.light[usize::from(one[0])]).sum()
            }
            kind if is_light => samples.map(|one| self.light_of(kind, one)).sum(),
            kind => samples.map(|one| kind.value(one)).sum(),
        }
    }

    fn light_of(&self, kind: SampleKind, sample: &[u8]) -> f32 {
        match (kind, sample) {
            (SampleKind::Eight, [value]) if self.is_encoded => self.light[usize::from(*value)],
            (SampleKind::SixteenBig | SampleKind::SixteenLittle, sample) if self.is_encoded => {
                srgb_light(kind.value(sample))
            }
            (kind, sample) => kind.value(sample),
        }
    }

    fn add(&mut self, cell: usize, values: &[f32], colors: usize) {
        let alpha = if self.has_alpha && values.len() > 1 {
            values[values.len() - 1]
        } else {
            1.0
        };
        let color = |at: usize| values[if colors < 3 { 0 } else { at }];
        let factor = if self.is_straight { alpha } else { 1.0 };
        let pixel = [
            color(0) * factor,
            color(1) * factor,
            color(2) * factor,
            alpha,
        ];
        if pixel.iter().all(|value| value.is_finite()) {
            for (sum, value) in self.sums[cell].iter_mut().zip(pixel) {
                *sum += value;
            }
            self.counts[cell] += 1;
        } else if pixel.iter().any(|value| value.is_nan()) {
            self.faults[cell] = PixelFault::NotANumber;
        } else if self.faults[cell] == PixelFault::None {
            self.faults[cell] = PixelFault::Infinite;
        }
    }

    /// The small picture: the mean of each cell.
    pub(crate) fn proxy(self, notes: Vec<String>) -> Proxy {
        let mean = |(sum, count): (&[f32; 4], &u32)| sum.map(|sum| sum / (*count).max(1) as f32);
        Proxy {
            source: self.source,
            size: self.size,
            pixels: self.sums.iter().zip(&self.counts).map(mean).collect(),
            faults: self.faults,
            notes,
        }
    }
}

/// The place of a row or column in fewer of them.
fn scaled(at: u32, of: u32, from: u32) -> u32 {
    (u64::from(at) * u64::from(of) / u64::from(from.max(1))) as u32
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(bytes: &[u8], channels: usize) -> RowPart<'_> {
        RowPart::interleaved(bytes, SampleKind::Eight, channels)
    }

    #[test]
    fn light_is_averaged_and_not_its_encoded_values() {
        // Black and white lines: half of the light.
        let mut sums = ProxySums::new(Size::square(2), true, true);
        let size = Size {
            width: 4,
            height: 2,
        };
        sums.begin(size, 1, false);
        sums.row(0, 1, &[part(&[0, 255, 0, 255], 1)]);
        assert!(!sums.is_whole());
        sums.row(0, 0, &[part(&[0, 255, 0, 255], 1)]);
        assert!(sums.is_whole());
        let proxy = sums.proxy(Vec::new());
        assert_eq!((proxy.size.width, proxy.size.height), (2, 1));
        for pixel in &proxy.pixels {
            assert!(
                (pixel[0] - 0.5).abs() < 1e-6 && pixel[3] == 1.0,
                "{pixel:?}"
            );
        }
    }

    #[test]
    fn a_picture_fits_into_both_sides() {
        let fitted = |width, height, within| {
            let mut sums = ProxySums::new(within, true, true);
            sums.begin(Size { width, height }, 1, false);
            (sums.size.width, sums.size.height)
        };
        let within = Size {
            width: 80,
            height: 20,
        };
        assert_eq!(fitted(160, 20, within), (80, 10));
        assert_eq!(fitted(160, 100, within), (32, 20));
        assert_eq!(fitted(60, 20, within), (60, 20));
        assert_eq!(fitted(10_000, 1, within), (80, 1));
        assert_eq!(fitted(300, 200, Size::square(150)), (150, 100));
    }

    #[test]
    fn a_small_picture_stays_and_a_transparent_pixel_has_no_color() {
        let mut sums = ProxySums::new(Size::square(100), true, true);
        let size = Size {
            width: 2,
            height: 1,
        };
        sums.begin(size, 4, true);
        sums.row(0, 0, &[part(&[255, 0, 0, 0, 0, 255, 0, 255], 4)]);
        let proxy = sums.proxy(Vec::new());
        assert_eq!(proxy.size, size);
        assert_eq!(proxy.pixels, [[0.0; 4], [0.0, 1.0, 0.0, 1.0]]);
    }
}
