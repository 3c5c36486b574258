//! The job file: all that is wanted.

mod arguments;
mod check_table;
mod keys;
mod limits;
mod read;
mod table;
mod tree;
mod value;

pub use check_table::{CheckTable, Exemption};
pub use keys::{KEYS, Key, KeyFacts, Kind, TableKind, is_group};
pub(crate) use read::stem;
pub use read::{Fetch, Reading, no_files, read};
pub use table::{NamedTable, Setting, Table};
pub use tree::{Entry, Node, NodeKind, parse as parse_tree};
pub use value::{Only, RunEntry, Value, Word, length_of_time};

use std::time::Duration;

use std::collections::HashSet;

use crate::source::{Layer, Place, Sourced, Sources};
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

impl Job {
    /// What is set for the whole job: on the command line, else by the project.
    #[must_use]
    pub fn of_project(&self, key: Key) -> Option<&Setting> {
        let said = self.command_line.get(key);
        said.or_else(|| self.project.get(key))
    }

    fn value(&self, key: Key) -> Option<&Value> {
        self.of_project(key).map(|setting| &setting.value.value)
    }

    /// A word that is set for the whole job.
    #[must_use]
    pub fn word(&self, key: Key) -> Option<&str> {
        match self.value(key)? {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }

    /// A number above 0 that is set for the whole job.
    #[must_use]
    pub fn number(&self, key: Key) -> Option<u64> {
        match self.value(key)? {
            Value::Number(number) => u64::try_from(*number).ok().filter(|number| *number > 0),
            _ => None,
        }
    }

    /// A length of time that is set for the whole job.
    #[must_use]
    pub fn time(&self, key: Key) -> Option<Duration> {
        match self.value(key)? {
            Value::Duration(time) => Some(*time),
            _ => None,
        }
    }

    /// How many processes run at once.
    #[must_use]
    pub fn jobs(&self) -> u64 {
        self.number(Key::Jobs).unwrap_or(1)
    }

    /// The preset that the project's own tables name.
    #[must_use]
    pub fn preset(&self) -> Option<&str> {
        match self
            .project
            .get(Key::Preset)
            .map(|setting| &setting.value.value)
        {
            Some(Value::Words(words)) => words.first().map(|word| word.text.as_str()),
            _ => None,
        }
    }

    /// The same job without what the command line sets.
    #[must_use]
    pub fn without_command_line(&self) -> Self {
        Self {
            command_line: Table::empty(Layer::CommandLine),
            ..self.clone()
        }
    }

    /// The same job, rendered with a preset of it.
    #[must_use]
    pub fn with_preset(&self, name: &str) -> Self {
        let mut job = self.without_command_line();
        if let Some(preset) = self.presets.iter().find(|preset| preset.name == name) {
            let word = Word {
                text: name.to_owned(),
                place: preset.name_place.clone(),
            };
            job.command_line.settings.push(Setting {
                key: Key::Preset,
                key_place: word.place.clone(),
                value: Sourced {
                    layer: Layer::CommandLine,
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
