//! Published files as recorded in lines of ledgers and records.

use std::borrow::Cow;
use std::sync::Arc;

use jiff::Timestamp;
use serde::Deserialize;
use truepath_core::picture::RenderedSamples;

use super::files::split;
use super::home::Home;
use super::recent::Recent;
use super::{FileOrigin, Hash, KnownFile, MadeBy, Record};
use crate::disk::Stamp;

/// A published file as recorded in a line.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct PublishedFiles {
    pub(super) how: FileOrigin,
    pub(super) folder: Arc<str>,
    pub(super) name: Box<str>,
    pub(super) known: KnownFile,
    /// When it came; none where the line has no time.
    pub(super) time: Option<Timestamp>,
}

impl PublishedFiles {
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
    how: FileOrigin,
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
    #[serde(borrow, default)]
    unverifiable: Option<Text<'a>>,
    #[serde(default)]
    samples: Option<RenderedSamples>,
    #[serde(borrow, default)]
    error: Option<Text<'a>>,
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
            unverifiable: record.unverifiable.as_deref().map(Text::from),
            samples: record.samples,
            error: record.error.as_deref().map(Text::from),
        }
    }
}

/// Makes files known, from lines or records: what neighbours share is held once.
#[derive(Debug, Default)]
pub(super) struct RecordReader {
    home: Home,
    folders: Recent<str>,
    origins: Recent<MadeBy>,
}

impl RecordReader {
    /// One of lines whose paths are relative to this folder.
    pub(super) fn new(home: Home) -> Self {
        Self {
            home,
            ..Self::default()
        }
    }

    /// A published file as recorded in a line of a ledger; none where it does not.
    pub(super) fn of_line(&mut self, line: &str) -> Option<PublishedFiles> {
        let View { published } = serde_json::from_str(line).ok()?;
        Some(self.of_view(published.how, &published.record))
    }

    /// A file that was just published.
    pub(super) fn of_record(&mut self, how: FileOrigin, record: &Record) -> PublishedFiles {
        self.of_view(how, &RecordView::of(record))
    }

    fn of_view(&mut self, how: FileOrigin, record: &RecordView<'_>) -> PublishedFiles {
        let (folder, name) = split(&record.path.0);
        let fingerprint = record.fingerprint.as_ref().map(Text::as_str);
        let engine = record.engine.as_str();
        let run = record.run.as_ref().map(Text::as_str);
        let unverifiable = record.unverifiable.as_ref().map(Text::as_str);
        let error = record.error.as_ref().map(Text::as_str);
        let is_it = |one: &MadeBy| {
            one.fingerprint.as_deref() == fingerprint
                && *one.engine == *engine
                && one.run.as_deref() == run
                && one.unverifiable.as_deref() == unverifiable
                && one.samples == record.samples
                && one.error.as_deref() == error
        };
        let origin = || {
            Arc::new(MadeBy {
                fingerprint: fingerprint.map(Into::into),
                engine: engine.into(),
                run: run.map(Into::into),
                unverifiable: unverifiable.map(Into::into),
                samples: record.samples,
                error: error.map(Into::into),
            })
        };
        PublishedFiles {
            how,
            folder: {
                let home = &self.home;
                let whole = || (&*home.whole(folder)).into();
                self.folders.get(|one| home.is(folder, one), whole)
            },
            name: name.into(),
            known: KnownFile {
                stamp: Stamp {
                    size: record.size,
                    modified: record.modified,
                },
                hash: Hash::of_record(record.hash.as_str()),
                origin: self.origins.get(is_it, origin),
            },
            time: record.time.as_str().parse().ok(),
        }
    }
}
