//! How bright each part of a picture is, in four rows of four.

use truepath_core::picture::{Size, Thumbnail};

use super::RowPart;

/// Sums of values by part.
pub(crate) struct PartSums {
    size: Size,
    sums: [f64; 16],
    counts: [f64; 16],
}

impl PartSums {
    pub(crate) fn new(size: Size) -> Self {
        Self {
            size,
            sums: [0.0; 16],
            counts: [0.0; 16],
        }
    }

    /// Adds a value at a place.
    pub(crate) fn add(&mut self, column: u32, row: u32, value: f32) {
        let part = |at: u32, size: u32| {
            let side = Thumbnail::SIDE as u64;
            (u64::from(at) * side / u64::from(size.max(1))).min(side - 1)
        };
        let at =
            part(row, self.size.height) * Thumbnail::SIDE as u64 + part(column, self.size.width);
        let at = at as usize;
        if let (Some(sum), Some(count)) = (self.sums.get_mut(at), self.counts.get_mut(at)) {
            *sum += f64::from(value);
            *count += 1.0;
        }
    }

    /// Adds the first `colors` channels of a row; every few pixels are enough.
    pub(super) fn row(&mut self, column: u32, row: u32, part: &RowPart<'_>, colors: usize) {
        let bytes = part.kind.bytes();
        let every = (self.size.width / 256).max(1);
        let pixels = part.bytes.chunks_exact(part.pixel());
        for (at, pixel) in (column..).zip(pixels).step_by(every as usize) {
            for sample in pixel.chunks_exact(bytes).take(colors) {
                let value = part.kind.value(sample);
                if value.is_finite() {
                    self.add(at, row, value);
                }
            }
        }
    }

    pub(crate) fn thumbnail(&self) -> Thumbnail {
        let mut means = [0.0; 16];
        for (mean, (sum, count)) in means.iter_mut().zip(self.sums.iter().zip(&self.counts)) {
            *mean = (sum / count.max(1.0)) as f32;
        }
        Thumbnail::of_means(means)
    }
}
