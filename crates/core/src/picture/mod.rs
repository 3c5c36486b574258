//! Facts of pictures: sizes, channels, bits and file formats.

mod estimate;
mod format;
mod sample;
mod size;

pub use estimate::rule_of_thumb;
pub use format::{FORMATS, FormatFacts, format, format_of_extension};
pub use sample::{Bits, Channels};
pub use size::{NAMED_SIZES, Size, SizeError};
