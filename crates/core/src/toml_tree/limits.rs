//! How much a job file may hold: what is beyond is a slip or an attack, and is reported before anything is
//! made of it.

use crate::finding::{Finding, grouped};
use crate::source::Place;

use super::{Entry, Node, NodeKind};

/// Values of a list.
const MOST_VALUES: usize = 10_000;
/// Entries of a table.
const MOST_ENTRIES: usize = 1_000;
/// Shots, which a table of their own holds.
pub(crate) const MOST_SHOTS: usize = 100_000;
/// Bytes of a text.
const LONGEST_TEXT: usize = 64 * 1024;

/// What a file holds too much of.
pub(super) fn beyond_limits(entries: &[Entry]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for entry in entries {
        let most = match entry.key.as_str() {
            "shot" => MOST_SHOTS,
            _ => MOST_ENTRIES,
        };
        node(&entry.value, &entry.key, most, &mut findings);
    }
    findings
}

fn node(node: &Node, key: &str, most: usize, findings: &mut Vec<Finding>) {
    let start = node.place.span.start;
    let begin = Place {
        source: node.place.source,
        span: start..start,
    };
    let mut report = |number: usize, what: &str, limit: usize| {
        findings.push(
            Finding::error(
                "TP009",
                format!(
                    "`{key}` has {} {what}, and the limit is {}",
                    grouped(number as u64),
                    grouped(limit as u64)
                ),
            )
            .at(&begin, "")
            .advise("split the job into several files"),
        );
    };
    match &node.kind {
        NodeKind::Text(text) if text.len() > LONGEST_TEXT => {
            report(text.len(), "bytes", LONGEST_TEXT)
        }
        NodeKind::List(values) if values.len() > MOST_VALUES => {
            report(values.len(), "values", MOST_VALUES)
        }
        NodeKind::Table(entries) if entries.len() > most => report(entries.len(), "entries", most),
        NodeKind::List(values) => {
            for value in values {
                self::node(value, key, MOST_ENTRIES, findings);
            }
        }
        NodeKind::Table(entries) => {
            for entry in entries {
                self::node(&entry.value, &entry.key, MOST_ENTRIES, findings);
            }
        }
        _ => {}
    }
}
