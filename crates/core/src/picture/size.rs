//! Width and height of a picture, in pixels.

use std::fmt;
use std::str::FromStr;

use super::Ratio;

/// Width and height, in pixels; neither is zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Size {
    /// Pixels in a row.
    pub width: u32,
    /// Rows.
    pub height: u32,
}

/// Sizes with a name. `hd` and `uhd` after ITU-R BT.709 and BT.2020, `dci-2k` and `dci-4k` after
/// the containers of SMPTE ST 428-1.
pub const NAMED_SIZES: [(&str, Size); 4] = [
    (
        "hd",
        Size {
            width: 1920,
            height: 1080,
        },
    ),
    (
        "uhd",
        Size {
            width: 3840,
            height: 2160,
        },
    ),
    (
        "dci-2k",
        Size {
            width: 2048,
            height: 1080,
        },
    ),
    (
        "dci-4k",
        Size {
            width: 4096,
            height: 2160,
        },
    ),
];

impl Size {
    /// As wide as high.
    #[must_use]
    pub fn square(side: u32) -> Self {
        Self {
            width: side,
            height: side,
        }
    }

    /// A part of it, rounded to whole pixels, at least one.
    #[must_use]
    pub fn scaled(self, scale: Ratio) -> Self {
        Self {
            width: scale.of(self.width),
            height: scale.of(self.height),
        }
    }
}

/// A text that is no size.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is no size")]
pub struct SizeError(pub String);

impl FromStr for Size {
    type Err = SizeError;

    fn from_str(text: &str) -> Result<Self, SizeError> {
        if let Some((_, size)) = NAMED_SIZES
            .iter()
            .find(|(name, _)| *name == text.to_lowercase())
        {
            return Ok(*size);
        }
        let error = || SizeError(text.to_owned());
        let (width, height) = text.split_once(['x', 'X', '×']).ok_or_else(error)?;
        let (width, height) = (width.trim(), height.trim());
        let number = |text: &str| {
            text.bytes()
                .all(|byte| byte.is_ascii_digit())
                .then(|| text.parse::<u32>().ok())
                .flatten()
                .filter(|number| (1..=1_000_000).contains(number))
        };
        match (number(width), number(height)) {
            (Some(width), Some(height)) => Ok(Self { width, height }),
            _ => Err(error()),
        }
    }
}

impl fmt::Display for Size {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.pad(&format!("{}x{}", self.width, self.height))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reads_pixels_and_names() {
        assert_eq!(
            "160x90".parse(),
            Ok(Size {
                width: 160,
                height: 90
            })
        );
        assert_eq!("uhd".parse::<Size>().unwrap().to_string(), "3840x2160");
        for plain in ["160X90", "160 x 90", "160×90"] {
            assert_eq!(plain.parse::<Size>().unwrap().to_string(), "160x90");
        }
        for wrong in ["", "160", "0x90", "160x", "-1x5", "4k", "160 by 90"] {
            assert!(wrong.parse::<Size>().is_err(), "{wrong}");
        }
    }
}
