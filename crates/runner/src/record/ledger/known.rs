//! What is remembered of published files, in little room: there may be hundreds of thousands.

use std::collections::HashSet;
use std::sync::Arc;
use truepath_core::picture::RenderedSamples;

use super::recent::Recent;
use crate::disk::{Stamp, hash_of_record, recorded};
use truepath_core::hex::hex;
use truepath_media::HashKind;

/// What is remembered of a published file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownFile {
    /// Size and time of last change.
    pub stamp: Stamp,
    /// The hash of its bytes.
    pub hash: Hash,
    /// What made it.
    pub origin: Arc<MadeBy>,
}

impl KnownFile {
    /// Fingerprint of what made the picture; none when nobody knows.
    #[must_use]
    pub fn fingerprint(&self) -> Option<&str> {
        self.origin.fingerprint.as_deref()
    }
}

/// What made a file: many have the same.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct MadeBy {
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<Box<str>>,
    /// The engine that made it, with its version.
    pub engine: Box<str>,
    /// The run that it belongs to.
    pub run: Option<Box<str>>,
    /// Why it could not be decoded, of a file that was published without that.
    pub unverifiable: Option<Box<str>>,
    /// How many samples its pixels have, where its engine reports that.
    pub samples: Option<RenderedSamples>,
    /// An error that its engine reported of the frame.
    pub error: Option<Box<str>>,
}

/// A recorded hash, packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hash {
    kind: HashKind,
    bytes: [u8; 32],
}

impl Hash {
    /// The hash that a ledger has recorded so; what is no digit counts as 0.
    pub(super) fn of_record(text: &str) -> Self {
        let (kind, text) = hash_of_record(text);
        let mut bytes = [0; 32];
        let digit = |byte: u8| char::from(byte).to_digit(16).unwrap_or(0) as u8;
        for (byte, pair) in bytes.iter_mut().zip(text.as_bytes().chunks_exact(2)) {
            *byte = digit(pair[0]) << 4 | digit(pair[1]);
        }
        Self { kind, bytes }
    }

    /// How it was made.
    #[must_use]
    pub fn kind(&self) -> HashKind {
        self.kind
    }
}

impl std::fmt::Display for Hash {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(&recorded(self.kind, &hex(&self.bytes)))
    }
}

/// The origins of all files, each held once.
#[derive(Debug, Clone, Default)]
pub(super) struct SharedMakers {
    all: HashSet<Arc<MadeBy>>,
    recent: Recent<MadeBy>,
}

impl SharedMakers {
    /// The one that is held of those that are the same.
    pub(super) fn held(&mut self, origin: Arc<MadeBy>) -> Arc<MadeBy> {
        let Self { all, recent } = self;
        recent.get(
            |one| *one == *origin,
            || {
                let held = all.get(&origin).cloned();
                held.unwrap_or_else(|| {
                    all.insert(Arc::clone(&origin));
                    Arc::clone(&origin)
                })
            },
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_many_files_share_is_held_once() {
        let origin = |number: usize| {
            Arc::new(MadeBy {
                fingerprint: Some(number.to_string().into()),
                engine: "understudy 1".into(),
                run: None,
                unverifiable: None,
                samples: None,
                error: None,
            })
        };
        let mut origins = SharedMakers::default();
        let held: Vec<_> = (0..100).map(|one| origins.held(origin(one))).collect();
        for (number, one) in held.iter().enumerate() {
            assert!(Arc::ptr_eq(one, &origins.held(origin(number))));
        }
    }
}
