//! Ratios of whole numbers.

use std::fmt;

/// A ratio of whole numbers, both above zero: a part of a size, or the width of a pixel by its height.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ratio {
    /// The number above the line.
    pub numerator: u32,
    /// The number below it.
    pub denominator: u32,
}

impl Ratio {
    /// The ratio of two numbers above zero.
    #[must_use]
    pub fn new(numerator: u32, denominator: u32) -> Option<Self> {
        (numerator > 0 && denominator > 0).then_some(Self {
            numerator,
            denominator,
        })
    }

    /// As a decimal number.
    #[must_use]
    pub fn decimal(self) -> f64 {
        f64::from(self.numerator) / f64::from(self.denominator)
    }

    /// A part of a length in pixels, rounded to whole pixels, at least one.
    #[must_use]
    pub fn of(self, length: u32) -> u32 {
        let (part, whole) = (u64::from(self.numerator), u64::from(self.denominator));
        let rounded = (u64::from(length) * part * 2 + whole) / (whole * 2);
        u32::try_from(rounded).unwrap_or(u32::MAX).max(1)
    }
}

impl fmt::Display for Ratio {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}:{}", self.numerator, self.denominator)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_of_a_length_are_whole_pixels() {
        let eighth = Ratio::new(1, 8).unwrap();
        assert_eq!([2048, 100, 1].map(|length| eighth.of(length)), [256, 13, 1]);
        assert_eq!(Ratio::new(0, 8), None);
        assert_eq!(Ratio::new(64, 45).unwrap().to_string(), "64:45");
    }
}
