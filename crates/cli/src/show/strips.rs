//! Strips on a terminal: a row for each deliverable, with a cell for every frame or several.

use std::collections::HashSet;

use truepath_core::strip::{States, StripCell, strip};

use super::output::{CYAN, ERROR, FAINT, GREEN, Paint, YELLOW};

/// The widest that a label gets.
const LABEL: usize = 64;
/// A strip has so many cells at least, where its frames are as many.
const CELLS: usize = 24;

/// Rows of a label with its numbers, and a strip, for a terminal so wide.
pub(crate) fn table(rows: &[(String, States)], width: usize) -> Vec<(String, Vec<StripCell>)> {
    let numbers: Vec<String> = rows
        .iter()
        .map(|(_, states)| format!("{}/{}", states.done.count(), states.wanted.count()))
        .collect();
    let widest = numbers.iter().map(String::len).max().unwrap_or(0);
    // The names get their width first: a strip is readable in a few cells.
    let longest = rows.iter().map(|(_, states)| states.wanted.count()).max();
    let cells = usize::try_from(longest.unwrap_or(0))
        .unwrap_or(CELLS)
        .min(CELLS);
    let most = width.saturating_sub(widest + 4 + cells).max(width * 2 / 5);
    let labels: Vec<&str> = rows.iter().map(|(label, _)| label.as_str()).collect();
    let labels = distinct(&labels, LABEL.min(most));
    let longest = labels.iter().map(|label| label.chars().count()).max();
    let label_width = longest.unwrap_or(0);
    let room = width.saturating_sub(label_width + widest + 4);
    rows.iter()
        .zip(labels)
        .zip(numbers)
        .map(|(((_, states), label), numbers)| {
            (
                format!("{label:<label_width$}  {numbers:>widest$}  "),
                strip(states, room),
            )
        })
        .collect()
}

fn style(cell: StripCell) -> Paint {
    match cell {
        StripCell::Missing => FAINT,
        StripCell::Partly | StripCell::Done => GREEN,
        StripCell::Running => CYAN,
        StripCell::Stale => YELLOW,
        StripCell::Failed => ERROR,
    }
}

/// A strip with its colours; neighbours that are alike share them.
pub(crate) fn coloured(cells: &[StripCell]) -> String {
    let mut out = String::new();
    for row in cells.chunk_by(|one, other| one == other) {
        let style = style(row[0]);
        let text: String = row.iter().map(|cell| cell.character()).collect();
        out.push_str(&format!("{style}{text}{style:#}"));
    }
    out
}

/// A text that is no longer than this; what is cut off is shown as `…`.
pub(crate) fn fitted(text: &str, width: usize) -> String {
    if text.chars().count() <= width {
        return text.to_owned();
    }
    text.chars()
        .take(width.saturating_sub(1))
        .chain(['…'])
        .collect()
}

/// The sign between the words of a label.
const BETWEEN: &str = " · ";

/// Labels that are no longer than this and still differ where the given ones do: what all have in common
/// goes first, then the middle of long words.
pub(crate) fn distinct(labels: &[&str], width: usize) -> Vec<String> {
    let fits = |all: &[String]| all.iter().all(|label| label.chars().count() <= width);
    let whole: Vec<String> = labels.iter().map(|&label| label.to_owned()).collect();
    if fits(&whole) {
        return whole;
    }
    let words: Vec<Vec<&str>> = labels
        .iter()
        .map(|label| label.split(BETWEEN).collect())
        .collect();
    let is_common = |word: &&str| labels.len() > 1 && words.iter().all(|one| one.contains(word));
    let distinguishing: Vec<Vec<&str>> = words
        .iter()
        .map(|one| {
            let distinguishing: Vec<&str> = one
                .iter()
                .copied()
                .filter(|word| !is_common(word))
                .collect();
            if distinguishing.is_empty() {
                one[..1].to_vec()
            } else {
                distinguishing
            }
        })
        .collect();
    let differ: HashSet<&str> = labels.iter().copied().collect();
    let longest = distinguishing
        .iter()
        .flatten()
        .map(|word| word.chars().count())
        .max();
    for most in (3..=longest.unwrap_or(3)).rev() {
        let shortened: Vec<String> = distinguishing
            .iter()
            .map(|words| {
                let words: Vec<String> = words.iter().map(|word| both_ends(word, most)).collect();
                words.join(BETWEEN)
            })
            .collect();
        let now: HashSet<&str> = shortened.iter().map(String::as_str).collect();
        if now.len() < differ.len() {
            break;
        }
        if fits(&shortened) {
            return shortened;
        }
    }
    // What does not fit is numbered, so that no two look the same.
    let number = labels.len().to_string().len();
    distinguishing
        .iter()
        .enumerate()
        .map(|(index, words)| {
            let text = both_ends(&words.join(BETWEEN), width.saturating_sub(number + 2));
            format!("{text} {}", index + 1)
        })
        .collect()
}

/// A bar for a share of a whole, with its percent.
pub(crate) fn bar(done: u64, wanted: u64, width: usize) -> String {
    let wanted = wanted.max(1);
    let done = done.min(wanted);
    let filled = (done as u128 * width as u128 / wanted as u128) as usize;
    let percent = done as u128 * 100 / wanted as u128;
    let style = GREEN;
    let (full, empty) = ("█".repeat(filled), "·".repeat(width - filled));
    format!("{style}{full}{style:#}{empty} {percent} %")
}

/// A text that is no longer than this; the end of a label says as much as its beginning.
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_differ_however_narrow_the_terminal() {
        let labels = [
            "transit · a-rather-long-camera-name-north · frames · beauty",
            "transit · a-rather-long-camera-name-south · frames · beauty",
            "transit · a-rather-long-camera-name-south · frames · depth",
        ];
        for width in 8..70 {
            let shown = distinct(&labels, width);
            let differ: HashSet<&String> = shown.iter().collect();
            assert_eq!(differ.len(), 3, "{width}: {shown:?}");
            for label in &shown {
                assert!(label.chars().count() <= width, "{width}: {label}");
            }
        }
    }
}
