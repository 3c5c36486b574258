//! Findings in the form of a good compiler: code, sentence, the place underlined, what would
//! happen, what to do.

use std::collections::HashMap;
use std::io::{self, Write};

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{Annotation, AnnotationKind, Group, Level, Renderer, Snippet};
use truepath_core::alike::without_numbers;
use truepath_core::finding::{Finding, Label, Weight, grouped};
use truepath_core::source::{SourceKind, Sources};
use truepath_core::visible::{is_hidden, visible};

use super::{ERROR, GOOD, TITLE, WARNING, columns, count};

/// Columns of a finding where nobody tells a width.
const COLUMNS: usize = 100;

/// Columns that numbers and signs at the left of a finding take.
const MARGIN: usize = 12;

/// So many findings of one cause are shown each; of more the first, and where the others are.
const MOST_ALIKE: usize = 3;

/// Shows all findings; the writer drops colours where they are not wanted. Those of one cause are
/// gathered, unless `each` is to be seen.
pub(crate) fn tell_all(out: &mut dyn Write, sources: &Sources, findings: &[Finding], each: bool) {
    let mut causes: Vec<(String, Vec<&Finding>)> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    for finding in findings {
        let cause = cause(finding);
        let at = *known.entry(cause.clone()).or_insert_with(|| {
            causes.push((cause, Vec::new()));
            causes.len() - 1
        });
        causes[at].1.push(finding);
    }
    for (_, alike) in causes {
        // Nobody is left to read when this fails.
        if each || alike.len() <= MOST_ALIKE {
            for finding in alike {
                let _ = writeln!(out, "{}\n", rendered(sources, finding));
            }
            continue;
        }
        let mut first = alike[0].clone();
        let others = alike.len() - 1;
        let places: Vec<String> = alike[1..]
            .iter()
            .filter_map(|finding| place(sources, finding))
            .take(MOST_ALIKE - 1)
            .collect();
        let more = match others.saturating_sub(places.len()) {
            0 => String::new(),
            more => format!(" and {} more", grouped(more as u64)),
        };
        let at = match places.is_empty() {
            true => String::new(),
            false => format!(": {}{more}", places.join(", ")),
        };
        first = first.advise(format!(
            "the same {}{at}; --all shows each",
            count(others as u64, "more time", "more times")
        ));
        let _ = writeln!(out, "{}\n", rendered(sources, &first));
    }
}

/// What findings of one cause have in common: the rule, and the sentence without names and numbers.
fn cause(finding: &Finding) -> String {
    // Every second piece is a name.
    let unquoted: Vec<&str> = finding.sentence.split('`').step_by(2).collect();
    format!("{} {}", finding.code, without_numbers(&unquoted.join("`")))
}

/// `job.toml:12`
fn place(sources: &Sources, finding: &Finding) -> Option<String> {
    let place = &finding.labels.first()?.place;
    let (line, _) = sources.line_and_column(place);
    Some(format!("{}:{line}", sources.get(place.source).name))
}

fn rendered(sources: &Sources, finding: &Finding) -> String {
    // A finding needs some room, and is not read across a whole wall.
    let columns = columns(io::stdout(), COLUMNS).clamp(60, 200);
    let level = match finding.weight {
        Weight::Error => Level::ERROR,
        Weight::Warning => Level::WARNING,
        Weight::Note => Level::NOTE,
    };
    let mut group = Group::with_title(
        level
            .primary_title(visible(&finding.sentence))
            .id(finding.code),
    );
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
        let annotations = labels.enumerate().flat_map(|(index, label)| {
            let kind = if index == 0 && std::ptr::eq(label, &finding.labels[0]) {
                AnnotationKind::Primary
            } else {
                AnnotationKind::Context
            };
            annotations(kind, label, &source.text, columns)
        });
        let snippet = Snippet::source(&*source.text)
            .path(visible(&name).into_owned())
            .annotations(annotations);
        group = group.element(snippet);
    }
    let wrapped = |text: &str| wrap(&visible(text), columns - MARGIN).join("\n");
    if let Some(consequence) = &finding.consequence {
        let note = Level::NOTE.with_name(Some("so"));
        group = group.element(note.message(wrapped(consequence)));
    }
    for advice in &finding.advice {
        let help = Level::HELP.with_name(Some("do"));
        group = group.element(help.message(wrapped(advice)));
    }
    Renderer::styled()
        .decor_style(DecorStyle::Unicode)
        .term_width(columns)
        .render(&[group])
        // The sign between two files is missing from the fonts of most terminals.
        .replace('⸬', "├")
        // Its escapes and ends of lines are the renderer's own; of a job's text it leaves these.
        .replace(|one| !matches!(one, '\u{1b}' | '\n') && is_hidden(one), "�")
}

/// How a label is drawn: behind its underline, or below where it would not fit there.
fn annotations<'l>(
    kind: AnnotationKind,
    label: &'l Label,
    text: &str,
    columns: usize,
) -> Vec<Annotation<'l>> {
    let span = span(label, text.len());
    if label.text.is_empty() {
        return vec![kind.span(span)];
    }
    let underlined = text.get(span.clone()).unwrap_or_default();
    let width = underlined.chars().count() + 1 + label.text.chars().count();
    match underlined.chars().next() {
        Some(first) if width > columns - MARGIN => {
            let start = span.start..span.start + first.len_utf8();
            vec![
                kind.span(span),
                kind.span(start).label(visible(&label.text)),
            ]
        }
        _ => vec![kind.span(span).label(visible(&label.text))],
    }
}

/// A text in lines of so many columns; a word that is longer has a line of its own.
fn wrap(text: &str, columns: usize) -> Vec<String> {
    let mut lines: Vec<String> = vec![String::new()];
    for word in text.split(' ') {
        let length = word.chars().count();
        let last = lines.len() - 1;
        let line = &mut lines[last];
        if line.is_empty() {
            line.push_str(word);
        } else if line.chars().count() + 1 + length <= columns {
            line.push(' ');
            line.push_str(word);
        } else {
            lines.push(word.to_owned());
        }
    }
    lines
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use truepath_core::source::{Place, SourceKind};

    use super::*;

    proptest! {
        #[test]
        fn wrapped_lines_are_the_text_and_fit(text in "[a-zé`{} ]{0,200}", columns in 1_usize..80) {
            let lines = wrap(&text, columns);
            for line in &lines {
                prop_assert!(line.chars().count() <= columns || !line.trim().contains(' '), "{line:?}");
            }
            // Breaks stand for spaces, and nothing else is lost or added.
            let words = |text: &str| text.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
            prop_assert_eq!(words(&lines.join(" ")), words(&text));
        }
    }

    #[test]
    fn a_label_that_does_not_fit_stands_below() {
        let text = "path = \"a-rather-long-template/{shot}.{frame:04}.png\"";
        let mut sources = Sources::default();
        let source = sources.add("truepath.toml", text, SourceKind::File);
        let place = Place {
            source,
            span: 8..text.len() - 1,
        };
        for (label, below) in [
            ("short", false),
            (
                "a label that says more than what is left of a line behind its underline",
                true,
            ),
        ] {
            let finding = Finding::new("TP102", Weight::Error, "two come to one".to_owned())
                .at(&place, label);
            let told = anstream::adapter::strip_str(&rendered(&sources, &finding)).to_string();
            let line = told.lines().find(|line| line.contains(label));
            let alone = !line.unwrap_or_default().contains('━');
            assert_eq!(alone, below, "{told}");
        }
    }
}
