//! What a JPEG picture shows, from the mean values of its blocks: a DC coefficient is eight times the mean of
//! its block, ITU-T T.81, annex A.3.3.

use truepath_core::picture::{Digest, PictureMeasure, Size, Thumbnail};

use super::scan::{Component, ScanFrame};
use crate::meter::{Cells, PartSums};

impl ScanFrame {
    /// What the picture shows; none where its blocks were not kept.
    pub(super) fn measure(&self, digest: u64) -> Option<PictureMeasure> {
        let [luma, others @ ..] = &self.components[..] else {
            return None;
        };
        let is_gray = others.is_empty();
        if self.components.iter().any(|one| one.blocks.is_empty()) || !matches!(others.len(), 0 | 2)
        {
            return None;
        }
        let means = Means::of(luma, self.precision);
        let ranges = if is_gray {
            vec![means.range()]
        } else {
            self.color_ranges(&means)
        };
        Some(PictureMeasure {
            digest: Digest(digest),
            ranges,
            has_alpha: false,
            brightness: means.mean(),
            contrast: means.deviation(),
            noise: means.noise(),
            thumbnail: means.thumbnail(),
            not_a_number: 0,
            infinite: 0,
            blank: self.cells().blank(),
        })
    }

    /// The ranges of red, green and blue: exact of a picture of one color, and of others those of the luma.
    fn color_ranges(&self, luma: &Means) -> Vec<(f32, f32)> {
        let [_, blue, red] = &self.components[..] else {
            return vec![luma.range()];
        };
        let (blue, red) = (
            Means::of(blue, self.precision),
            Means::of(red, self.precision),
        );
        let (Some(y), Some(b), Some(r)) = (luma.constant(), blue.constant(), red.constant()) else {
            return vec![
                (
                    luma.range().0,
                    luma.range().1.max(luma.range().0 + f32::EPSILON)
                );
                3
            ];
        };
        // ITU-T T.871, section 7.
        let (b, r) = (b - 0.5, r - 0.5);
        let colors = [
            y + 1.402 * r,
            y - 0.344_136 * b - 0.714_136 * r,
            y + 1.772 * b,
        ];
        colors
            .map(|one| one.clamp(0.0, 1.0))
            .map(|one| (one, one))
            .to_vec()
    }

    /// Which blocks have one value.
    fn cells(&self) -> Cells {
        let luma = &self.components[0];
        let (across, down) = luma.size();
        let value = |column: u32, row: u32| {
            let mut digest = 0_u32;
            for one in &self.components {
                let (own_across, own_down) = one.size();
                let block = one.block(column * own_across / across, row * own_down / down);
                if block.nonzero > 0 {
                    return None;
                }
                digest = digest.rotate_left(11) ^ u32::from(block.dc as u16);
            }
            Some(digest)
        };
        let size = Size {
            width: self.width,
            height: self.height,
        };
        Cells::of_values(size, 8, (across, down), value)
    }
}

/// The mean values of the blocks of a component, from 0 to 1.
struct Means {
    values: Vec<f32>,
    across: usize,
    /// Coefficients that are not zero, DC not counted.
    nonzero: u64,
}

impl Means {
    fn of(one: &Component, precision: u8) -> Self {
        let (across, down) = one.size();
        let most = ((1_u32 << precision) - 1) as f32;
        let middle = (1_u32 << (precision - 1)) as f32;
        let mut nonzero = 0;
        let mut values = Vec::with_capacity(across as usize * down as usize);
        for row in 0..down {
            for column in 0..across {
                let block = one.block(column, row);
                nonzero += u64::from(block.nonzero);
                let mean = f32::from(block.dc) * f32::from(one.dc_step) / 8.0 + middle;
                values.push((mean / most).clamp(0.0, 1.0));
            }
        }
        Self {
            values,
            across: across as usize,
            nonzero,
        }
    }

    fn range(&self) -> (f32, f32) {
        let lowest = self.values.iter().copied().fold(f32::INFINITY, f32::min);
        let highest = self.values.iter().copied().fold(0.0, f32::max);
        (lowest.min(highest), highest)
    }

    /// The value of all pixels, where they have one.
    fn constant(&self) -> Option<f32> {
        let (lowest, highest) = self.range();
        (self.nonzero == 0 && lowest == highest).then_some(lowest)
    }

    fn mean(&self) -> f32 {
        let sum: f64 = self.values.iter().map(|value| f64::from(*value)).sum();
        (sum / self.values.len().max(1) as f64) as f32
    }

    fn deviation(&self) -> f32 {
        let mean = f64::from(self.mean());
        let square = |value: &f32| (f64::from(*value) - mean).powi(2);
        let sum: f64 = self.values.iter().map(square).sum();
        (sum / self.values.len().max(1) as f64).sqrt() as f32
    }

    /// The share of coefficients that are not zero.
    fn noise(&self) -> f32 {
        self.nonzero as f32 / (63 * self.values.len().max(1)) as f32
    }

    fn thumbnail(&self) -> Thumbnail {
        let across = self.across.max(1);
        let size = Size {
            width: across as u32,
            height: (self.values.len() / across) as u32,
        };
        let mut parts = PartSums::new(size);
        for (at, value) in self.values.iter().enumerate() {
            parts.add((at % across) as u32, (at / across) as u32, *value);
        }
        parts.thumbnail()
    }
}
