//! Strips on a terminal: a row for each deliverable, with a cell for every frame or several.

use anstyle::{AnsiColor, Style};
use truepath_core::strip::{Cell, States, strip};

/// The widest that a label gets.
const LABEL: usize = 48;

/// Rows of a label with its numbers, and a strip, for a terminal so wide.
pub(crate) fn table(rows: &[(String, States)], width: usize) -> Vec<(String, Vec<Cell>)> {
    let longest = rows.iter().map(|(label, _)| label.chars().count()).max();
    let label_width = longest.unwrap_or(0).min(LABEL).min(width * 2 / 5);
    let numbers: Vec<String> = rows
        .iter()
        .map(|(_, states)| format!("{}/{}", states.done.count(), states.wanted.count()))
        .collect();
    let widest = numbers.iter().map(String::len).max().unwrap_or(0);
    let room = width.saturating_sub(label_width + widest + 4);
    rows.iter()
        .zip(numbers)
        .map(|((label, states), numbers)| {
            let label = both_ends(label, label_width);
            (
                format!("{label:<label_width$}  {numbers:>widest$}  "),
                strip(states, room),
            )
        })
        .collect()
}

fn style(cell: Cell) -> Style {
    match cell {
        Cell::Missing => Style::new().dimmed(),
        Cell::Partly | Cell::Done => AnsiColor::Green.on_default(),
        Cell::Running => AnsiColor::Cyan.on_default(),
        Cell::Stale => AnsiColor::Yellow.on_default(),
        Cell::Failed => AnsiColor::Red.on_default().bold(),
    }
}

/// A strip with its colours; neighbours that are alike share them.
pub(crate) fn coloured(cells: &[Cell]) -> String {
    let mut out = String::new();
    for row in cells.chunk_by(|one, other| one == other) {
        let style = style(row[0]);
        let text: String = row.iter().map(|cell| cell.character()).collect();
        out.push_str(&format!("{style}{text}{style:#}"));
    }
    out
}

/// A text that is no longer than this; what is cut off is told by `…`.
pub(crate) fn fitted(text: &str, width: usize) -> String {
    if text.chars().count() <= width {
        return text.to_owned();
    }
    text.chars()
        .take(width.saturating_sub(1))
        .chain(['…'])
        .collect()
}

/// A text that is no longer than this; the end of a label tells as much as its beginning.
fn both_ends(text: &str, width: usize) -> String {
    let count = text.chars().count();
    if count <= width {
        return text.to_owned();
    }
    let kept = width.saturating_sub(1);
    let (before, after) = (kept / 2, kept - kept / 2);
    let start = text.chars().take(before);
    start
        .chain(['…'])
        .chain(text.chars().skip(count - after))
        .collect()
}
