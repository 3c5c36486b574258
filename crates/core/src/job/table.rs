//! A table of the job file as the values that it sets.

use super::{Key, Value};
use crate::source::{Layer, Place, Sourced};

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

/// The values that one table sets.
#[derive(Debug, Clone)]
pub struct Table {
    /// The layer that the table belongs to.
    pub layer: Layer,
    /// What it sets; no key twice.
    pub settings: Vec<Setting>,
}

impl Table {
    /// A table that sets nothing.
    #[must_use]
    pub fn empty(layer: Layer) -> Self {
        Self {
            layer,
            settings: Vec::new(),
        }
    }

    /// What it sets a key to.
    #[must_use]
    pub fn get(&self, key: Key) -> Option<&Setting> {
        self.settings.iter().find(|setting| setting.key == key)
    }
}

/// `[shot.dawn]` and the like.
#[derive(Debug, Clone)]
pub struct NamedTable {
    /// Its name.
    pub name: String,
    /// Where the name was written.
    pub name_place: Place,
    /// What it sets.
    pub table: Table,
    /// `[output.X.pass.*]`; empty for all other tables.
    pub passes: Vec<NamedTable>,
}
