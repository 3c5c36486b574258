//! Findings as they are read: the mistake, its effect and the fix first, then the lines of the job
//! file that it is about, underlined.

use std::collections::HashMap;
use std::io::{self, Write};

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{Annotation, AnnotationKind, Group, Level, Renderer, Snippet};
use truepath_core::alike::without_numbers;
use truepath_core::finding::{Finding, Label, Severity, grouped};
use truepath_core::source::{SourceKind, Sources};
use truepath_core::visible::{is_hidden, visible};

use super::output::painted;
use super::{ERROR, FAINT, GOOD, NOTE, TITLE, WARNING, columns, count};

/// Columns of a finding where no width is given.
const COLUMNS: usize = 100;

/// Columns that numbers and signs at the left of a line of a file take.
const MARGIN: usize = 12;

/// Columns before an effect or a fix.
const INDENT: usize = 10;

/// So many findings of one cause are shown each; of more the first, and where the others are.
const MOST_ALIKE: usize = 3;

/// Shows all findings; the writer drops colours where they are not wanted. Those of one cause are
/// gathered, unless `each` is to be seen.
pub(crate) fn print_all(out: &mut dyn Write, sources: &Sources, findings: &[Finding], each: bool) {
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
        let mut others = alike.iter();
        let Some(&first) = others.next() else {
            continue;
        };
        let places: Vec<String> = others
            .clone()
            .filter_map(|finding| place(sources, finding))
            .take(MOST_ALIKE - 1)
            .collect();
        let more = match others.len().saturating_sub(places.len()) {
            0 => String::new(),
            more => format!(" and {} more", grouped(more as u64)),
        };
        let at = if places.is_empty() {
            String::new()
        } else {
            format!(": {}{more}", places.join(", "))
        };
        let first = first.clone().advise(format!(
            "the same {}{at}; --all shows each",
            count(others.len() as u64, "more time", "more times")
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
    let mut text = painted(&head(finding, columns));
    let excerpts = excerpts(sources, finding, columns);
    if !excerpts.is_empty() {
        text.push('\n');
        text.push_str(&excerpts);
    }
    // What is hidden in a job's text is shown as such; colours and ends of lines are of this program.
    text.replace(|one| !matches!(one, '\u{1b}' | '\n') && is_hidden(one), "�")
}

/// The severity, the code and the sentence, then the effect and the fix.
fn head(finding: &Finding, columns: usize) -> String {
    let (style, word) = match finding.severity {
        Severity::Error => (ERROR, "ERROR"),
        Severity::Warning => (WARNING, "WARNING"),
        Severity::Note => (NOTE, "NOTE"),
    };
    let sentence = visible(&finding.sentence);
    let mut lines = vec![format!(
        "{style}{word} {}{style:#}  {TITLE}{sentence}{TITLE:#}",
        finding.code
    )];
    let effect = finding
        .consequence
        .iter()
        .map(|one| ("effect", WARNING, one));
    let fixes = finding.advice.iter().map(|one| ("fix", GOOD, one));
    for (label, style, text) in effect.chain(fixes) {
        let text = visible(text);
        for (index, line) in textwrap::wrap(&text, columns - INDENT).iter().enumerate() {
            let label = if index == 0 { label } else { "" };
            lines.push(format!("  {style}{label:<6}{style:#}  {line}"));
        }
    }
    lines.join("\n")
}

/// The lines that the labels are about, by file; the first label is the main one.
fn excerpts(sources: &Sources, finding: &Finding, columns: usize) -> String {
    let level = match finding.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    };
    let mut group = Group::with_level(level);
    let mut ids: Vec<_> = Vec::new();
    for label in &finding.labels {
        if !ids.contains(&label.place.source) {
            ids.push(label.place.source);
        }
    }
    if ids.is_empty() {
        return String::new();
    }
    for id in ids {
        let source = sources.get(id);
        let labels = finding.labels.iter().enumerate();
        let labels = labels.filter(|(_, label)| label.place.source == id);
        let name = match source.kind {
            SourceKind::File => source.name.clone(),
            SourceKind::Argument => format!("{} (command line)", source.name),
            SourceKind::BuiltIn => format!("{} (ships with True Path)", source.name),
        };
        let annotations = labels.flat_map(|(index, label)| {
            let kind = if index == 0 {
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
    Renderer::styled()
        .decor_style(DecorStyle::Unicode)
        .error(ERROR.style())
        .warning(WARNING.style())
        .note(NOTE.style())
        .line_num(FAINT.style())
        .context(FAINT.style())
        .term_width(columns)
        .render(&[group])
        // The signs before the names of files are missing from the fonts of most terminals.
        .replace('▸', "─")
        .replace('⸬', "├")
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

fn span(label: &Label, length: usize) -> std::ops::Range<usize> {
    let span = &label.place.span;
    span.start.min(length)..span.end.min(length)
}

/// A line that counts errors and warnings.
pub(crate) fn summary(findings: &[Finding], subject: &str) -> String {
    let number = |severity| {
        findings
            .iter()
            .filter(|finding| finding.severity == severity)
            .count() as u64
    };
    let (errors, warnings, notes) = (
        number(Severity::Error),
        number(Severity::Warning),
        number(Severity::Note),
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
        (0, 0) if notes == 0 => (GOOD, "no findings".to_owned()),
        (0, 0) => (GOOD, words.join(", ")),
        (0, _) => (WARNING, words.join(", ")),
        _ => (ERROR, words.join(", ")),
    };
    format!("{style}{text}{style:#} {TITLE}in {subject}{TITLE:#}")
}

#[cfg(test)]
mod tests {
    use truepath_core::source::{Place, SourceKind};

    use super::*;

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
            let finding = Finding::new("TP102", Severity::Error, "two expand to one".to_owned())
                .at(&place, label);
            let text = anstream::adapter::strip_str(&rendered(&sources, &finding)).to_string();
            let line = text.lines().find(|line| line.contains(label));
            let alone = !line.unwrap_or_default().contains('━');
            assert_eq!(alone, below, "{text}");
        }
    }
}
