//! The one chain of precedence, the later wins.

use std::sync::Arc;

use crate::job::{FromValue, Job, Key, NamedTable, PlacedText, Setting, Table, TableKind, Value};
use crate::source::Sourced;

/// What of a job a chain speaks about: an output of a shot, and what of it.
#[derive(Debug, Clone, Copy)]
pub struct Case<'j, 'n> {
    /// The shot.
    pub shot: &'j NamedTable,
    /// The output.
    pub output: &'j NamedTable,
    /// The pass.
    pub pass: Option<&'n str>,
    /// The variant.
    pub variant: Option<&'n str>,
    /// The view.
    pub view: Option<&'n str>,
    /// The preset.
    pub preset: Option<&'n str>,
}

impl<'j> Case<'j, '_> {
    /// An output of a shot, whatever of it.
    #[must_use]
    pub fn of(shot: &'j NamedTable, output: &'j NamedTable) -> Self {
        Self {
            shot,
            output,
            pass: None,
            variant: None,
            view: None,
            preset: None,
        }
    }
}

/// The tables that speak about one case, the weakest first.
///
/// ```
/// # use truepath_core::{job::{Key, no_files, read}, precedence::{Case, Chain}};
/// let text = r#"
/// [project]
/// camera = "dome"
/// [shot.dawn]
/// camera = "north"
/// [output.frames]
/// path = "{shot}.{frame}.png"
/// "#;
/// let job = read("truepath.toml", text, &[], &mut no_files).job;
/// let chain = Chain::of(&job, Case::of(&job.shots[0], &job.outputs[0]));
/// // The shot wins over the project, and both can be asked.
/// assert_eq!(chain.value::<String>(Key::Camera).as_deref(), Some("north"));
/// assert_eq!(chain.history(Key::Camera).count(), 2);
/// ```
#[derive(Debug, Clone)]
pub struct Chain<'j> {
    tables: Vec<&'j Table>,
}

impl<'j> Chain<'j> {
    /// The chain of a case.
    #[must_use]
    pub fn of(job: &'j Job, case: Case<'j, '_>) -> Self {
        let Case { shot, output, .. } = case;
        let named = |tables: &'j [NamedTable], name: Option<&str>| {
            name.and_then(|name| tables.iter().find(|table| table.name == name))
                .map(|table| &table.table)
        };
        let inner = |table: &'j NamedTable, kind, name: Option<&str>| {
            name.and_then(|name| table.inner(kind, name))
                .map(|table| &table.table)
        };
        let line = lineage(job, case.variant);
        let mut tables = Vec::with_capacity(12);
        tables.extend([&job.project, &output.table]);
        tables.extend(named(&job.passes, case.pass));
        tables.extend(inner(output, TableKind::OutputPass, case.pass));
        tables.push(&shot.table);
        tables.extend(inner(shot, TableKind::ShotPass, case.pass));
        tables.extend(line.iter().map(|variant| &variant.table));
        tables.extend(named(&job.views, case.view));
        tables.extend(
            line.iter()
                .filter_map(|variant| inner(shot, TableKind::ShotVariant, Some(&variant.name))),
        );
        tables.extend(inner(shot, TableKind::ShotView, case.view));
        tables.extend(named(&job.presets, case.preset));
        tables.push(&job.command_line);
        debug_assert!(tables.is_sorted_by_key(|table| table.level));
        Self { tables }
    }

    /// The setting that wins; none when that hands the key back to the scene.
    #[must_use]
    pub fn setting(&self, key: Key) -> Option<&'j Setting> {
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

    /// The value that wins, with where it was set; none where nobody sets it or it is of another type.
    #[must_use]
    pub fn get<T: FromValue>(&self, key: Key) -> Option<Sourced<T>> {
        let setting = self.setting(key)?;
        Some(setting.value.with(T::from_value(&setting.value.value)?))
    }

    /// The value that wins, alone.
    #[must_use]
    pub fn value<T: FromValue>(&self, key: Key) -> Option<T> {
        T::from_value(&self.setting(key)?.value.value)
    }

    /// The components of paths that a key lists.
    #[must_use]
    pub fn words(&self, key: Key) -> Option<&'j [PlacedText]> {
        match &self.setting(key)?.value.value {
            Value::Words(words) => Some(words),
            _ => None,
        }
    }

    /// A table of single values, merged key by key, in the order of first mention.
    #[must_use]
    pub fn merged(&self, key: Key) -> Arc<[(String, PlacedText)]> {
        let mut merged: Vec<(String, PlacedText)> = Vec::new();
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
