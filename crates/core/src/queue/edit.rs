//! Changes the text of a queue; comments, order of keys and blank lines stay as they are.

use toml_edit::{Array, ArrayOfTables, DocumentMut, Item, Table, value};

use super::QueueEntry;
use super::read::{ENTRY, FORMAT, FORMAT_KEY};

/// A change of a queue. Numbers of entries count from 1, as they are shown.
#[derive(Debug, Clone)]
pub enum QueueEdit {
    /// Adds an entry at this place; at the end where there is none.
    Add(Box<QueueEntry>, Option<usize>),
    /// Moves an entry to another place.
    Move(usize, usize),
    /// Switches entries on or off.
    Switch(Vec<usize>, bool),
    /// Removes entries.
    Remove(Vec<usize>),
}

/// Why a queue cannot be changed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// The text is no TOML.
    #[error("the queue cannot be read: {0}")]
    Unreadable(String),
    /// There is no such entry.
    #[error("the queue has no entry {number}: it has {count}")]
    NoEntry {
        /// The number that was asked for.
        number: usize,
        /// How many there are.
        count: usize,
    },
}

impl QueueEdit {
    /// The text of a queue with this change.
    ///
    /// # Errors
    /// When the text cannot be read, or an entry is not there.
    pub fn apply(&self, text: &str) -> Result<String, EditError> {
        let document = text.parse::<DocumentMut>();
        let mut document = document.map_err(|error| EditError::Unreadable(error.to_string()))?;
        if document.is_empty() {
            document.insert(FORMAT_KEY, value(FORMAT));
        }
        let item = document
            .entry(ENTRY)
            .or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
        if item.as_array().is_some_and(Array::is_empty) {
            *item = Item::ArrayOfTables(ArrayOfTables::new());
        }
        let tables = item.as_array_of_tables_mut();
        let tables = tables.ok_or_else(|| {
            EditError::Unreadable("each job is a table of its own: [[entry]]".to_owned())
        })?;
        let mut all: Vec<Table> = tables.iter().cloned().collect();
        let count = all.len();
        let there = |number: usize| {
            let at = number.checked_sub(1).filter(|at| *at < count);
            at.ok_or(EditError::NoEntry { number, count })
        };
        match self {
            Self::Add(entry, place) => {
                let at = place.map_or(count, |place| place.saturating_sub(1).min(count));
                all.insert(at, written(entry, count > 0 || !text.trim().is_empty()));
            }
            Self::Move(from, to) => {
                let (from, to) = (there(*from)?, there(*to)?);
                let one = all.remove(from);
                all.insert(to, one);
            }
            Self::Switch(numbers, is_on) => {
                for number in numbers {
                    let table = &mut all[there(*number)?];
                    match (is_on, table.get_mut("on")) {
                        (true, None) => {}
                        (_, Some(item)) => {
                            let decor = item.as_value().map(|value| value.decor().clone());
                            *item = value(*is_on);
                            if let (Some(value), Some(decor)) = (item.as_value_mut(), decor) {
                                *value.decor_mut() = decor;
                            }
                        }
                        (false, None) => {
                            table.insert("on", value(false));
                        }
                    }
                }
            }
            Self::Remove(numbers) => {
                let mut places = Vec::new();
                for number in numbers {
                    places.push(there(*number)?);
                }
                places.sort_unstable();
                places.dedup();
                for at in places.into_iter().rev() {
                    all.remove(at);
                }
            }
        }
        // Tables are written in the order of their positions in the file.
        let mut ordered = ArrayOfTables::new();
        for mut table in all {
            table.set_position(None);
            ordered.push(table);
        }
        *tables = ordered;
        Ok(document.to_string())
    }
}

/// An entry as a table; the keys that say nothing are left out.
fn written(entry: &QueueEntry, has_others: bool) -> Table {
    let mut table = Table::new();
    if has_others {
        table.decor_mut().set_prefix("\n");
    }
    table.insert("job", value(entry.job.as_str()));
    let selection = &entry.selection;
    for (key, list) in [
        ("shot", &selection.shots),
        ("camera", &selection.cameras),
        ("variant", &selection.variants),
        ("view", &selection.views),
        ("pass", &selection.passes),
        ("output", &selection.outputs),
        ("set", &entry.sets),
    ] {
        if !list.is_empty() {
            table.insert(key, value(list.iter().collect::<Array>()));
        }
    }
    if let Some(frames) = &selection.frames {
        table.insert("frames", value(frames.to_string()));
    }
    for (key, text) in [("preset", &entry.preset), ("note", &entry.note)] {
        if let Some(text) = text {
            table.insert(key, value(text.as_str()));
        }
    }
    if !entry.is_on {
        table.insert("on", value(false));
    }
    table
}

