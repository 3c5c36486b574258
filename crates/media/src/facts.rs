//! What a picture must be, what it is, and what can be wrong with it.

use std::borrow::Cow;
use std::fmt;
use std::io;

use truepath_core::deliverable::Deliverable;
use truepath_core::job::PlacedText;
use truepath_core::picture::{Bits, Channels, FormatFacts, PictureKind, Size};

/// What a picture must be; what is not set is not compared.
#[derive(Debug, Clone)]
pub struct ExpectedPicture {
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
    /// Whether pictures that cannot be decoded here count as whole.
    pub allows_unverifiable: bool,
}

impl ExpectedPicture {
    /// Any whole picture of a format.
    #[must_use]
    pub fn of_format(format: &'static FormatFacts) -> Self {
        Self {
            format,
            size: None,
            channels: None,
            bits: None,
            planes: Vec::new(),
            allows_unverifiable: false,
        }
    }
}

impl From<&Deliverable> for ExpectedPicture {
    fn from(deliverable: &Deliverable) -> Self {
        let picture = &deliverable.picture;
        let planes = match &deliverable.planes[..] {
            [_] => &[],
            several => several,
        };
        let text =
            |word: &Option<PlacedText>| PlacedText::text_of(word.as_ref()).map(str::to_owned);
        Self {
            format: picture.format,
            size: picture.file_size(),
            channels: picture.channels.as_ref().map(|channels| channels.value),
            bits: picture.bits.as_ref().map(|bits| bits.value),
            planes: planes
                .iter()
                .map(|plane| (text(&plane.pass), text(&plane.view)))
                .collect(),
            allows_unverifiable: deliverable.common.allows_unverifiable,
        }
    }
}

/// Decoding a file takes so many bytes of memory at most, beside the file itself.
pub(crate) const MOST_MEMORY: u64 = 512 << 20;

/// What was found in a file: one of the kinds that a job can ask for, or another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found<T> {
    /// A kind that a job can ask for.
    Known(T),
    /// Another, in words.
    Other(String),
}

impl<T: fmt::Display> fmt::Display for Found<T> {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Known(known) => known.fmt(out),
            Self::Other(words) => out.pad(words),
        }
    }
}

/// What a picture is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Facts {
    /// Width and height in pixels.
    pub size: Size,
    /// The channels.
    pub channels: Found<Channels>,
    /// The bits of a channel.
    pub bits: Found<Bits>,
    /// How its pixels are compressed, in formats that leave a choice.
    pub compression: Option<&'static str>,
    /// The names of its layers, where it has several.
    pub layers: Vec<String>,
    /// What is there besides, and is no fault: further layers, pages, bytes after the end.
    pub notes: Vec<String>,
}

impl Facts {
    pub(crate) fn new(size: Size, channels: Found<Channels>, bits: Found<Bits>) -> Self {
        Self {
            size,
            channels,
            bits,
            compression: None,
            layers: Vec::new(),
            notes: Vec::new(),
        }
    }

    /// Its size, channels and bits.
    #[must_use]
    pub fn kind(&self) -> PictureKind {
        let channels = match &self.channels {
            Found::Known(channels) => Cow::Borrowed(channels.word()),
            Found::Other(words) => Cow::Owned(words.clone()),
        };
        let bits = match &self.bits {
            Found::Known(bits) => Cow::Borrowed(bits.word()),
            Found::Other(words) => Cow::Owned(words.clone()),
        };
        PictureKind {
            size: self.size,
            channels,
            bits,
        }
    }

    pub(crate) fn note(&mut self, note: String) {
        self.notes.push(note);
    }

    pub(crate) fn note_bytes_after_the_end(&mut self, bytes: usize) {
        match bytes {
            0 => {}
            1 => self.note("a byte stands after its end".to_owned()),
            bytes => self.note(format!("{bytes} bytes stand after its end")),
        }
    }

    /// Compares what a picture is with what it must be.
    pub(crate) fn compare(&self, wanted: &ExpectedPicture) -> Result<(), Flaw> {
        let differs = |what, wanted: String, found: String| {
            Err(Flaw::Other {
                what,
                wanted,
                found,
            })
        };
        if let Some(size) = wanted.size.filter(|size| *size != self.size) {
            return differs("size", size.to_string(), self.size.to_string());
        }
        if let Some(channels) = wanted.channels
            && self.channels != Found::Known(channels)
        {
            return differs(
                "set of channels",
                channels.to_string(),
                self.channels.to_string(),
            );
        }
        if let Some(bits) = wanted.bits
            && self.bits != Found::Known(bits)
        {
            return differs("depth", bits.to_string(), self.bits.to_string());
        }
        Ok(())
    }
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
    /// A movie is not what was asked for, in the words of what decoded it.
    #[error("{0}")]
    Movie(String),
    /// This program cannot decode it, so that nobody knows whether it is whole.
    #[error("it cannot be verified: {0}")]
    Unverifiable(String),
}

impl Flaw {
    pub(crate) fn unverifiable(reason: impl Into<String>) -> Self {
        Self::Unverifiable(reason.into())
    }

    pub(crate) fn too_large(bytes: u64) -> Self {
        Self::needs_memory(bytes, MOST_MEMORY)
    }

    /// The same for another limit.
    pub(crate) fn needs_memory(bytes: u64, most: u64) -> Self {
        Self::Unverifiable(format!(
            "decoding it takes {} MB of memory, and the limit is {} MB",
            bytes >> 20,
            most >> 20
        ))
    }

    /// Whether the picture is whole and only another kind than was asked for: rendered again, it
    /// would be the same.
    #[must_use]
    pub fn is_wrong_kind(&self) -> bool {
        matches!(self, Self::OtherFormat { .. } | Self::Other { .. })
    }

    /// What the user can change, where the picture is of another kind; `writer` is what writes it: the renderer, say.
    #[must_use]
    pub fn fix(&self, writer: &str) -> Option<String> {
        match self {
            Self::Other {
                what,
                wanted,
                found,
            } => {
                // Only what a key takes is proposed.
                let (key, is_taken) = match *what {
                    "set of channels" => ("channels", Channels::from_name(found).is_some()),
                    "depth" => ("bits", Bits::from_name(found).is_some()),
                    other => (other, true),
                };
                let or = if is_taken {
                    format!(", or set `{key} = \"{found}\"` in the job")
                } else {
                    format!(", or leave `{key}` unset in the job")
                };
                Some(format!("make {writer} write {wanted}{or}"))
            }
            Self::OtherFormat { wanted, .. } => Some(format!(
                "make {writer} write {wanted} files, or set `format` and the extension in the job to what it writes"
            )),
            Self::Unreadable(_)
            | Self::Empty
            | Self::Broken(_)
            | Self::Movie(_)
            | Self::Unverifiable(_) => None,
        }
    }
}
