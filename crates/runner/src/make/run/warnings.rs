//! Warnings of engines, by kind: numbers make no kind of their own.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use truepath_core::alike::without_numbers;

/// Longer kinds are cut, in characters.
const LONGEST: usize = 160;
/// More kinds than this are counted together.
const MOST: usize = 500;

/// Warnings of one kind.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Warning {
    /// The warning, with `#` for numbers.
    pub kind: String,
    /// How many there were.
    pub count: u64,
    /// The first of them, as the engine printed it.
    pub first: String,
    /// The log that it stands in.
    pub log: PathBuf,
    /// The line there, from 1.
    pub line: u64,
    /// Whether no earlier run had one of this kind.
    pub is_new: bool,
}

/// All warnings of a run.
#[derive(Debug, Default)]
pub(crate) struct Warnings {
    kinds: BTreeMap<String, Warning>,
}

impl Warnings {
    pub(crate) fn add(&mut self, text: &str, log: &Path, line: u64) {
        let mut kind = kind(text);
        if self.kinds.len() >= MOST && !self.kinds.contains_key(&kind) {
            kind = "others".to_owned();
        }
        let warning = self.kinds.entry(kind.clone()).or_insert_with(|| Warning {
            kind,
            count: 0,
            first: text.to_owned(),
            log: log.to_owned(),
            line,
            is_new: false,
        });
        warning.count += 1;
    }

    /// Those that no earlier run had first, then by their number.
    pub(crate) fn reported(&self, known: &HashSet<String>) -> Vec<Warning> {
        let mut all: Vec<Warning> = self.kinds.values().cloned().collect();
        for one in &mut all {
            one.is_new = !known.contains(&one.kind);
        }
        all.sort_by(|one, other| {
            let rank = |warning: &Warning| (!warning.is_new, std::cmp::Reverse(warning.count));
            rank(one)
                .cmp(&rank(other))
                .then_with(|| one.kind.cmp(&other.kind))
        });
        all
    }
}

/// What warnings of one kind have in common.
fn kind(text: &str) -> String {
    let start: String = text.trim().chars().take(LONGEST).collect();
    without_numbers(&start)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_make_no_kind_and_new_ones_come_first() {
        let mut warnings = Warnings::default();
        for number in 0..30 {
            warnings.add(
                &format!("lamp {number} flickers"),
                Path::new("a.log"),
                number + 1,
            );
        }
        warnings.add("no sky", Path::new("b.log"), 7);
        let known = HashSet::from(["lamp # flickers".to_owned()]);
        let reported = warnings.reported(&known);
        let short: Vec<_> = reported
            .iter()
            .map(|one| (one.kind.as_str(), one.count, one.line, one.is_new))
            .collect();
        assert_eq!(
            short,
            [("no sky", 1, 7, true), ("lamp # flickers", 30, 1, false)]
        );
        assert_eq!(reported[1].first, "lamp 0 flickers");
    }
}
