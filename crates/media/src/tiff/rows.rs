//! The pixels of a strip or tile: counted, and measured row by row. Predictors after TIFF revision 6.0,
//! section 14, and its technical note 3 (floating point).

use std::io::{self, Write};

use crate::meter::{Meter, RowPart, SampleKind};

/// How the samples of a picture are stored, where it can be measured.
#[derive(Debug, Clone, Copy)]
pub(super) struct SampleLayout {
    pub(super) kind: SampleKind,
    /// Whether the low byte of a sample comes first.
    pub(super) is_little: bool,
    pub(super) channels: usize,
    pub(super) predictor: Predictor,
}

/// What is undone before samples have their values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Predictor {
    None,
    /// Each sample is the difference to that of the pixel before.
    Horizontal,
    /// The same of bytes, which are sorted by their place in the samples of a row.
    Float,
}

impl Predictor {
    /// The predictor with this number.
    pub(super) fn of(number: u64) -> Option<Self> {
        match number {
            1 => Some(Self::None),
            2 => Some(Self::Horizontal),
            3 => Some(Self::Float),
            _ => None,
        }
    }
}

/// Counts the bytes of a strip or tile up to a limit, and measures its rows.
pub(super) struct PieceRows<'m> {
    pub(super) count: u64,
    limit: u64,
    meter: &'m mut Meter,
    layout: Option<SampleLayout>,
    /// Where the next row begins, in pixels.
    at: (u32, u32),
    /// The row that is being filled, and how many bytes of it belong to the picture.
    row: Vec<u8>,
    length: usize,
    shown: usize,
}

impl<'m> PieceRows<'m> {
    /// Those of a piece at a place, `width` pixels wide, of which `shown` belong to the picture.
    pub(super) fn new(
        limit: u64,
        meter: &'m mut Meter,
        layout: Option<SampleLayout>,
        at: (u32, u32),
        (width, shown): (u64, u64),
    ) -> Self {
        let pixel = layout.map_or(0, |layout| layout.channels * layout.kind.bytes());
        Self {
            count: 0,
            limit,
            layout: layout.filter(|_| meter.is_on()),
            meter,
            at,
            row: Vec::new(),
            length: (width as usize).saturating_mul(pixel),
            shown: (shown as usize).saturating_mul(pixel),
        }
    }

    /// Takes bytes of rows; a full row is measured.
    fn take(&mut self, mut bytes: &[u8]) {
        let Some(layout) = self.layout.filter(|_| self.length > 0) else {
            return;
        };
        while !bytes.is_empty() {
            let more = (self.length - self.row.len()).min(bytes.len());
            self.row.extend_from_slice(&bytes[..more]);
            bytes = &bytes[more..];
            if self.row.len() == self.length {
                layout.undo_predictor(&mut self.row);
                let part =
                    RowPart::interleaved(&self.row[..self.shown], layout.kind, layout.channels);
                self.meter.row(self.at.0, self.at.1, &[part]);
                self.at.1 += 1;
                self.row.clear();
            }
        }
    }
}

impl Write for PieceRows<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.count += bytes.len() as u64;
        if self.count > self.limit {
            return Err(io::Error::other("it holds more pixels than it should"));
        }
        self.take(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl SampleLayout {
    /// Gives the samples of a row their values, floating point with the low byte first.
    fn undo_predictor(&self, row: &mut [u8]) {
        let size = self.kind.bytes();
        let pixel = size * self.channels;
        match (self.predictor, size) {
            (Predictor::None, _) => {}
            (Predictor::Horizontal, 1) => {
                for at in pixel..row.len() {
                    row[at] = row[at].wrapping_add(row[at - pixel]);
                }
            }
            (Predictor::Horizontal, 2) => {
                let read = |bytes: [u8; 2]| {
                    if self.is_little {
                        u16::from_le_bytes(bytes)
                    } else {
                        u16::from_be_bytes(bytes)
                    }
                };
                let write = |value: u16| {
                    if self.is_little {
                        value.to_le_bytes()
                    } else {
                        value.to_be_bytes()
                    }
                };
                for at in (pixel..row.len().saturating_sub(1)).step_by(2) {
                    let before = read([row[at - pixel], row[at - pixel + 1]]);
                    let value = read([row[at], row[at + 1]]).wrapping_add(before);
                    row[at..at + 2].copy_from_slice(&write(value));
                }
            }
            (Predictor::Horizontal, _) => {}
            (Predictor::Float, _) => {
                for at in self.channels..row.len() {
                    row[at] = row[at].wrapping_add(row[at - self.channels]);
                }
                let sorted = row.to_vec();
                let samples = row.len() / size;
                for (at, sample) in row.chunks_exact_mut(size).enumerate() {
                    // The high bytes of all samples come first.
                    for (byte, place) in sample.iter_mut().zip((0..size).rev()) {
                        *byte = sorted[place * samples + at];
                    }
                }
                return;
            }
        }
        let is_float = matches!(self.kind, SampleKind::Half | SampleKind::Float);
        if is_float && !self.is_little {
            row.chunks_exact_mut(size).for_each(<[u8]>::reverse);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn layout(kind: SampleKind, channels: usize, predictor: Predictor) -> SampleLayout {
        SampleLayout {
            kind,
            is_little: true,
            channels,
            predictor,
        }
    }

    #[test]
    fn differences_become_values_again() {
        let mut row = [10, 20, 1, 2, 255, 0];
        layout(SampleKind::Eight, 2, Predictor::Horizontal).undo_predictor(&mut row);
        assert_eq!(row, [10, 20, 11, 22, 10, 22]);
        let mut row: Vec<u8> = [1000_u16, 1, 65535]
            .iter()
            .flat_map(|one| one.to_le_bytes())
            .collect();
        layout(SampleKind::SixteenLittle, 1, Predictor::Horizontal).undo_predictor(&mut row);
        let values: Vec<u8> = [1000_u16, 1001, 1000]
            .iter()
            .flat_map(|one| one.to_le_bytes())
            .collect();
        assert_eq!(row, values);
    }

    #[test]
    fn sorted_bytes_become_floating_point_again() {
        let values = [1.5_f32, -0.25, 1e10];
        // By the note: the high bytes of all samples first, then differences of neighbouring bytes.
        let mut sorted: Vec<u8> = (0..4)
            .flat_map(|place| values.map(|value| value.to_be_bytes()[place]))
            .collect();
        for at in (1..sorted.len()).rev() {
            sorted[at] = sorted[at].wrapping_sub(sorted[at - 1]);
        }
        layout(SampleKind::Float, 1, Predictor::Float).undo_predictor(&mut sorted);
        let whole: Vec<u8> = values
            .iter()
            .flat_map(|value| value.to_le_bytes())
            .collect();
        assert_eq!(sorted, whole);
    }

    #[test]
    fn more_than_the_limit_is_an_error() {
        let mut meter = Meter::new(false);
        let mut rows = PieceRows::new(10, &mut meter, None, (0, 0), (5, 5));
        rows.write_all(&[0; 10]).unwrap();
        assert!(rows.write_all(&[0]).is_err());
    }
}
