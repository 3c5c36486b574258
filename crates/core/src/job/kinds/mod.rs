//! The kinds of values that keys take: the one table of what a value looks like, how it is read, and
//! what it is in a schema.
//!
//! A key names its kind; the reader hands a `Given` value to `KeyKind::read`. One kind is one constant
//! in the file of its family: `texts`, `numbers`, `choices`, `tables`.

mod choices;
mod given;
mod notation;
mod numbers;
mod sounds;
mod tables;
mod texts;

use std::fmt;

use super::value::Value;
use crate::finding::Finding;

pub(crate) use choices::{
    AUDIO_CODEC, BITS, CHANNELS, CODEC, CONTAINER, CORNER, FRAMES_TO_RENDER, PIXELS, STOP_ON,
    TRANSFER,
};
pub use choices::{FORMAT, choice};
pub(super) use given::Given;
pub use notation::duration as length_of_time;
pub(in crate::job) use numbers::AUTO;
pub(crate) use numbers::{
    ASPECT, BIT_RATE, DURATION, FPS, INTEGER, MEMORY, OFFSET, PROCESSES, QUALITY, REGION, SCALE,
    SHARE, SLATE, TRUTH,
};
pub use numbers::{NUMBER, SIZE, WEIGHTS};
pub(crate) use sounds::SOUNDS;
pub(crate) use tables::{EXIT_CODES, LAYERS};
pub use tables::{RUN, SETTINGS};
pub(crate) use texts::{COMPONENT, COMPONENTS, TEMPLATES, TEXT};
pub use texts::{FRAMES, TEMPLATE, VERSION};

/// A kind of value.
pub struct KeyKind {
    /// What a value looks like, for messages; where there is a choice of words, they say it.
    pub(super) shape: &'static str,
    /// The words to choose from.
    pub(super) words: fn() -> Vec<&'static str>,
    /// How it is written in a cell of a shot list.
    pub(super) cell: CellNotation,
    /// Whether the values of several tables are merged, key by key.
    pub is_merged: bool,
    /// Its JSON Schema (draft 2020-12).
    pub(crate) schema: fn(&Self) -> serde_json::Value,
    /// Reads a value; the error is one finding for each thing that is wrong with it.
    pub(super) read: fn(Given<'_>) -> Result<Value, Vec<Finding>>,
}

/// How a value is written in a cell of a shot list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum CellNotation {
    /// As a text without quotes.
    Text,
    /// As texts with semicolons between them.
    List,
    /// As in the job file: a number, or true or false.
    Value,
}

/// What most kinds have in common.
pub(super) const PLAIN: KeyKind = KeyKind {
    shape: "one of some words",
    words: Vec::new,
    cell: CellNotation::Text,
    is_merged: false,
    schema: |_| serde_json::json!({ "type": "string" }),
    read: |given| given.text().map(Value::Text),
};

impl KeyKind {
    /// The words to choose from, where there is a choice.
    #[must_use]
    pub fn words(&self) -> Vec<&'static str> {
        (self.words)()
    }

    /// What a value of this kind looks like, for messages.
    #[must_use]
    pub fn looks_like(&self) -> String {
        let words = self.words();
        if words.is_empty() {
            return self.shape.to_owned();
        }
        let words: Vec<String> = words
            .into_iter()
            .map(|word| match word.parse::<u8>() {
                Ok(_) => word.to_owned(),
                Err(_) => format!("\"{word}\""),
            })
            .collect();
        format!("one of {}", words.join(", "))
    }
}

impl fmt::Debug for KeyKind {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "KeyKind({})", self.looks_like())
    }
}
