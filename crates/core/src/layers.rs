//! The one chain of layers, the later wins.

use std::sync::Arc;

use crate::deliverable::Deliverable;
use crate::job::{Job, Key, NamedTable, Setting, Table, TableKind, Value, Word};
use crate::source::Sourced;

/// The tables that speak about one output of one shot (and one pass), the weakest first.
#[derive(Debug, Clone)]
pub struct Chain<'j> {
    tables: Vec<&'j Table>,
}

/// What of a job a chain speaks about, besides shot and output.
#[derive(Debug, Clone, Copy, Default)]
pub struct Scope<'a> {
    /// The pass.
    pub pass: Option<&'a str>,
    /// The variant.
    pub variant: Option<&'a str>,
    /// The view.
    pub view: Option<&'a str>,
    /// The preset.
    pub preset: Option<&'a str>,
}

impl<'j> Chain<'j> {
    /// The chain of an output of a shot.
    #[must_use]
    pub fn of(
        job: &'j Job,
        shot: &'j NamedTable,
        output: &'j NamedTable,
        scope: Scope<'_>,
    ) -> Self {
        let named = |tables: &'j [NamedTable], name: Option<&str>| {
            name.and_then(|name| tables.iter().find(|table| table.name == name))
                .map(|table| &table.table)
        };
        let inner = |table: &'j NamedTable, kind, name: Option<&str>| {
            name.and_then(|name| table.inner(kind, name))
                .map(|table| &table.table)
        };
        let line = lineage(job, scope.variant);
        let mut tables = Vec::with_capacity(12);
        tables.extend([&job.project, &output.table]);
        tables.extend(named(&job.passes, scope.pass));
        tables.extend(inner(output, TableKind::OutputPass, scope.pass));
        tables.push(&shot.table);
        tables.extend(inner(shot, TableKind::ShotPass, scope.pass));
        tables.extend(line.iter().map(|variant| &variant.table));
        tables.extend(named(&job.views, scope.view));
        tables.extend(
            line.iter()
                .filter_map(|variant| inner(shot, TableKind::ShotVariant, Some(&variant.name))),
        );
        tables.extend(inner(shot, TableKind::ShotView, scope.view));
        tables.extend(named(&job.presets, scope.preset));
        tables.push(&job.command_line);
        debug_assert!(tables.is_sorted_by_key(|table| table.layer));
        Self { tables }
    }

    /// The chain of a deliverable.
    #[must_use]
    pub fn of_deliverable(job: &'j Job, deliverable: &Deliverable) -> Self {
        let common = &deliverable.common;
        let scope = Scope {
            pass: Word::text_of(deliverable.pass.as_ref()),
            variant: Word::text_of(common.variant.as_ref()),
            view: Word::text_of(common.view.as_ref()),
            preset: common.preset.as_ref().map(|preset| preset.value.as_str()),
        };
        let (shot, output) = (
            &job.shots[common.shot_index],
            &job.outputs[common.output_index],
        );
        Self::of(job, shot, output, scope)
    }

    /// The setting that wins; none when that hands the key back to the scene.
    #[must_use]
    pub fn get(&self, key: Key) -> Option<&'j Setting> {
        self.history(key)
            .next()
            .filter(|setting| setting.value.value != Value::Unset)
    }

    /// Every setting of a key, the winner first, `unset` included.
    pub fn history(&self, key: Key) -> impl Iterator<Item = &'j Setting> {
        self.tables
            .iter()
            .rev()
            .flat_map(move |table| table.all(key))
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

    /// True or false.
    #[must_use]
    pub fn truth(&self, key: Key) -> Option<bool> {
        self.value(key, |value| match value {
            Value::Truth(truth) => Some(*truth),
            _ => None,
        })
        .map(|truth| truth.value)
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

    /// A table of single values, merged key by key over the layers, in the order of first mention.
    #[must_use]
    pub fn merged(&self, key: Key) -> Arc<[(String, Word)]> {
        let mut merged: Vec<(String, Word)> = Vec::new();
        let weakest_first = self.tables.iter().flat_map(|table| table.all(key).rev());
        for setting in weakest_first {
            let settings = match &setting.value.value {
                Value::Settings(settings) => settings,
                Value::Unset => {
                    merged.clear();
                    continue;
                }
                _ => continue,
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

/// A variant with all that it inherits from, the farthest first.
fn lineage<'j>(job: &'j Job, variant: Option<&str>) -> Vec<&'j NamedTable> {
    let mut line: Vec<&NamedTable> = Vec::new();
    let mut name = variant;
    while let Some(found) = name.and_then(|name| job.variants.iter().find(|one| one.name == name)) {
        // Circles are refused when a job is read.
        if line.len() > job.variants.len() {
            break;
        }
        line.push(found);
        name = found.inherits.as_ref().map(|word| word.text.as_str());
    }
    line.reverse();
    line
}
