//! Pictures in their full size as a display shows them: each sample becomes a byte at once, without sums in between.

use half::f16;
use truepath_core::picture::{INFINITE, NOT_A_NUMBER, Size, srgb_light};

use super::{DisplayCurve, MOST_PIXELS, ValueKind};
use crate::meter::{RowPart, SampleKind};
use crate::raster::Raster;

/// Takes the rows of a picture, on black.
pub(crate) struct FullRows {
    curve: DisplayCurve,
    values: ValueKind,
    size: Size,
    channels: usize,
    has_alpha: bool,
    pixels: Vec<[u8; 3]>,
    seen: u64,
    /// Bytes of memory that it would take, where those are too many.
    pub(super) too_large: Option<u64>,
    /// Its pixels take so many bytes at most.
    pub(super) most_memory: u64,
}

impl FullRows {
    pub(crate) fn new(curve: DisplayCurve, values: ValueKind) -> Self {
        Self {
            curve,
            values,
            size: Size::square(0),
            channels: 0,
            has_alpha: false,
            pixels: Vec::new(),
            seen: 0,
            too_large: None,
            most_memory: MOST_PIXELS,
        }
    }

    /// Begins a picture; false of a second one in the same file.
    pub(crate) fn begin(&mut self, size: Size, channels: usize, has_alpha: bool) -> bool {
        if self.channels > 0 {
            return false;
        }
        (self.size, self.channels) = (size, channels);
        self.has_alpha = has_alpha && channels > 1;
        let bytes = u64::from(size.width) * u64::from(size.height) * 3;
        if bytes > self.most_memory {
            self.too_large = Some(bytes);
            return false;
        }
        self.pixels = vec![[0; 3]; size.width as usize * size.height as usize];
        true
    }

    /// Whether every pixel has come.
    pub(crate) fn is_whole(&self) -> bool {
        let pixels = u64::from(self.size.width) * u64::from(self.size.height);
        pixels > 0 && self.seen >= pixels
    }

    /// The picture.
    pub(crate) fn raster(self) -> Raster {
        Raster::of_pixels(self.size, self.pixels)
    }

    /// Takes the samples of a row, or of a part of it that begins at a column.
    pub(crate) fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        if row >= self.size.height || column >= self.size.width {
            return;
        }
        let Some(first) = parts.iter().find(|part| part.first.is_some()) else {
            return;
        };
        let width = first.bytes.len() / (first.channels * first.kind.bytes()).max(1);
        let width = width.min((self.size.width - column) as usize);
        let start = row as usize * self.size.width as usize + column as usize;
        self.seen += width as u64;
        let Some(line) = self.pixels.get_mut(start..start + width) else {
            return;
        };
        let colors = self.channels - usize::from(self.has_alpha);
        // Most pictures of eight bits are shown as they are.
        if self.values.is_encoded
            && self.channels == 3
            && first.kind == SampleKind::Eight
            && first.channels == 3
        {
            let (pixels, _) = first.bytes.as_chunks::<3>();
            line.copy_from_slice(&pixels[..width]);
            return;
        }
        let alpha = if self.has_alpha && self.values.is_straight {
            samples(parts, self.channels - 1)
        } else {
            None
        };
        for at in 0..3 {
            let channel = if colors < 3 { 0 } else { at };
            let Some(color) = samples(parts, channel) else {
                continue;
            };
            for (x, pixel) in line.iter_mut().enumerate() {
                let value = color.value(x);
                let shown = if !value.is_finite() {
                    let fault = if value.is_nan() {
                        NOT_A_NUMBER
                    } else {
                        INFINITE
                    };
                    *pixel = fault;
                    continue;
                } else if let Some(alpha) = &alpha {
                    let light = if self.values.is_encoded {
                        srgb_light(value)
                    } else {
                        value
                    };
                    self.curve.byte(light * alpha.value(x))
                } else if self.values.is_encoded {
                    (value.clamp(0.0, 1.0) * 255.0 + 0.5) as u8
                } else {
                    self.curve.byte(value)
                };
                // A pixel with a broken value keeps the color of that.
                if at == 0 || (*pixel != NOT_A_NUMBER && *pixel != INFINITE) {
                    pixel[at] = shown;
                }
            }
        }
    }
}

