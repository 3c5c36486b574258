//! Typed reading of values: which Rust type a value of each kind is.

use std::time::Duration;

use super::value::{FramesToRender, PathTemplate, PlacedText, RunEntry, SoundEntry, Value};
use crate::frames::FrameSet;
use crate::movie::{AudioCodecFacts, CodecFacts, ContainerFacts, Corner, Fps, PixelFormat};
use crate::picture::{Bits, Channels, FormatFacts, Ratio, Region, Size, TransferFacts};

/// A type that a value can be read as.
pub trait FromValue: Sized {
    /// The value as this type; none where it is of another.
    fn from_value(value: &Value) -> Option<Self>;
}

macro_rules! from_value {
    ($($type:ty => $variant:ident,)*) => {
        $(impl FromValue for $type {
            fn from_value(value: &Value) -> Option<Self> {
                match value {
                    Value::$variant(inner) => Some(inner.clone()),
                    _ => None,
                }
            }
        })*
    };
}

from_value! {
    i64 => Number,
    bool => Truth,
    Fps => Fps,
    FrameSet => Frames,
    Size => Size,
    Ratio => Ratio,
    Region => Region,
    Duration => Duration,
    Channels => Channels,
    Bits => Bits,
    FramesToRender => FramesToRender,
    &'static FormatFacts => Format,
    &'static TransferFacts => Transfer,
    &'static ContainerFacts => Container,
    &'static CodecFacts => Codec,
    &'static AudioCodecFacts => AudioCodec,
    &'static PixelFormat => Pixels,
    Corner => Corner,
    Vec<u64> => Weights,
    Vec<i64> => Codes,
    Vec<RunEntry> => Run,
    Vec<PlacedText> => Words,
    Vec<SoundEntry> => Sounds,
    Vec<PathTemplate> => Templates,
    Vec<(PlacedText, Vec<PlacedText>)> => Layers,
}

impl FromValue for String {
    /// A text or a single component of a path.
    fn from_value(value: &Value) -> Option<Self> {
        match value {
            Value::Text(text) => Some(text.clone()),
            Value::Words(words) => words.first().map(|word| word.text.clone()),
            _ => None,
        }
    }
}

impl FromValue for u64 {
    /// A number from 0.
    fn from_value(value: &Value) -> Option<Self> {
        i64::from_value(value).and_then(|number| Self::try_from(number).ok())
    }
}
