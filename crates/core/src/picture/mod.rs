//! Facts of pictures: sizes, channels, bits and file formats.

mod format;
mod sample;
mod size;

pub use format::{FORMATS, FormatFacts, format, format_of_extension};
pub use sample::{Bits, Channels};
pub use size::{NAMED_SIZES, Size, SizeError};
