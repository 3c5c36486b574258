//! Findings in the form of a good compiler: code, sentence, the place underlined, what would
//! happen, what to do.

use std::io::Write;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use truepath_core::finding::{Finding, Label, Weight};
use truepath_core::source::{SourceKind, Sources};

use super::{ERROR, GOOD, TITLE, WARNING, count};

/// Columns of a finding where nobody tells a width.
const COLUMNS: usize = 100;

/// The columns that `COLUMNS` tells, as shells do; a finding needs some room.
fn columns() -> usize {
    let told = std::env::var("COLUMNS").ok();
    let told = told.and_then(|columns| columns.parse::<usize>().ok());
    told.map_or(COLUMNS, |columns| columns.clamp(60, 200))
}

/// Tells all findings; the writer drops colours where they are not wanted.
pub(crate) fn tell_all(out: &mut dyn Write, sources: &Sources, findings: &[Finding]) {
    for finding in findings {
        // Nobody is left to tell when this fails.
        let _ = writeln!(out, "{}\n", rendered(sources, finding));
    }
}

fn rendered(sources: &Sources, finding: &Finding) -> String {
    let level = match finding.weight {
        Weight::Error => Level::ERROR,
        Weight::Warning => Level::WARNING,
        Weight::Note => Level::NOTE,
    };
    let mut group = Group::with_title(level.primary_title(&*finding.sentence).id(finding.code));
    // Labels in the same text share a snippet; the main one comes first.
    let mut ids: Vec<_> = finding
        .labels
        .iter()
        .map(|label| label.place.source)
        .collect();
    let mut seen = Vec::new();
    ids.retain(|id| {
        !seen.contains(id) && {
            seen.push(*id);
            true
        }
    });
    for id in ids {
        let source = sources.get(id);
        let labels = finding
            .labels
            .iter()
            .filter(|label| label.place.source == id);
        let name = match source.kind {
            SourceKind::File => source.name.clone(),
            SourceKind::Argument => format!("{} (command line)", source.name),
            SourceKind::BuiltIn => format!("{} (ships with True Path)", source.name),
        };
        let snippet =
            Snippet::source(&*source.text)
                .path(name)
                .annotations(labels.enumerate().map(|(index, label)| {
                    let kind = if index == 0 && std::ptr::eq(label, &finding.labels[0]) {
                        AnnotationKind::Primary
                    } else {
                        AnnotationKind::Context
                    };
                    let annotation = kind.span(span(label, source.text.len()));
                    if label.text.is_empty() {
                        annotation
                    } else {
                        annotation.label(&*label.text)
                    }
                }));
        group = group.element(snippet);
    }
    if let Some(consequence) = &finding.consequence {
        group = group.element(Level::NOTE.with_name(Some("so")).message(&**consequence));
    }
    for advice in &finding.advice {
        group = group.element(Level::HELP.with_name(Some("do")).message(&**advice));
    }
    Renderer::styled()
        .decor_style(DecorStyle::Unicode)
        .term_width(columns())
        .render(&[group])
        // The sign between two files is missing from the fonts of most terminals.
        .replace('⸬', "├")
}

fn span(label: &Label, length: usize) -> std::ops::Range<usize> {
    let span = &label.place.span;
    span.start.min(length)..span.end.min(length)
}

/// A line that counts errors and warnings.
pub(crate) fn summary(findings: &[Finding], subject: &str) -> String {
    let number = |weight| {
        findings
            .iter()
            .filter(|finding| finding.weight == weight)
            .count() as u64
    };
    let (errors, warnings, notes) = (
        number(Weight::Error),
        number(Weight::Warning),
        number(Weight::Note),
    );
    let words = [
        (errors, count(errors, "error", "errors")),
        (warnings, count(warnings, "warning", "warnings")),
        (notes, count(notes, "note", "notes")),
    ];
    let words: Vec<String> = words
        .into_iter()
        .filter(|(number, _)| *number > 0)
        .map(|(_, text)| text)
        .collect();
    let (style, text) = match (errors, warnings) {
        (0, 0) if notes == 0 => (GOOD, "nothing to complain about".to_owned()),
        (0, 0) => (GOOD, words.join(", ")),
        (0, _) => (WARNING, words.join(", ")),
        _ => (ERROR, words.join(", ")),
    };
    format!("{style}{text}{style:#} {TITLE}in {subject}{TITLE:#}")
}
