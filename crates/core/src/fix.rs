//! Fixes: replacements in the text of a job that do what a finding advises.

use std::collections::BTreeMap;
use std::ops::Range;

use crate::finding::{Finding, Fix};
use crate::source::{SourceId, SourceKind, Sources};

/// Bytes of a text as it was, and what stands there now.
pub type Change = (Range<usize>, String);

/// A text with what was changed in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FixedFile {
    /// Which text.
    pub source: SourceId,
    /// The whole text, fixed.
    pub text: String,
    /// What was changed, in order; none lies in another.
    pub changes: Vec<Change>,
}

/// What the fixes of findings come to.
#[derive(Debug, Default)]
pub struct Fixes<'f> {
    /// The files that change.
    pub files: Vec<FixedFile>,
    /// Fixes of texts over several lines, or with quotes or escapes: nothing is written there, since what is right
    /// depends on the kind of quotes.
    pub by_hand: Vec<&'f Fix>,
}

/// Applies the fixes of all findings to the files that they are in. Of two that would change the
/// same bytes the first is taken; the other is found again when the result is checked.
#[must_use]
pub fn fix<'f>(sources: &Sources, findings: &'f [Finding]) -> Fixes<'f> {
    let plain = |text: &str| !text.contains(['"', '\'', '\\']) && !text.contains(char::is_control);
    let mut all: BTreeMap<SourceId, Vec<Change>> = BTreeMap::new();
    let mut by_hand = Vec::new();
    for one in findings.iter().flat_map(|finding| &finding.fixes) {
        let (source, span) = (one.place.source, one.place.span.clone());
        let text = sources.get(source);
        if text.kind != SourceKind::File {
            continue;
        }
        if !text.text.get(span.clone()).is_some_and(plain) || !plain(&one.text) {
            by_hand.push(one);
            continue;
        }
        let changes = all.entry(source).or_default();
        let free = |(known, _): &Change| known.end <= span.start || span.end <= known.start;
        if changes.iter().all(free) {
            changes.push((span, one.text.clone()));
        }
    }
    let files = all.into_iter().map(|(source, mut changes)| {
        changes.sort_by_key(|(span, _)| span.start);
        let mut text = sources.get(source).text.to_string();
        for (span, new) in changes.iter().rev() {
            text.replace_range(span.clone(), new);
        }
        FixedFile {
            source,
            text,
            changes,
        }
    });
    Fixes {
        files: files.collect(),
        by_hand,
    }
}
