//! Facts of pictures: sizes, channels, bits, file formats, and how light becomes display.

mod display;
mod estimate;
mod format;
mod kind;
mod measure;
mod pixel_values;
mod ratio;
mod region;
mod rendered_samples;
mod sample;
mod size;
mod transfer;

pub use display::{
    DisplayOptions, INFINITE, NOT_A_NUMBER, PixelFault, display, encoded_srgb, false_color,
    srgb_byte, srgb_light,
};
pub(crate) use estimate::rule_of_thumb;
pub(crate) use format::format_of_extension;
pub use format::{FORMATS, FileFormat, FormatFacts, Holds, format};
pub use kind::{PictureKind, usual_kind};
pub use measure::{BlankPart, Digest, PictureMeasure, Thumbnail};
pub use pixel_values::PixelValues;
pub use ratio::Ratio;
pub use region::{Region, RegionError};
pub use rendered_samples::RenderedSamples;
pub use sample::{Bits, Channels};
pub use size::{NAMED_SIZES, Size, SizeError};
pub use transfer::{TRANSFERS, TransferFacts, transfer};
