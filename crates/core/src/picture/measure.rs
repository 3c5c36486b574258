//! What a finished picture shows, in a few numbers: enough to tell a suspicious picture from its neighbours
//! without opening any of them again.

use std::fmt;

use serde::{Deserialize, Serialize};

/// What a picture shows. Whole numbers are scaled to 0 … 1, floating point is as it is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PictureMeasure {
    /// A digest of its samples: two files with the same pixels have the same digest, however they are
    /// compressed.
    pub digest: Digest,
    /// The lowest and the highest value of each channel; alpha is the last, where there is one.
    pub ranges: Vec<(f32, f32)>,
    /// Whether the last channel is alpha.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub has_alpha: bool,
    /// The mean of all values but alpha: how bright it is.
    pub brightness: f32,
    /// Their standard deviation.
    pub contrast: f32,
    /// The mean difference of a value to that of the pixel beside it; of a JPEG picture the share of its
    /// coefficients that are not zero.
    pub noise: f32,
    /// What it looks like from afar.
    pub thumbnail: Thumbnail,
    /// Samples that are not a number.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub not_a_number: u64,
    /// Samples that are infinite.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub infinite: u64,
    /// The largest part of one value with straight edges; none where there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blank: Option<BlankPart>,
}

fn is_zero(number: &u64) -> bool {
    *number == 0
}

impl PictureMeasure {
    /// The ranges of all channels but alpha.
    #[must_use]
    pub fn colors(&self) -> &[(f32, f32)] {
        let colors = self.ranges.len() - usize::from(self.has_alpha && self.ranges.len() > 1);
        &self.ranges[..colors]
    }

    /// The one value of alpha, where it has one everywhere.
    #[must_use]
    pub fn constant_alpha(&self) -> Option<f32> {
        let (lowest, highest) = *self.ranges.last().filter(|_| self.has_alpha)?;
        (lowest == highest).then_some(lowest)
    }

    /// The color of each channel, where every pixel has the same.
    #[must_use]
    pub fn constant_color(&self) -> Option<Vec<f32>> {
        let colors = self.colors();
        let is_constant = self.not_a_number == 0
            && self.infinite == 0
            && colors.iter().all(|(lowest, highest)| lowest == highest);
        (is_constant && !colors.is_empty())
            .then(|| colors.iter().map(|(lowest, _)| *lowest).collect())
    }
}

/// A part of a picture in which every pixel has the same value, in pixels from the upper left corner.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct BlankPart {
    /// Pixels left of it.
    pub left: u32,
    /// Pixels above it.
    pub top: u32,
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
}

impl BlankPart {
    /// Its pixels.
    #[must_use]
    pub fn area(self) -> u64 {
        u64::from(self.width) * u64::from(self.height)
    }

    /// The pixels that it shares with another.
    #[must_use]
    pub fn shared(self, other: Self) -> u64 {
        let length = |at: u32, size: u32, other_at: u32, other_size: u32| {
            let end = (at + size).min(other_at + other_size);
            u64::from(end.saturating_sub(at.max(other_at)))
        };
        length(self.left, self.width, other.left, other.width)
            * length(self.top, self.height, other.top, other.height)
    }
}

impl fmt::Display for BlankPart {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self {
            left,
            top,
            width,
            height,
        } = self;
        write!(out, "{width}x{height} at {left},{top}")
    }
}

/// How bright each part of a picture is, in four rows of four, each from 0 (black) to 65535 (infinite light): how
/// much two pictures differ is seen by it. It is written as 64 hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Thumbnail(pub [u16; 16]);

impl Thumbnail {
    /// Rows and columns.
    pub const SIDE: usize = 4;

    /// That of the mean values of the parts, row by row.
    #[must_use]
    pub fn of_means(means: [f32; 16]) -> Self {
        // Light has no upper end.
        let squeezed = |mean: f32| {
            let mean = mean.max(0.0);
            (mean / (1.0 + mean) * 65535.0) as u16
        };
        Self(means.map(squeezed))
    }

    /// How much two pictures differ: the sum of the differences of their parts.
    #[must_use]
    pub fn difference(&self, other: &Self) -> u32 {
        let pairs = self.0.iter().zip(&other.0);
        pairs
            .map(|(one, other)| u32::from(one.abs_diff(*other)))
            .sum()
    }
}

impl From<Thumbnail> for String {
    fn from(thumbnail: Thumbnail) -> Self {
        let digits = thumbnail.0.iter().map(|part| format!("{part:04x}"));
        digits.collect()
    }
}

impl TryFrom<String> for Thumbnail {
    type Error = std::num::ParseIntError;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        let mut parts = [0; 16];
        for (at, part) in parts.iter_mut().enumerate() {
            *part = u16::from_str_radix(text.get(at * 4..at * 4 + 4).unwrap_or_default(), 16)?;
        }
        Ok(Self(parts))
    }
}

/// A digest of pixels, written as 16 hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Digest(pub u64);

impl From<Digest> for String {
    fn from(digest: Digest) -> Self {
        format!("{:016x}", digest.0)
    }
}

impl TryFrom<String> for Digest {
    type Error = std::num::ParseIntError;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        u64::from_str_radix(&text, 16).map(Self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn measure(ranges: &[(f32, f32)], has_alpha: bool) -> PictureMeasure {
        PictureMeasure {
            digest: Digest(7),
            ranges: ranges.to_vec(),
            has_alpha,
            brightness: 0.5,
            contrast: 0.25,
            noise: 0.125,
            thumbnail: Thumbnail([0x1234; 16]),
            not_a_number: 0,
            infinite: 0,
            blank: None,
        }
    }

    #[test]
    fn a_constant_picture_has_one_color_whatever_its_alpha_is() {
        let constant = measure(&[(0.0, 0.0), (0.5, 0.5), (0.5, 0.5), (0.0, 1.0)], true);
        assert_eq!(constant.constant_color(), Some(vec![0.0, 0.5, 0.5]));
        assert_eq!(constant.constant_alpha(), None);
        let opaque = measure(&[(0.0, 0.5), (1.0, 1.0)], true);
        assert_eq!(opaque.constant_color(), None);
        assert_eq!(opaque.constant_alpha(), Some(1.0));
        let broken = PictureMeasure {
            not_a_number: 3,
            ..measure(&[(0.0, 0.0)], false)
        };
        assert_eq!(broken.constant_color(), None);
    }

    #[test]
    fn parts_share_what_is_in_both() {
        let part = |left, top, width, height| BlankPart {
            left,
            top,
            width,
            height,
        };
        assert_eq!(part(0, 0, 10, 10).shared(part(5, 5, 10, 10)), 25);
        assert_eq!(part(0, 0, 10, 10).shared(part(10, 0, 5, 5)), 0);
        assert_eq!(part(0, 0, 10, 10).shared(part(2, 3, 4, 5)), 20);
        assert_eq!(part(1, 2, 3, 4).to_string(), "3x4 at 1,2");
    }

    #[test]
    fn it_is_written_in_few_words_and_read_back() {
        let one = measure(&[(0.0, 1.0)], false);
        let text = serde_json::to_string(&one).unwrap();
        assert_eq!(
            text,
            r#"{"digest":"0000000000000007","ranges":[[0.0,1.0]],"brightness":0.5,"contrast":0.25,"noise":0.125,"thumbnail":"1234123412341234123412341234123412341234123412341234123412341234"}"#
        );
        assert_eq!(serde_json::from_str::<PictureMeasure>(&text).unwrap(), one);
    }
}
