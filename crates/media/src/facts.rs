//! What a picture must be, what it is, and what can be wrong with it.

use std::io;

use truepath_core::deliverable::Deliverable;
use truepath_core::job::Word;
use truepath_core::picture::{Bits, Channels, FormatFacts, Size};

/// What a picture must be; what is not set is not compared.
#[derive(Debug, Clone)]
pub struct Wanted {
    /// The file format.
    pub format: &'static FormatFacts,
    /// Width and height in pixels.
    pub size: Option<Size>,
    /// The channels.
    pub channels: Option<Channels>,
    /// The bits of a channel.
    pub bits: Option<Bits>,
    /// The pass and the view of each plane, where there are several in the file.
    pub planes: Vec<(Option<String>, Option<String>)>,
}

impl From<&Deliverable> for Wanted {
    fn from(deliverable: &Deliverable) -> Self {
        let picture = &deliverable.picture;
        let planes = match &deliverable.planes[..] {
            [_] => &[],
            several => several,
        };
        let text = |word: &Option<Word>| Word::text_of(word.as_ref()).map(str::to_owned);
        Self {
            format: picture.format,
            size: picture.file_size(),
            channels: picture.channels.as_ref().map(|channels| channels.value),
            bits: picture.bits.as_ref().map(|bits| bits.value),
            planes: planes
                .iter()
                .map(|plane| (text(&plane.pass), text(&plane.view)))
                .collect(),
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

impl Flaw {
    /// Whether the picture is whole and only another kind than was asked for: rendered again, it
    /// would be the same.
    #[must_use]
    pub fn is_wrong_kind(&self) -> bool {
        matches!(self, Self::OtherFormat { .. } | Self::Other { .. })
    }

    /// What the user can change, where the picture is of another kind.
    #[must_use]
    pub fn fix(&self) -> Option<String> {
        match self {
            Self::Other {
                what,
                wanted,
                found,
            } => {
                let key = match *what {
                    "set of channels" => "channels",
                    "depth" => "bits",
                    other => other,
                };
                Some(format!(
                    "make the renderer write {wanted}, or set `{key} = \"{found}\"` in the job"
                ))
            }
            Self::OtherFormat { wanted, .. } => Some(format!(
                "make the renderer write {wanted} files, or set `format` and the extension in the job to what it writes"
            )),
            Self::Unreadable(_) | Self::Empty | Self::Broken(_) => None,
        }
    }
}
