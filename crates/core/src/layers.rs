//! The one chain of layers, the later wins.

use std::sync::Arc;

use crate::job::{Job, Key, NamedTable, Setting, Table, Value, Word};
use crate::source::Sourced;

/// The tables that speak about one output of one shot (and one pass), the weakest first.
#[derive(Debug, Clone)]
pub struct Chain<'j> {
    tables: Vec<&'j Table>,
}

impl<'j> Chain<'j> {
    /// The chain of an output of a shot; with a pass also what is said of that pass.
    #[must_use]
    pub fn of(
        job: &'j Job,
        shot: &'j NamedTable,
        output: &'j NamedTable,
        pass: Option<&str>,
    ) -> Self {
        let named = |tables: &'j [NamedTable]| {
            pass.and_then(|pass| tables.iter().find(|table| table.name == pass))
                .map(|table| &table.table)
        };
        let tables = [
            Some(&job.project),
            Some(&output.table),
            named(&job.passes),
            named(&output.passes),
            Some(&shot.table),
            Some(&job.command_line),
        ];
        let tables: Vec<&Table> = tables.into_iter().flatten().collect();
        debug_assert!(tables.is_sorted_by_key(|table| table.layer));
        Self { tables }
    }

    /// The setting that wins.
    #[must_use]
    pub fn get(&self, key: Key) -> Option<&'j Setting> {
        self.tables.iter().rev().find_map(|table| table.get(key))
    }

    /// Every setting of a key, the winner first.
    pub fn history(&self, key: Key) -> impl Iterator<Item = &'j Setting> {
        self.tables
            .iter()
            .rev()
            .filter_map(move |table| table.get(key))
    }

    /// The value that wins, as one kind of value.
    #[must_use]
    pub fn value<T>(&self, key: Key, take: impl Fn(&'j Value) -> Option<T>) -> Option<Sourced<T>> {
        let setting = self.get(key)?;
        Some(setting.value.with(take(&setting.value.value)?))
    }

    /// The texts of a key that takes components of paths.
    #[must_use]
    pub fn words(&self, key: Key) -> Option<&'j [Word]> {
        match &self.get(key)?.value.value {
            Value::Words(words) => Some(words),
            _ => None,
        }
    }

    /// A text or a single component.
    #[must_use]
    pub fn text(&self, key: Key) -> Option<Sourced<String>> {
        self.value(key, |value| match value {
            Value::Text(text) => Some(text.clone()),
            Value::Words(words) => words.first().map(|word| word.text.clone()),
            _ => None,
        })
    }

    /// A whole number.
    #[must_use]
    pub fn number(&self, key: Key) -> Option<i64> {
        self.value(key, |value| match value {
            Value::Number(number) => Some(*number),
            _ => None,
        })
        .map(|number| number.value)
    }

    /// The settings for the engine, merged key by key over the layers, in the order of first
    /// mention.
    #[must_use]
    pub fn settings(&self) -> Arc<[(String, Word)]> {
        let mut merged: Vec<(String, Word)> = Vec::new();
        for table in &self.tables {
            let Some(Value::Settings(settings)) =
                table.get(Key::Settings).map(|setting| &setting.value.value)
            else {
                continue;
            };
            for (name, word) in settings {
                match merged.iter_mut().find(|(known, _)| known == name) {
                    Some((_, value)) => *value = word.clone(),
                    None => merged.push((name.clone(), word.clone())),
                }
            }
        }
        merged.into()
    }
}
