//! Mends: replacements in the text of a job that do what a finding advises.

use std::ops::Range;

use crate::finding::Finding;
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

/// Applies the fixes of all findings to the files that they are in. Of two that would change the
/// same bytes the first is taken; the other is found again when the result is checked.
#[must_use]
pub fn fix(sources: &Sources, findings: &[Finding]) -> Vec<FixedFile> {
    let mut all: Vec<(SourceId, Vec<Change>)> = Vec::new();
    for one in findings.iter().flat_map(|finding| &finding.fixes) {
        let (source, span) = (one.place.source, one.place.span.clone());
        let text = sources.get(source);
        let plain =
            |text: &str| !text.contains(['"', '\'', '\\']) && !text.contains(char::is_control);
        let sound = text.kind == SourceKind::File
            && text.text.get(span.clone()).is_some_and(plain)
            // What needs an escape in one kind of quotes and not in the other is left to people.
            && plain(&one.text);
        if !sound {
            continue;
        }
        let changes = match all.iter_mut().find(|(known, _)| *known == source) {
            Some((_, changes)) => changes,
            None => {
                all.push((source, Vec::new()));
                match all.last_mut() {
                    Some((_, changes)) => changes,
                    None => continue,
                }
            }
        };
        let free = |(known, _): &Change| known.end <= span.start || span.end <= known.start;
        if changes.iter().all(free) {
            changes.push((span, one.text.clone()));
        }
    }
    all.into_iter()
        .map(|(source, mut changes)| {
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
        })
        .collect()
}
