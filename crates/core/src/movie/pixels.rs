//! How the pixels of a movie are stored, as a table.

/// A way to store the pixels of a movie.
#[derive(Debug, PartialEq, Eq)]
pub struct PixelFormat {
    /// The words in job files: sampling and bits.
    pub name: &'static str,
    /// Luma samples that share one chroma sample: along a row and along a column.
    pub shared: (u32, u32),
    /// The bits of a sample.
    pub bits: u8,
    /// Whether there is alpha.
    pub alpha: bool,
}

const fn row(name: &'static str, shared: (u32, u32), bits: u8, alpha: bool) -> PixelFormat {
    PixelFormat {
        name,
        shared,
        bits,
        alpha,
    }
}

/// The pixel formats. The numbers of the sampling are those of ITU-R BT.601 and its successors:
/// 4:2:0 shares chroma among two by two pixels, 4:2:2 between two of a row, 4:4:4 not at all; a
/// fourth number is alpha.
pub(crate) const PIXEL_FORMATS: [PixelFormat; 14] = [
    row("4:2:0 8", (2, 2), 8, false),
    row("4:2:0 10", (2, 2), 10, false),
    row("4:2:0 12", (2, 2), 12, false),
    row("4:2:2 8", (2, 1), 8, false),
    row("4:2:2 10", (2, 1), 10, false),
    row("4:2:2 12", (2, 1), 12, false),
    row("4:4:4 8", (1, 1), 8, false),
    row("4:4:4 10", (1, 1), 10, false),
    row("4:4:4 12", (1, 1), 12, false),
    row("4:4:4:4 10", (1, 1), 10, true),
    row("4:4:4:4 12", (1, 1), 12, true),
    row("rgb 8", (1, 1), 8, false),
    row("rgb 16", (1, 1), 16, false),
    row("rgba 8", (1, 1), 8, true),
];

/// The pixel format with this name.
#[must_use]
pub(crate) fn pixel_format(name: &str) -> Option<&'static PixelFormat> {
    PIXEL_FORMATS.iter().find(|facts| facts.name == name)
}
