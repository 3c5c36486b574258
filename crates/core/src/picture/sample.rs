//! What a pixel is made of.

use std::fmt;

/// Which channels a picture has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Channels {
    /// One channel.
    Gray,
    /// One channel and alpha.
    GrayAlpha,
    /// Red, green, blue.
    Rgb,
    /// Red, green, blue and alpha.
    Rgba,
}

impl Channels {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Gray, Self::GrayAlpha, Self::Rgb, Self::Rgba];

    /// The word in job files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Gray => "gray",
            Self::GrayAlpha => "graya",
            Self::Rgb => "rgb",
            Self::Rgba => "rgba",
        }
    }

    /// The channels of this word.
    #[must_use]
    pub fn from_name(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.word() == word)
    }

    /// How many channels.
    #[must_use]
    pub fn count(self) -> usize {
        match self {
            Self::Gray => 1,
            Self::GrayAlpha => 2,
            Self::Rgb => 3,
            Self::Rgba => 4,
        }
    }

    /// Whether one of them is alpha.
    #[must_use]
    pub fn has_alpha(self) -> bool {
        matches!(self, Self::GrayAlpha | Self::Rgba)
    }
}

impl fmt::Display for Channels {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.pad(self.word())
    }
}

/// How one channel of a pixel is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Bits {
    /// 8-bit whole numbers.
    Eight,
    /// 10-bit whole numbers.
    Ten,
    /// 12-bit whole numbers.
    Twelve,
    /// 16-bit whole numbers.
    Sixteen,
    /// 16-bit floating point (IEEE 754 binary16).
    Half,
    /// 32-bit floating point (IEEE 754 binary32).
    Float,
}

impl Bits {
    /// All of them.
    pub const ALL: [Self; 6] = [
        Self::Eight,
        Self::Ten,
        Self::Twelve,
        Self::Sixteen,
        Self::Half,
        Self::Float,
    ];

    /// The word in job files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Eight => "8",
            Self::Ten => "10",
            Self::Twelve => "12",
            Self::Sixteen => "16",
            Self::Half => "half",
            Self::Float => "float",
        }
    }

    /// The bits of this word.
    #[must_use]
    pub fn from_name(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.word() == word)
    }
}

impl fmt::Display for Bits {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.pad(self.word())
    }
}
