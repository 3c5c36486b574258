//! The job file: all that is wanted.

mod arguments;
mod bundled;
mod check_table;
mod environment;
mod from_value;
mod keys;
pub mod kinds;
mod read;
mod stop_on;
mod table;
mod value;

pub use bundled::BundledJob;
pub use check_table::{CheckTable, Exemption};
pub use from_value::FromValue;
pub(crate) use keys::is_group;
pub use keys::{KEYS, Key, KeyFacts, TableKind};
pub use kinds::{KeyKind, length_of_time};
pub(crate) use read::stem;
pub use read::{Fetch, Reading, is_job, no_files, read};
pub use stop_on::StopOn;
pub use table::{NamedTable, Setting, Table};
pub use value::{FramesToRender, PathTemplate, PlacedText, RunEntry, SoundEntry, Value};

use std::collections::HashSet;

use crate::frames::FrameSet;
use crate::source::{Level, Place, Sourced, Sources};
use crate::system::System;

/// All that a job file and the command line say. The order is that of the file.
#[derive(Debug, Clone)]
pub struct Job {
    /// The texts that it was read from.
    pub sources: Sources,
    /// Whether it was written in the short form.
    pub short: bool,
    /// `[project]`, or the top of a short job file.
    pub project: Table,
    /// `[place]`
    pub places: Vec<NamedPlace>,
    /// `[token]`
    pub tokens: Vec<(String, Sourced<String>)>,
    /// `[shot.*]`
    pub shots: Vec<NamedTable>,
    /// `[variant.*]`
    pub variants: Vec<NamedTable>,
    /// `[view.*]`
    pub views: Vec<NamedTable>,
    /// `[preset.*]`, the built-in ones behind the job's own.
    pub presets: Vec<NamedTable>,
    /// `[pass.*]`
    pub passes: Vec<NamedTable>,
    /// `[output.*]`
    pub outputs: Vec<NamedTable>,
    /// `--set KEY=VALUE`
    pub command_line: Table,
    /// `[check]`
    pub check: CheckTable,
    /// `[part]`: which frames of which deliverables, by their labels, a bundle makes; none of a whole job.
    pub part: Option<Vec<(String, FrameSet)>>,
}

impl Job {
    /// Every word that any table gives to a key, each once, in the order of the tables.
    #[must_use]
    pub fn words(&self, key: Key) -> Vec<&str> {
        let named = [
            &self.shots,
            &self.outputs,
            &self.variants,
            &self.views,
            &self.presets,
        ];
        let tables = named
            .into_iter()
            .flatten()
            .flat_map(|table| std::iter::once(table).chain(&table.inner))
            .map(|table| &table.table);
        let (mut found, mut seen): (Vec<&str>, HashSet<&str>) = Default::default();
        for setting in [&self.project, &self.command_line]
            .into_iter()
            .chain(tables)
            .flat_map(|table| table.all(key))
        {
            let Value::Words(words) = &setting.value.value else {
                continue;
            };
            for word in words {
                if seen.insert(&word.text) {
                    found.push(&word.text);
                }
            }
        }
        found
    }
}

/// How many processes run at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Jobs {
    /// As many as keep all cores busy.
    Auto,
    /// So many, at least one.
    Fixed(u64),
}

impl Job {
    /// What is set for the whole job: on the command line, else by the project.
    #[must_use]
    pub fn setting(&self, key: Key) -> Option<&Setting> {
        let stronger = self.command_line.get(key);
        stronger.or_else(|| self.project.get(key))
    }

    /// The value that is set for the whole job; none where nobody sets it or it is of another type.
    #[must_use]
    pub fn get<T: FromValue>(&self, key: Key) -> Option<T> {
        T::from_value(&self.setting(key)?.value.value)
    }

    /// How many processes run at once, where that is set.
    #[must_use]
    pub fn jobs(&self) -> Option<Jobs> {
        match self.get::<i64>(Key::Jobs)? {
            kinds::AUTO => Some(Jobs::Auto),
            jobs => Some(Jobs::Fixed(u64::try_from(jobs).unwrap_or(1).max(1))),
        }
    }

    /// The preset that the project's own tables name.
    #[must_use]
    pub fn preset(&self) -> Option<String> {
        String::from_value(&self.project.get(Key::Preset)?.value.value)
    }

    /// The same job without what the command line sets.
    #[must_use]
    pub(crate) fn without_command_line(&self) -> Self {
        Self {
            command_line: Table::empty(Level::CommandLine),
            ..self.clone()
        }
    }

    /// The same job, rendered with a preset of it.
    #[must_use]
    pub(crate) fn with_preset(&self, name: &str) -> Self {
        let mut job = self.without_command_line();
        if let Some(preset) = self.presets.iter().find(|preset| preset.name == name) {
            let word = PlacedText {
                text: name.to_owned(),
                place: preset.name_place.clone(),
            };
            job.command_line.settings.push(Setting {
                key: Key::Preset,
                key_place: word.place.clone(),
                value: Sourced {
                    level: Level::CommandLine,
                    place: word.place.clone(),
                    value: Value::Words(vec![word]),
                },
            });
        }
        job
    }
}

/// A named folder; the only folders that templates may start from.
#[derive(Debug, Clone)]
pub struct NamedPlace {
    /// Its name.
    pub name: String,
    /// Where the name was written.
    pub name_place: Place,
    /// The folder as written, for every system or for one.
    pub folders: Vec<(Option<System>, Sourced<String>)>,
}

impl NamedPlace {
    /// The folder on a system.
    #[must_use]
    pub fn folder(&self, system: System) -> Option<&Sourced<String>> {
        self.folders
            .iter()
            .find(|(on, _)| on.is_none_or(|on| on == system))
            .map(|(_, folder)| folder)
    }
}
