//! Reads TOML into a tree.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

use super::limits::beyond_limits;
use super::{Entry, Node, NodeKind};
use crate::finding::Finding;
use crate::source::{Place, SourceId};

/// Reads a whole text; what is broken is reported and the rest is read all the same.
#[must_use]
pub fn parse(text: &str, source: SourceId) -> (Vec<Entry>, Vec<Finding>) {
    let (table, errors) = DeTable::parse_recoverable(text);
    let mut findings: Vec<Finding> = errors
        .iter()
        .map(|error| {
            let span = error.span().unwrap_or(0..0);
            Finding::error(
                "TP001",
                format!("this is not TOML: {}", error.message().replace('\n', ", ")),
            )
            .at(
                &Place {
                    source,
                    span: span.clone(),
                },
                "here",
            )
            .advise_some(slip(text, span.start))
        })
        .collect();
    findings.sort_by_key(|finding| finding.labels[0].place.span.start);
    let reader = TreeReader { text, source };
    let entries = reader.table(table.get_ref());
    findings.extend(beyond_limits(&entries));
    (entries, findings)
}

/// What was likely meant in a line that is not TOML.
fn slip(text: &str, at: usize) -> Option<String> {
    let at = (0..=at.min(text.len()))
        .rev()
        .find(|at| text.is_char_boundary(*at))?;
    let start = text[..at].rfind('\n').map_or(0, |end| end + 1);
    let line = text[start..].lines().next()?.trim();
    let (key, value) = line.split_once('=')?;
    let (key, value) = (key.trim(), value.split('#').next()?.trim());
    if value.contains('\\') {
        let plain = value.trim_matches('"').replace('\\', "/");
        return Some(format!(
            "in double quotes a backslash begins an escape: write {key} = \"{plain}\", or use single quotes"
        ));
    }
    let is_bare = !value.is_empty() && !value.starts_with(['"', '\'', '[', '{']);
    is_bare.then(|| format!("put text in quotes: {key} = \"{value}\""))
}

/// Reads one value, such as `"north"`, `3` or `[1, 2]`, that stands `offset` bytes into its source.
#[must_use]
pub(crate) fn parse_value(text: &str, offset: usize, source: SourceId) -> Option<Node> {
    let value = DeValue::parse(text).ok()?;
    let reader = TreeReader { text, source };
    let mut node = reader.value(&value);
    shift(&mut node, offset);
    Some(node)
}

fn shift(node: &mut Node, offset: usize) {
    node.place.span = node.place.span.start + offset..node.place.span.end + offset;
    match &mut node.kind {
        NodeKind::List(items) => items.iter_mut().for_each(|item| shift(item, offset)),
        NodeKind::Table(entries) => {
            for entry in entries {
                let span = &entry.key_place.span;
                entry.key_place.span = span.start + offset..span.end + offset;
                shift(&mut entry.value, offset);
            }
        }
        _ => {}
    }
}

struct TreeReader<'a> {
    text: &'a str,
    source: SourceId,
}

impl TreeReader<'_> {
    fn place(&self, span: Range<usize>) -> Place {
        Place {
            source: self.source,
            span,
        }
    }

    fn table(&self, table: &DeTable<'_>) -> Vec<Entry> {
        let mut entries: Vec<Entry> = table
            .iter()
            .map(|(key, value)| self.entry(key, value))
            .collect();
        // The library sorts by name; the order of the file is the order of the work.
        entries.sort_by_key(|entry| entry.key_place.span.start);
        entries
    }

    fn entry(&self, key: &Spanned<DeString<'_>>, value: &Spanned<DeValue<'_>>) -> Entry {
        Entry {
            key: key.get_ref().to_string(),
            key_place: self.place(key.span()),
            value: self.value(value),
        }
    }

    fn value(&self, value: &Spanned<DeValue<'_>>) -> Node {
        let mut span = value.span();
        let kind = match value.get_ref() {
            DeValue::String(text) => {
                span = self.inside_quotes(span, text);
                NodeKind::Text(text.to_string())
            }
            DeValue::Integer(number) => i64::from_str_radix(number.as_str(), number.radix())
                .map_or_else(|_| NodeKind::Text(number.to_string()), NodeKind::Integer),
            DeValue::Float(number) => number
                .as_str()
                .parse()
                .map_or_else(|_| NodeKind::Text(number.to_string()), NodeKind::Float),
            DeValue::Boolean(truth) => NodeKind::Boolean(*truth),
            DeValue::Datetime(date) => NodeKind::Date(date.to_string()),
            DeValue::Array(items) => {
                NodeKind::List(items.iter().map(|item| self.value(item)).collect())
            }
            DeValue::Table(table) => NodeKind::Table(self.table(table)),
        };
        Node {
            place: self.place(span),
            kind,
        }
    }

    fn inside_quotes(&self, span: Range<usize>, text: &str) -> Range<usize> {
        let raw = self.text.get(span.clone()).unwrap_or_default();
        for quote in [1, 3] {
            if raw.len() == text.len() + 2 * quote
                && raw.get(quote..raw.len() - quote) == Some(text)
            {
                return span.start + quote..span.end - quote;
            }
        }
        span
    }
}
