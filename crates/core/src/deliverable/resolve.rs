//! What a chain of layers comes to.

use super::{Color, PathTemplate, Picture};
use crate::frames::FrameSet;
use crate::job::{Key, Only, Setting, Value, Word};
use crate::layers::Chain;
use crate::picture::{FormatFacts, Size, TransferFacts, format_of_extension};
use crate::source::Sourced;
use crate::template::{Part, Template};

/// The words of a key, or one nothing where nobody sets it.
pub(super) fn listed<'j>(chain: &Chain<'j>, key: Key) -> Vec<Option<&'j Word>> {
    match chain.words(key) {
        Some(words) if !words.is_empty() => words.iter().map(Some).collect(),
        _ => vec![None],
    }
}

/// The frames that a preset asks for, of those of the shot.
pub(super) fn wanted(chain: &Chain<'_>, frames: &FrameSet) -> FrameSet {
    let only = chain.value(Key::Only, |value| match value {
        Value::Only(only) => Some(*only),
        _ => None,
    });
    match only.map(|only| only.value) {
        Some(Only::FirstMiddleLast) => FrameSet::from_frames(
            [
                frames.first(),
                frames.nth(frames.count().saturating_sub(1) / 2),
                frames.last(),
            ]
            .into_iter()
            .flatten(),
        ),
        Some(Only::All) | None => frames.clone(),
    }
}

/// A part of a size, rounded to whole pixels, at least one.
fn scaled(size: Size, (part, whole): (u32, u32)) -> Size {
    let of = |length: u32| {
        let (length, part, whole) = (u64::from(length), u64::from(part), u64::from(whole));
        let rounded = (length * part * 2 + whole) / (whole * 2);
        u32::try_from(rounded).unwrap_or(u32::MAX).max(1)
    };
    Size {
        width: of(size.width),
        height: of(size.height),
    }
}

/// The template that a setting holds.
pub(super) fn template(setting: &Setting) -> Option<PathTemplate> {
    match &setting.value.value {
        Value::Template(template, length) => Some(PathTemplate {
            template: template.clone(),
            place: setting.value.place.clone(),
            length: *length,
        }),
        _ => None,
    }
}

/// The picture that is wanted; `None` when neither a key nor the extension tells the format, and
/// it is not given.
pub(super) fn picture(
    chain: &Chain<'_>,
    path: &Template,
    given: Option<&'static FormatFacts>,
) -> Option<Picture> {
    let format = chain.value(Key::Format, |value| match value {
        Value::Format(format) => Some(*format),
        _ => None,
    });
    let (format, format_place) = match (given, format) {
        (Some(format), _) => (format, None),
        (None, Some(format)) => (format.value, Some(format.place)),
        (None, None) => (format_of_extension(extension(path)?)?, None),
    };
    let ratio = |key| {
        chain.value(key, |value| match value {
            Value::Scale(part, whole) => Some((*part, *whole)),
            _ => None,
        })
    };
    let mut picture = Picture {
        format,
        format_place,
        channels: chain.value(Key::Channels, |value| match value {
            Value::Channels(channels) => Some(*channels),
            _ => None,
        }),
        bits: chain.value(Key::Bits, |value| match value {
            Value::Bits(bits) => Some(*bits),
            _ => None,
        }),
        compression: chain.text(Key::Compression),
        quality: chain.value(Key::Quality, |value| match value {
            Value::Number(quality) => Some(*quality),
            _ => None,
        }),
        size: chain.value(Key::Size, |value| match value {
            Value::Size(size) => Some(*size),
            _ => None,
        }),
        crop: chain.value(Key::Crop, |value| match value {
            Value::Region(region) => Some(*region),
            _ => None,
        }),
        pixel_aspect: ratio(Key::PixelAspect),
        color: Color {
            linear: chain
                .text(Key::ColorPixels)
                .map(|pixels| pixels.map(|word| word == "linear")),
            transfer: transfer(chain),
        },
    };
    if let Some(scale) = ratio(Key::Scale) {
        if let Some(size) = &mut picture.size {
            size.value = scaled(size.value, scale.value);
        }
        if let Some(crop) = &mut picture.crop {
            crop.value = crop.value.scaled(scale.value);
        }
    }
    Some(picture)
}

/// How linear pixels become ready for display.
pub(super) fn transfer(chain: &Chain<'_>) -> Option<Sourced<&'static TransferFacts>> {
    chain.value(Key::ColorTransfer, |value| match value {
        Value::Transfer(transfer) => Some(*transfer),
        _ => None,
    })
}

/// The extension that a path ends in, as far as it is written out.
pub(super) fn extension(path: &Template) -> Option<&str> {
    match path.parts().last()? {
        Part::Text(text) => Some(text.rsplit_once('.')?.1),
        Part::Token(_) | Part::Optional(_) => None,
    }
}
