//! Many shots from a table: `[shot-list] from = "shots.csv"`. Columns are keys, rows are shots.

use std::ops::Range;

use super::JobReader;
use crate::finding::{Finding, count, grouped};
use crate::job::kinds::CellNotation;
use crate::job::{KEYS, NamedTable, TableKind};
use crate::nearest::advice;
use crate::source::{Level, Place, SourceId, SourceKind};
use crate::toml_tree::{Entry, MOST_SHOTS, Node, NodeKind, parse_value};

impl JobReader<'_> {
    /// The shots of a list; a bad cell is reported by row and column.
    pub(super) fn shot_list(&mut self, entry: &Entry) -> Vec<NamedTable> {
        let Some(inner) = self.inner(entry, "[shot-list]") else {
            return Vec::new();
        };
        let mut from = None;
        for one in inner {
            match (one.key.as_str(), &one.value.kind) {
                ("from", NodeKind::Text(text)) => from = Some((text.clone(), &one.value.place)),
                ("from", _) => self.findings.push(
                    Finding::error("TP003", "`from` takes a file such as \"shots.csv\"")
                        .at(&one.value.place, ""),
                ),
                (other, _) => self.findings.push(
                    Finding::error("TP002", format!("[shot-list] has no key `{other}`"))
                        .at(&one.key_place, "")
                        .advise(advice(other, &["from"])),
                ),
            }
        }
        let Some((path, place)) = from else {
            return Vec::new();
        };
        match (self.fetch)(&path) {
            Ok(text) => self.shots_of(&path, &text),
            Err(reason) => {
                self.findings.push(
                    Finding::error(
                        "TP007",
                        format!("the list of shots `{path}` cannot be read"),
                    )
                    .at(place, reason)
                    .advise("the path starts at the folder of the job file"),
                );
                Vec::new()
            }
        }
    }

    fn shots_of(&mut self, path: &str, text: &str) -> Vec<NamedTable> {
        let source = self.sources.add(path, text, SourceKind::File);
        let mut rows = rows(text).into_iter();
        let head = rows.next().unwrap_or_default();
        let columns: Vec<&str> = head.iter().map(|cell| cell.text.trim()).collect();
        let Some(name_column) = columns.iter().position(|column| *column == "shot") else {
            self.findings.push(
                Finding::error("TP005", "the list of shots has no column `shot`")
                    .at(&Place { source, span: 0..text.lines().next().map_or(0, str::len) }, "")
                    .advise("the first row names the columns: shot, and keys such as scene, frames, camera"),
            );
            return Vec::new();
        };
        self.unknown_columns(&head, &columns, source);
        if !self.findings.is_empty() {
            return Vec::new();
        }
        if rows.len() > MOST_SHOTS {
            let place = Place { source, span: 0..0 };
            self.findings.push(
                Finding::error(
                    "TP009",
                    format!(
                        "the list has {} shots, and the limit is {}",
                        grouped(rows.len() as u64),
                        grouped(MOST_SHOTS as u64)
                    ),
                )
                .at(&place, "")
                .advise("split the job into several files"),
            );
            return Vec::new();
        }
        let mut shots: Vec<NamedTable> = Vec::new();
        let mut names = std::collections::HashSet::new();
        for (number, row) in rows.enumerate() {
            let name = row.get(name_column).map_or("", |cell| cell.text.trim());
            if row.iter().all(|cell| cell.text.trim().is_empty()) {
                continue;
            }
            let before = self.findings.len();
            let name_place = row
                .get(name_column)
                .map_or(Place { source, span: 0..0 }, |cell| cell.place(source));
            self.component(name, &name_place, "a shot");
            if !names.insert(name.to_owned()) {
                self.findings.push(
                    Finding::error("TP004", format!("the shot `{name}` is listed twice"))
                        .at(&name_place, ""),
                );
            }
            self.cells_beyond(name, &row, columns.len(), source);
            let entries = entries(&columns, &row, source);
            shots.push(NamedTable {
                name: name.to_owned(),
                name_place,
                kind: TableKind::Shot,
                table: self.table(&entries, TableKind::Shot, Level::Shot),
                inherits: None,
                inner: Vec::new(),
            });
            for finding in &mut self.findings[before..] {
                name_row_and_column(finding, number + 2, &row, &columns);
            }
        }
        shots
    }

    /// Reports columns that are no keys of a shot.
    fn unknown_columns(&mut self, head: &[ListCell], columns: &[&str], source: SourceId) {
        for (cell, column) in head.iter().zip(columns) {
            let known = *column == "shot"
                || column.starts_with("settings.")
                || column.starts_with("env.")
                || facts_of(column).is_some();
            if !known {
                let names: Vec<&str> = KEYS
                    .iter()
                    .filter(|facts| facts.stands_in(TableKind::Shot))
                    .map(|facts| facts.name)
                    .collect();
                self.findings.push(
                    Finding::error("TP002", format!("a list of shots has no column `{column}`"))
                        .at(&cell.place(source), "")
                        .advise(advice(column, &names)),
                );
            }
        }
    }

    /// Reports cells behind those that have a column.
    fn cells_beyond(&mut self, name: &str, row: &[ListCell], columns: usize, source: SourceId) {
        let mut beyond = row.iter().skip(columns);
        if let Some(cell) = beyond.find(|cell| !cell.text.trim().is_empty()) {
            let cells = count(row.len() as u64, "cell", "cells");
            let named = count(columns as u64, "column", "columns");
            self.findings.push(
                Finding::error(
                    "TP005",
                    format!("the row of the shot `{name}` has {cells}, and the list has {named}"),
                )
                .at(&cell.place(source), "")
                .advise("put a text with commas into quotes: \"a, b\""),
            );
        }
    }
}

