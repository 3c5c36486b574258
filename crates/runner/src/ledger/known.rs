//! What is remembered of published files, in little room.

use std::borrow::Cow;
use std::sync::Arc;

use serde::{Deserialize, Deserializer};

use super::{How, Record};
use crate::disk::Stamp;

/// What is remembered of a published file; there may be hundreds of thousands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Known {
    /// Size and time of last change.
    pub stamp: Stamp,
    /// SHA-256 of its bytes.
    pub hash: Hash,
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<Arc<str>>,
    /// The engine that made it, with its version.
    pub engine: Arc<str>,
    /// The run that it belongs to.
    pub run: Option<Arc<str>>,
}

/// A SHA-256, packed: in the ledger it is written in hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hash([u8; 32]);

impl Hash {
    /// The hash with these digits; what is no digit counts as 0.
    pub(super) fn of_digits(text: &str) -> Self {
        let mut bytes = [0; 32];
        let digit = |byte: u8| char::from(byte).to_digit(16).unwrap_or(0) as u8;
        for (byte, pair) in bytes.iter_mut().zip(text.as_bytes().chunks_exact(2)) {
            *byte = digit(pair[0]) << 4 | digit(pair[1]);
        }
        Self(bytes)
    }
}

impl<'de> Deserialize<'de> for Hash {
    fn deserialize<D: Deserializer<'de>>(reader: D) -> Result<Self, D::Error> {
        // Digits are never escaped.
        <&str>::deserialize(reader).map(Self::of_digits)
    }
}

impl std::fmt::Display for Hash {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(out, "{byte:02x}"))
    }
}

/// A published line, read without copying its texts.
#[derive(Deserialize)]
pub(super) struct View<'a> {
    #[serde(borrow)]
    pub(super) published: PublishedView<'a>,
}

#[derive(Deserialize)]
pub(super) struct PublishedView<'a> {
    pub(super) how: How,
    #[serde(borrow)]
    pub(super) record: RecordView<'a>,
}

#[derive(Deserialize)]
pub(super) struct RecordView<'a> {
    pub(super) path: Box<str>,
    pub(super) size: u64,
    pub(super) modified: i64,
    pub(super) hash: Hash,
    #[serde(borrow)]
    pub(super) fingerprint: Option<Cow<'a, str>>,
    #[serde(borrow)]
    pub(super) engine: Cow<'a, str>,
    #[serde(borrow)]
    pub(super) time: Cow<'a, str>,
    #[serde(borrow, default)]
    pub(super) run: Option<Cow<'a, str>>,
}

impl<'a> RecordView<'a> {
    /// What is remembered of a record.
    pub(super) fn of(record: &'a Record) -> Self {
        Self {
            path: record.path.as_str().into(),
            size: record.size,
            modified: record.modified,
            hash: Hash::of_digits(&record.hash),
            fingerprint: record.fingerprint.as_deref().map(Cow::Borrowed),
            engine: Cow::Borrowed(&record.engine),
            time: Cow::Borrowed(&record.time),
            run: record.run.as_deref().map(Cow::Borrowed),
        }
    }
}
