//! How bright each part of a picture is, in four rows of four.

use truepath_core::picture::{Size, Thumbnail};

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
        let part = part(row, self.size.height) * Thumbnail::SIDE + part(column, self.size.width);
        self.add_all(part, f64::from(value), 1);
    }

    fn add_all(&mut self, part: usize, sum: f64, count: usize) {
        if let (Some(sums), Some(counts)) = (self.sums.get_mut(part), self.counts.get_mut(part)) {
            *sums += sum;
            *counts += count as f64;
        }
    }

    /// Adds the values of a channel in a row that begins at a column; every few pixels are enough.
    pub(super) fn row(&mut self, column: u32, row: u32, values: &[f32]) {
        let every = (self.size.width / 256).max(1) as usize;
        let above = part(row, self.size.height) * Thumbnail::SIDE;
        let mut start = 0;
        while start < values.len() {
            let left = part(column + start as u32, self.size.width);
            // The first column of the next part.
            let next = ((left + 1) * self.size.width as usize).div_ceil(Thumbnail::SIDE);
            let end = next.saturating_sub(column as usize);
            let end = end.clamp(start + 1, values.len());
            let (mut sum, mut count) = (0.0, 0);
            for value in values[start..end].iter().step_by(every) {
                if value.is_finite() {
                    sum += f64::from(*value);
                    count += 1;
                }
            }
            self.add_all(above + left, sum, count);
            start = end;
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

/// The part that a place along a side falls into.
fn part(at: u32, length: u32) -> usize {
    let part = u64::from(at) * Thumbnail::SIDE as u64 / u64::from(length.max(1));
    (part as usize).min(Thumbnail::SIDE - 1)
}