#[cfg(test)]
mod tests {
    use super::super::read_queue;
    use super::*;
    use crate::deliverable::Selection;
    use crate::source::{Place, SourceId};

    const NIGHT: &str = "# tonight\nstop-at-failure = false  # go on\n\n\
         # the long one\n[[entry]]\njob = \"a\"   # first\n\n[[entry]]\njob = \"b\"\non = false # tired\n\n\
         [[entry]]\njob = \"c\"\n";

    fn jobs(text: &str) -> Vec<String> {
        let queue = read_queue("queue.toml", text).unwrap();
        let shown = |one: &QueueEntry| format!("{}{}", one.job, if one.is_on { "" } else { "-" });
        queue.entries.iter().map(shown).collect()
    }

    fn entry(job: &str) -> Box<QueueEntry> {
        Box::new(QueueEntry {
            job: job.to_owned(),
            place: Place {
                source: SourceId(0),
                span: 0..0,
            },
            selection: Selection {
                shots: vec!["dawn \"x\"".to_owned()],
                frames: Some("1-8".parse().unwrap()),
                ..Selection::default()
            },
            sets: vec!["jobs=2".to_owned()],
            preset: None,
            note: Some("ask first".to_owned()),
            is_on: true,
        })
    }

    #[test]
    fn changes_leave_the_rest_as_it_is() {
        let moved = QueueEdit::Move(3, 1).apply(NIGHT).unwrap();
        assert_eq!(jobs(&moved), ["c", "a", "b-"]);
        for comment in [
            "# tonight",
            "# go on",
            "# the long one",
            "# first",
            "# tired",
        ] {
            assert!(moved.contains(comment), "{comment}: {moved}");
        }
        let on = QueueEdit::Switch(vec![2], true).apply(NIGHT).unwrap();
        assert_eq!(on, NIGHT.replace("on = false # tired", "on = true # tired"));
        let off = QueueEdit::Switch(vec![1, 3], false).apply(NIGHT).unwrap();
        assert_eq!(jobs(&off), ["a-", "b-", "c-"]);
        assert_eq!(
            QueueEdit::Switch(vec![1], true).apply(NIGHT).unwrap(),
            NIGHT
        );
        let removed = QueueEdit::Remove(vec![1, 3, 1]).apply(NIGHT).unwrap();
        assert_eq!(jobs(&removed), ["b-"]);
        let none = QueueEdit::Remove(vec![1, 2, 3]).apply(NIGHT).unwrap();
        assert_eq!(jobs(&none), [""; 0]);
    }

    #[test]
    fn entries_are_added_and_read_back() {
        for (text, place, wanted) in [
            ("", None, vec!["d"]),
            (NIGHT, None, vec!["a", "b-", "c", "d"]),
            (NIGHT, Some(1), vec!["d", "a", "b-", "c"]),
            (NIGHT, Some(99), vec!["a", "b-", "c", "d"]),
        ] {
            let added = QueueEdit::Add(entry("d"), place).apply(text).unwrap();
            assert_eq!(jobs(&added), wanted, "{added}");
            let queue = read_queue("queue.toml", &added).unwrap();
            let found = queue.entries.iter().find(|one| one.job == "d").unwrap();
            assert!(found.is_same(&entry("d")));
            assert_eq!(found.note.as_deref(), Some("ask first"));
        }
    }

    #[test]
    fn an_entry_that_is_not_there_changes_nothing() {
        for edit in [
            QueueEdit::Move(1, 4),
            QueueEdit::Move(0, 1),
            QueueEdit::Remove(vec![1, 9]),
            QueueEdit::Switch(vec![4], true),
        ] {
            let error = edit.apply(NIGHT).unwrap_err();
            assert!(error.to_string().contains("it has 3"), "{error}");
        }
        assert!(QueueEdit::Remove(vec![1]).apply("[[entry\n").is_err());
    }
}