/// Adds row and column to a sentence, as a spreadsheet counts them.
fn name_row_and_column(finding: &mut Finding, row: usize, cells: &[ListCell], columns: &[&str]) {
    let column = finding.labels.first().and_then(|label| {
        let at = label.place.span.start;
        let cell = cells
            .iter()
            .position(|cell| cell.span.start <= at && at <= cell.span.end)?;
        columns.get(cell).copied()
    });
    finding.sentence = format!(
        "row {row}, column `{}`: {}",
        column.unwrap_or("shot"),
        finding.sentence
    );
}

fn facts_of(column: &str) -> Option<&'static crate::job::KeyFacts> {
    KEYS.iter()
        .find(|facts| facts.name == column && facts.stands_in(TableKind::Shot))
}

/// A row as the entries of a table; empty cells set nothing.
fn entries(columns: &[&str], row: &[ListCell], source: SourceId) -> Vec<Entry> {
    let mut entries: Vec<Entry> = Vec::new();
    for (column, cell) in columns.iter().zip(row) {
        let text = cell.text.trim();
        if text.is_empty() || *column == "shot" {
            continue;
        }
        let place = cell.place(source);
        let entry = |key: &str, value: Node| Entry {
            key: key.to_owned(),
            key_place: place.clone(),
            value,
        };
        if let Some((table, key)) = column.split_once('.') {
            let value = match facts_of(column).map(|facts| facts.kind.cell) {
                Some(CellNotation::Value) => parse_value(text, cell.span.start, source),
                _ => None,
            };
            let inner = entry(key, value.unwrap_or_else(|| plain(text, &place)));
            match entries.iter_mut().find(|known| known.key == table) {
                Some(known) => {
                    if let NodeKind::Table(known) = &mut known.value.kind {
                        known.push(inner);
                    }
                }
                None => {
                    let kind = NodeKind::Table(vec![inner]);
                    entries.push(entry(
                        table,
                        Node {
                            place: place.clone(),
                            kind,
                        },
                    ));
                }
            }
            continue;
        }
        let node = match facts_of(column).map(|facts| facts.kind.cell) {
            Some(CellNotation::List) => Node {
                place: place.clone(),
                kind: NodeKind::List(
                    text.split(';')
                        .map(|one| plain(one.trim(), &place))
                        .collect(),
                ),
            },
            Some(CellNotation::Value) => {
                parse_value(text, cell.span.start, source).unwrap_or_else(|| plain(text, &place))
            }
            Some(CellNotation::Text) | None => plain(text, &place),
        };
        entries.push(entry(column, node));
    }
    entries
}

fn plain(text: &str, place: &Place) -> Node {
    Node {
        place: place.clone(),
        kind: NodeKind::Text(text.to_owned()),
    }
}

/// A cell with its bytes in the file, quotes left out.
#[derive(Debug, Clone, Default)]
struct ListCell {
    text: String,
    span: Range<usize>,
}

impl ListCell {
    fn place(&self, source: SourceId) -> Place {
        Place {
            source,
            span: self.span.clone(),
        }
    }
}

/// The rows of a CSV file (RFC 4180). The bytes of each cell are kept, which no library reports.
fn rows(text: &str) -> Vec<Vec<ListCell>> {
    let mut rows = Vec::new();
    let mut row: Vec<ListCell> = Vec::new();
    let text_start = text.len() - text.trim_start_matches('\u{feff}').len();
    let mut at = text_start;
    while at < text.len() {
        let (cell, end) = cell(text, at);
        row.push(cell);
        let rest = &text[end..];
        if rest.starts_with(',') {
            at = end + 1;
            if at == text.len() {
                row.push(ListCell {
                    text: String::new(),
                    span: at..at,
                });
            }
        } else {
            at = end + if rest.starts_with("\r\n") { 2 } else { 1 };
            rows.push(std::mem::take(&mut row));
        }
    }
    if !row.is_empty() {
        rows.push(row);
    }
    rows
}

/// One cell and where it ends.
fn cell(text: &str, start: usize) -> (ListCell, usize) {
    let rest = &text[start..];
    if !rest.starts_with('"') {
        let length = rest.find([',', '\n', '\r']).unwrap_or(rest.len());
        let span = start..start + length;
        return (
            ListCell {
                text: rest[..length].to_owned(),
                span: span.clone(),
            },
            span.end,
        );
    }
    let mut inside = String::new();
    let mut at = start + 1;
    while let Some(quote) = text[at..].find('"') {
        inside.push_str(&text[at..at + quote]);
        at += quote + 1;
        if !text[at..].starts_with('"') {
            break;
        }
        inside.push('"');
        at += 1;
    }
    let end = at
        + text[at..]
            .find([',', '\n', '\r'])
            .unwrap_or(text.len() - at);
    (
        ListCell {
            text: inside,
            span: start + 1..at.saturating_sub(1).max(start + 1),
        },
        end,
    )
}

#[cfg(test)]
mod tests {
    use super::rows;

    #[test]
    fn cells_are_read_with_their_bytes() {
        let text = "\u{feff}shot,frames\r\n\"a \"\"b\"\"\",\"1-9,12\"\nc,\n";
        let cells: Vec<Vec<String>> = rows(text)
            .iter()
            .map(|row| {
                row.iter()
                    .map(|cell| format!("{}@{}", cell.text, &text[cell.span.clone()]))
                    .collect()
            })
            .collect();
        assert_eq!(
            cells,
            [
                vec!["shot@shot", "frames@frames"],
                vec!["a \"b\"@a \"\"b\"\"", "1-9,12@1-9,12"],
                vec!["c@c", "@"],
            ]
        );
    }
}
