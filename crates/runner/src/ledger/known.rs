//! What is remembered of published files, in little room: there may be hundreds of thousands.

use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::Arc;

use jiff::Timestamp;
use serde::Deserialize;

use super::files::split;
use super::{How, Record};
use crate::disk::Stamp;

/// What is remembered of a published file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Known {
    /// Size and time of last change.
    pub stamp: Stamp,
    /// SHA-256 of its bytes.
    pub hash: Hash,
    /// What made it.
    pub origin: Arc<Origin>,
}

impl Known {
    /// Fingerprint of what made the picture; none when nobody knows.
    #[must_use]
    pub fn fingerprint(&self) -> Option<&str> {
        self.origin.fingerprint.as_deref()
    }
}

/// What made a file: many have the same.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Origin {
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<Box<str>>,
    /// The engine that made it, with its version.
    pub engine: Box<str>,
    /// The run that it belongs to.
    pub run: Option<Box<str>>,
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

impl std::fmt::Display for Hash {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(out, "{byte:02x}"))
    }
}

/// A published file as a line tells of it.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Published {
    pub(super) how: How,
    pub(super) folder: Arc<str>,
    pub(super) name: Box<str>,
    pub(super) known: Known,
    /// When it came; none where the line has no time.
    pub(super) time: Option<Timestamp>,
}

impl Published {
    pub(super) fn path(&self) -> String {
        format!("{}/{}", self.folder, self.name)
    }
}

/// A published line, read without copying its texts.
#[derive(Deserialize)]
pub(super) struct View<'a> {
    #[serde(borrow)]
    published: PublishedView<'a>,
}

#[derive(Deserialize)]
struct PublishedView<'a> {
    how: How,
    #[serde(borrow)]
    record: RecordView<'a>,
}

#[derive(Deserialize)]
struct RecordView<'a> {
    #[serde(borrow)]
    path: Text<'a>,
    size: u64,
    modified: i64,
    #[serde(borrow)]
    hash: Text<'a>,
    #[serde(borrow)]
    fingerprint: Option<Text<'a>>,
    #[serde(borrow)]
    engine: Text<'a>,
    #[serde(borrow)]
    time: Text<'a>,
    #[serde(borrow, default)]
    run: Option<Text<'a>>,
}

/// A text of a line: borrowed where nothing in it is escaped.
#[derive(Deserialize)]
struct Text<'a>(#[serde(borrow)] Cow<'a, str>);

impl Text<'_> {
    fn as_str(&self) -> &str {
        &self.0
    }
}

impl<'a> From<&'a str> for Text<'a> {
    fn from(text: &'a str) -> Self {
        Self(Cow::Borrowed(text))
    }
}

impl<'a> RecordView<'a> {
    fn of(record: &'a Record) -> Self {
        Self {
            path: record.path.as_str().into(),
            size: record.size,
            modified: record.modified,
            hash: record.hash.as_str().into(),
            fingerprint: record.fingerprint.as_deref().map(Text::from),
            engine: record.engine.as_str().into(),
            time: record.time.as_str().into(),
            run: record.run.as_deref().map(Text::from),
        }
    }
}

/// Makes files known, from lines or records: what neighbours share is held once.
#[derive(Debug, Default)]
pub(super) struct Reader {
    folders: Recent<str>,
    origins: Recent<Origin>,
}

impl Reader {
    /// A published file as a line of a ledger tells of it; none where it does not.
    pub(super) fn of_line(&mut self, line: &str) -> Option<Published> {
        let View { published } = serde_json::from_str(line).ok()?;
        Some(self.of_view(published.how, &published.record))
    }

    /// A file that was just published.
    pub(super) fn of_record(&mut self, how: How, record: &Record) -> Published {
        self.of_view(how, &RecordView::of(record))
    }

    fn of_view(&mut self, how: How, record: &RecordView<'_>) -> Published {
        let (folder, name) = split(&record.path.0);
        let fingerprint = record.fingerprint.as_ref().map(Text::as_str);
        let engine = record.engine.as_str();
        let run = record.run.as_ref().map(Text::as_str);
        let is_it = |one: &Origin| {
            one.fingerprint.as_deref() == fingerprint
                && *one.engine == *engine
                && one.run.as_deref() == run
        };
        let origin = || {
            Arc::new(Origin {
                fingerprint: fingerprint.map(Into::into),
                engine: engine.into(),
                run: run.map(Into::into),
            })
        };
        Published {
            how,
            folder: self.folders.get(|one| *one == *folder, || folder.into()),
            name: name.into(),
            known: Known {
                stamp: Stamp {
                    size: record.size,
                    modified: record.modified,
                },
                hash: Hash::of_digits(record.hash.as_str()),
                origin: self.origins.get(is_it, origin),
            },
            time: record.time.as_str().parse().ok(),
        }
    }
}

/// The origins of all files, each held once.
#[derive(Debug, Clone, Default)]
pub(super) struct Origins {
    all: HashSet<Arc<Origin>>,
    recent: Recent<Origin>,
}

impl Origins {
    /// The one that is held of those that are the same.
    pub(super) fn held(&mut self, origin: Arc<Origin>) -> Arc<Origin> {
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

/// So many values are looked through before a new one is made.
const RECENT: usize = 16;

/// The values that were asked for last: neighbours mostly have the same.
#[derive(Debug, Clone)]
struct Recent<T: ?Sized>(Vec<Arc<T>>);

impl<T: ?Sized> Default for Recent<T> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<T: ?Sized> Recent<T> {
    fn get(&mut self, is_it: impl Fn(&T) -> bool, new: impl FnOnce() -> Arc<T>) -> Arc<T> {
        if let Some(known) = self.0.iter().find(|one| is_it(one)) {
            return Arc::clone(known);
        }
        let new = new();
        self.0.truncate(RECENT - 1);
        self.0.insert(0, Arc::clone(&new));
        new
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_many_files_share_is_held_once() {
        let origin = |number: usize| {
            Arc::new(Origin {
                fingerprint: Some(number.to_string().into()),
                engine: "understudy 1".into(),
                run: None,
            })
        };
        let mut origins = Origins::default();
        let held: Vec<_> = (0..3 * RECENT)
            .map(|one| origins.held(origin(one)))
            .collect();
        for (number, one) in held.iter().enumerate() {
            assert!(Arc::ptr_eq(one, &origins.held(origin(number))));
        }
    }
}
