//! Choices: one of the words of a table.

use serde_json::json;

use super::{CellNotation, KeyKind, PLAIN};
use crate::finding::Finding;
use crate::job::StopOn;
use crate::job::value::{FramesToRender, Value};
use crate::movie::{
    AUDIO_CODECS, CODECS, CONTAINERS, ContainerFacts, Corner, PIXEL_FORMATS, audio_codec, codec,
    container, pixel_format,
};
use crate::nearest::advice;
use crate::picture::{Bits, Channels, FORMATS, TRANSFERS, format, transfer};

/// A choice of words.
const CHOICE: KeyKind = KeyKind {
    schema: |kind| {
        let words = kind.words().into_iter().flat_map(|word| {
            match word.parse::<u8>() {
                // 8 and "8" are the same bits.
                Ok(number) => vec![json!(number), json!(word)],
                Err(_) => vec![json!(word)],
            }
        });
        json!({ "enum": words.collect::<Vec<_>>() })
    },
    read: |given| {
        given.choice(|word| {
            let known = given.kind.words().contains(&word);
            known.then(|| Value::Text(word.to_owned()))
        })
    },
    ..PLAIN
};

/// One of the words that a function gives.
#[must_use]
pub const fn choice(words: fn() -> Vec<&'static str>) -> KeyKind {
    KeyKind { words, ..CHOICE }
}

/// A list of what a run stops at.
pub(crate) const STOP_ON: KeyKind = KeyKind {
    shape: "a list of words such as [\"same-picture\", \"black\"]",
    cell: CellNotation::List,
    schema: |_| {
        let words = StopOn::ALL.map(StopOn::name);
        json!({ "type": "array", "items": { "enum": words } })
    },
    read: |given| {
        let key = given.key;
        let words = given.components()?;
        let unknown = words
            .iter()
            .filter(|word| StopOn::of_name(&word.text).is_none());
        let findings: Vec<Finding> = unknown
            .map(|word| {
                Finding::error("TP004", format!("`{}` is no value for `{key}`", word.text))
                    .at(&word.place, "")
                    .advise(advice(&word.text, &StopOn::ALL.map(StopOn::name)))
            })
            .collect();
        if findings.is_empty() {
            Ok(Value::Words(words))
        } else {
            Err(findings)
        }
    },
    ..PLAIN
};

/// A file format.
pub const FORMAT: KeyKind = KeyKind {
    words: || FORMATS.iter().map(|facts| facts.name).collect(),
    read: |given| given.choice(|word| format(word).map(Value::Format)),
    ..CHOICE
};

/// Channels of a pixel.
pub(crate) const CHANNELS: KeyKind = KeyKind {
    words: || Channels::ALL.map(Channels::word).to_vec(),
    read: |given| given.choice(|word| Channels::from_name(word).map(Value::Channels)),
    ..CHOICE
};

/// Bits of a channel.
pub(crate) const BITS: KeyKind = KeyKind {
    words: || Bits::ALL.map(Bits::word).to_vec(),
    // 8 and 16 are numbers.
    read: |given| {
        let text = given.scalar()?;
        Bits::from_name(&text)
            .map(Value::Bits)
            .ok_or_else(|| given.refuse(&text, advice(&text, &given.kind.words())))
    },
    ..CHOICE
};

/// Which frames of a shot a preset renders.
pub(crate) const FRAMES_TO_RENDER: KeyKind = KeyKind {
    words: || FramesToRender::ALL.map(FramesToRender::word).to_vec(),
    read: |given| given.choice(|word| FramesToRender::from_name(word).map(Value::FramesToRender)),
    ..CHOICE
};

/// A transfer function.
pub(crate) const TRANSFER: KeyKind = KeyKind {
    words: || TRANSFERS.iter().map(|facts| facts.name).collect(),
    read: |given| given.choice(|word| transfer(word).map(Value::Transfer)),
    ..CHOICE
};

/// A container of movies.
pub(crate) const CONTAINER: KeyKind = KeyKind {
    words: || CONTAINERS.iter().map(ContainerFacts::name).collect(),
    read: |given| given.choice(|word| container(word).map(Value::Container)),
    ..CHOICE
};

/// A codec of pictures.
pub(crate) const CODEC: KeyKind = KeyKind {
    words: || CODECS.iter().map(|facts| facts.name).collect(),
    read: |given| given.choice(|word| codec(word).map(Value::Codec)),
    ..CHOICE
};

/// A corner of a picture.
pub(crate) const CORNER: KeyKind = KeyKind {
    words: || Corner::ALL.map(Corner::word).to_vec(),
    read: |given| given.choice(|word| Corner::of_word(word).map(Value::Corner)),
    ..CHOICE
};

/// A codec of sound.
pub(crate) const AUDIO_CODEC: KeyKind = KeyKind {
    words: || AUDIO_CODECS.iter().map(|facts| facts.name).collect(),
    read: |given| given.choice(|word| audio_codec(word).map(Value::AudioCodec)),
    ..CHOICE
};

/// How pixels of a movie are stored.
pub(crate) const PIXELS: KeyKind = KeyKind {
    words: || PIXEL_FORMATS.iter().map(|facts| facts.name).collect(),
    read: |given| given.choice(|word| pixel_format(word).map(Value::Pixels)),
    ..CHOICE
};
