//! A part of a picture.

use std::fmt;
use std::str::FromStr;

use super::{Ratio, Size};

/// A rectangle of pixels, written `640x360 at 100,50`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Region {
    /// Its width and height in pixels.
    pub size: Size,
    /// Pixels between it and the left edge of the picture.
    pub left: u32,
    /// Pixels between it and the upper edge of the picture.
    pub top: u32,
}

impl Region {
    /// Whether it lies inside a picture of this size.
    #[must_use]
    pub fn is_inside(&self, whole: Size) -> bool {
        let fits = |start: u32, length: u32, whole: u32| {
            u64::from(start) + u64::from(length) <= u64::from(whole)
        };
        fits(self.left, self.size.width, whole.width)
            && fits(self.top, self.size.height, whole.height)
    }

    /// The same part of a picture of which every side is a part of what it was. Edges are rounded
    /// to whole pixels, so that neighbours stay neighbours.
    #[must_use]
    pub fn scaled(&self, scale: Ratio) -> Self {
        let (part, whole) = (scale.numerator, scale.denominator);
        let edge = |at: u64| (at * u64::from(part) * 2 + u64::from(whole)) / (u64::from(whole) * 2);
        let side = |start: u32, length: u32| {
            let (start, length) = (u64::from(start), u64::from(length));
            let (from, to) = (edge(start), edge(start + length));
            let narrow = |number: u64| u32::try_from(number).unwrap_or(u32::MAX);
            (narrow(from), narrow(to - from).max(1))
        };
        let (left, width) = side(self.left, self.size.width);
        let (top, height) = side(self.top, self.size.height);
        Self {
            size: Size { width, height },
            left,
            top,
        }
    }
}

/// A text that is no region.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is no part of a picture")]
pub struct RegionError(pub String);

impl FromStr for Region {
    type Err = RegionError;

    fn from_str(text: &str) -> Result<Self, RegionError> {
        let error = || RegionError(text.to_owned());
        let number = |text: &str| {
            let digits = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
            digits.then(|| text.parse::<u32>().ok()).flatten()
        };
        let (size, corner) = text.split_once(" at ").ok_or_else(error)?;
        let (left, top) = corner.split_once(',').ok_or_else(error)?;
        Ok(Self {
            size: size.trim().parse().map_err(|_| error())?,
            left: number(left.trim()).ok_or_else(error)?,
            top: number(top.trim()).ok_or_else(error)?,
        })
    }
}

impl fmt::Display for Region {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{} at {},{}", self.size, self.left, self.top)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reads_what_it_writes_and_nothing_else() {
        let region: Region = "640x360 at 100, 50".parse().unwrap();
        assert_eq!(region.to_string(), "640x360 at 100,50");
        assert_eq!(region.to_string().parse(), Ok(region));
        for wrong in [
            "",
            "640x360",
            "640x360 at",
            "640x360 at 1",
            "640x360 at -1,0",
            "hd 0,0",
        ] {
            assert!(wrong.parse::<Region>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn neighbours_stay_neighbours() {
        let whole = Size {
            width: 101,
            height: 40,
        };
        let (one, other): (Region, Region) = (
            "50x40 at 0,0".parse().unwrap(),
            "51x40 at 50,0".parse().unwrap(),
        );
        assert!(one.is_inside(whole) && other.is_inside(whole));
        assert!(!"52x40 at 50,0".parse::<Region>().unwrap().is_inside(whole));
        let eighth = Ratio::new(1, 8).unwrap();
        let (one, other) = (one.scaled(eighth), other.scaled(eighth));
        assert_eq!(one.left + one.size.width, other.left);
        assert_eq!(other.left + other.size.width, 13);
    }
}