/// The samples of one channel in a row.
struct Samples<'r> {
    bytes: &'r [u8],
    kind: SampleKind,
    step: usize,
}

impl Samples<'_> {
    #[inline(always)]
    fn value(&self, x: usize) -> f32 {
        let at = x * self.step;
        match self.kind {
            SampleKind::Half => match self.bytes.get(at..at + 2) {
                Some(two) => f16::from_le_bytes([two[0], two[1]]).to_f32(),
                None => 0.0,
            },
            kind => self
                .bytes
                .get(at..at + kind.bytes())
                .map_or(0.0, |one| kind.value(one)),
        }
    }
}

fn samples<'r>(parts: &[RowPart<'r>], channel: usize) -> Option<Samples<'r>> {
    let of = |part: &&RowPart<'r>| {
        part.first
            .is_some_and(|first| (first..first + part.channels).contains(&channel))
    };
    let part = parts.iter().find(of)?;
    let place = channel - part.first?;
    Some(Samples {
        bytes: part.bytes.get(place * part.kind.bytes()..)?,
        kind: part.kind,
        step: part.channels * part.kind.bytes(),
    })
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::transfer;

    use super::*;

    fn shown(kind: SampleKind, channels: usize, values: ValueKind, bytes: &[u8]) -> [u8; 3] {
        let curve = DisplayCurve::new(transfer("srgb").unwrap());
        let mut rows = FullRows::new(curve, values);
        assert!(rows.begin(Size::square(1), channels, matches!(channels, 2 | 4)));
        rows.row(0, 0, &[RowPart::interleaved(bytes, kind, channels)]);
        assert!(rows.is_whole());
        rows.raster().pixel(0, 0)
    }

    const DISPLAY: ValueKind = ValueKind {
        is_encoded: true,
        is_straight: true,
    };
    const LIGHT: ValueKind = ValueKind {
        is_encoded: false,
        is_straight: false,
    };

    #[test]
    fn a_picture_of_too_many_pixels_is_not_begun() {
        let curve = DisplayCurve::new(transfer("srgb").unwrap());
        let mut rows = FullRows::new(curve, DISPLAY);
        assert!(!rows.begin(Size::square(30_000), 3, false));
        assert_eq!(rows.too_large, Some(2_700_000_000));
        assert!(!rows.is_whole());
    }

    #[test]
    fn samples_of_every_kind_become_what_a_display_shows() {
        assert_eq!(shown(SampleKind::Eight, 3, DISPLAY, &[1, 2, 3]), [1, 2, 3]);
        assert_eq!(shown(SampleKind::Eight, 1, DISPLAY, &[7]), [7; 3]);
        assert_eq!(
            shown(SampleKind::SixteenBig, 1, DISPLAY, &[0x80, 0x80]),
            [128; 3]
        );
        // Half of white light on black, and none.
        assert_eq!(
            shown(SampleKind::Eight, 4, DISPLAY, &[255, 255, 255, 128]),
            [188; 3]
        );
        assert_eq!(shown(SampleKind::Eight, 2, DISPLAY, &[255, 0]), [0; 3]);
        let light = |values: [f32; 4]| {
            let bytes: Vec<u8> = values.iter().flat_map(|one| one.to_le_bytes()).collect();
            shown(SampleKind::Float, 4, LIGHT, &bytes)
        };
        // Multiplied by alpha already.
        assert_eq!(light([0.18, 2.0, -1.0, 0.5]), [118, 255, 0]);
        assert_eq!(light([0.18, f32::NAN, 0.2, 1.0]), NOT_A_NUMBER);
        assert_eq!(light([f32::INFINITY, 0.1, 0.2, 1.0]), INFINITE);
    }
}
