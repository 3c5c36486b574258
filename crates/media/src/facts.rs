//! What a picture must be, what it is, and what can be wrong with it.

use std::io;

use truepath_core::deliverable::Picture;
use truepath_core::picture::{Bits, Channels, FormatFacts, Size};

/// What a picture must be; what is not set is not compared.
#[derive(Debug, Clone, Copy)]
pub struct Wanted {
    /// The file format.
    pub format: &'static FormatFacts,
    /// Width and height in pixels.
    pub size: Option<Size>,
    /// The channels.
    pub channels: Option<Channels>,
    /// The bits of a channel.
    pub bits: Option<Bits>,
}

impl From<&Picture> for Wanted {
    fn from(picture: &Picture) -> Self {
        Self {
            format: picture.format,
            size: picture.size.as_ref().map(|size| size.value),
            channels: picture.channels.as_ref().map(|channels| channels.value),
            bits: picture.bits.as_ref().map(|bits| bits.value),
        }
    }
}

/// What a picture is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Facts {
    /// Width and height in pixels.
    pub size: Size,
    /// The channels.
    pub channels: Channels,
    /// The bits of a channel.
    pub bits: Bits,
}

/// Why a file is not the picture that was asked for.
#[derive(Debug, thiserror::Error)]
pub enum Flaw {
    /// It cannot be read.
    #[error("it cannot be read: {0}")]
    Unreadable(#[from] io::Error),
    /// It has no bytes.
    #[error("it is empty (0 bytes)")]
    Empty,
    /// It is no picture of this format.
    #[error("it is no {wanted} file, but {found}")]
    OtherFormat {
        /// The format that was asked for.
        wanted: &'static str,
        /// What it looks like.
        found: String,
    },
    /// It does not decode to its end.
    #[error("it is cut short or damaged: {0}")]
    Broken(String),
    /// It is another picture than was asked for.
    #[error("its {what} is {found}, not {wanted}")]
    Other {
        /// What differs.
        what: &'static str,
        /// What was asked for.
        wanted: String,
        /// What it is.
        found: String,
    },
}
