//! A table of the job file as the values that it sets.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use super::{Key, PlacedText, TableKind, Value};
use crate::source::{Level, Place, Sourced};

/// A key that a table sets.
#[derive(Debug, Clone)]
pub struct Setting {
    /// Which key.
    pub key: Key,
    /// Where the key was written.
    pub key_place: Place,
    /// Its value.
    pub value: Sourced<Value>,
}

/// The values that one table sets, in the job file and in the files that it builds on.
#[derive(Debug, Clone)]
pub struct Table {
    /// The level that the table belongs to.
    pub level: Level,
    /// What it sets. Of a key that several files set the strongest comes first.
    pub settings: Vec<Setting>,
}

impl Table {
    /// A table that sets nothing.
    #[must_use]
    pub fn empty(level: Level) -> Self {
        Self {
            level,
            settings: Vec::new(),
        }
    }

    /// What it sets a key to.
    #[must_use]
    pub fn get(&self, key: Key) -> Option<&Setting> {
        self.settings.iter().find(|setting| setting.key == key)
    }

    /// All that it sets a key to, the strongest first.
    pub fn all(&self, key: Key) -> impl DoubleEndedIterator<Item = &Setting> {
        self.settings
            .iter()
            .filter(move |setting| setting.key == key)
    }

    /// Builds on what a weaker file says.
    pub(super) fn build_on(&mut self, weaker: Self) {
        self.settings.extend(weaker.settings);
    }
}

/// `[shot.dawn]` and the like.
#[derive(Debug, Clone)]
pub struct NamedTable {
    /// Its name.
    pub name: String,
    /// Where the name was written.
    pub name_place: Place,
    /// Which kind of table it is.
    pub kind: TableKind,
    /// What it sets.
    pub table: Table,
    /// The variant that it inherits from.
    pub inherits: Option<PlacedText>,
    /// Tables in it: `[output.X.pass.*]`, `[shot.X.variant.*]`, `[shot.X.view.*]`.
    pub inner: Vec<NamedTable>,
}

impl NamedTable {
    /// The table in it with this kind and name.
    #[must_use]
    pub fn inner(&self, kind: TableKind, name: &str) -> Option<&Self> {
        self.inner
            .iter()
            .find(|table| table.kind == kind && table.name == name)
    }
}

/// The places of tables by kind and name: there may be a hundred thousand.
type Places = HashMap<(TableKind, String), usize>;

fn places(tables: &[NamedTable]) -> Places {
    let place = |(at, table): (usize, &NamedTable)| ((table.kind, table.name.clone()), at);
    tables.iter().enumerate().map(place).collect()
}

/// Where the table of the same kind and name is; where there is none, this one comes last.
fn place_of(places: &mut Places, tables: &[NamedTable], table: &NamedTable) -> Option<usize> {
    match places.entry((table.kind, table.name.clone())) {
        Entry::Occupied(known) => Some(*known.get()),
        Entry::Vacant(free) => {
            free.insert(tables.len());
            None
        }
    }
}

/// Adds the tables of a weaker file.
pub(super) fn build_on(tables: &mut Vec<NamedTable>, weaker: Vec<NamedTable>) {
    // The tables of one file have names of their own: nothing has to be looked for.
    if tables.is_empty() {
        *tables = weaker;
        return;
    }
    let mut places = places(tables);
    for table in weaker {
        match place_of(&mut places, tables, &table) {
            Some(at) => {
                let known = &mut tables[at];
                known.table.build_on(table.table);
                known.inherits = known.inherits.take().or(table.inherits);
                build_on(&mut known.inner, table.inner);
            }
            None => tables.push(table),
        }
    }
}

/// Adds tables that win over those that are there; the order and the places of the names stay.
pub(super) fn build_over(tables: &mut Vec<NamedTable>, stronger: Vec<NamedTable>) {
    let mut places = places(tables);
    for table in stronger {
        match place_of(&mut places, tables, &table) {
            Some(at) => {
                let known = &mut tables[at];
                let weaker = std::mem::replace(&mut known.table, table.table);
                known.table.build_on(weaker);
                let weaker = std::mem::replace(&mut known.inner, table.inner);
                build_on(&mut known.inner, weaker);
            }
            None => tables.push(table),
        }
    }
}
