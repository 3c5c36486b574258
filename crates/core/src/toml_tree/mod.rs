//! TOML as a tree in which every key and value knows its bytes, in the order of the file: what job files
//! and profiles are read from.

mod limits;
mod parse;

use crate::source::Place;

pub(crate) use limits::MOST_SHOTS;
pub use parse::parse;
pub(crate) use parse::parse_value;

/// A value of the file.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    /// Its bytes; for a text the bytes between the quotes, where they are the text itself.
    pub place: Place,
    /// What it is.
    pub kind: NodeKind,
}

/// What a value is.
#[derive(Debug, Clone, PartialEq)]
pub enum NodeKind {
    /// A string.
    Text(String),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction.
    Float(f64),
    /// True or false.
    Boolean(bool),
    /// A date or a time, as written.
    Date(String),
    /// An array.
    List(Vec<Node>),
    /// A table.
    Table(Vec<Entry>),
}

/// A key of a table with its value.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// The key.
    pub key: String,
    /// The key's bytes.
    pub key_place: Place,
    /// The value.
    pub value: Node,
}

impl Node {
    /// What kind of value it is, for messages.
    #[must_use]
    pub(crate) fn kind_word(&self) -> &'static str {
        match self.kind {
            NodeKind::Text(_) => "a text",
            NodeKind::Integer(_) => "a number",
            NodeKind::Float(_) => "a number with a fraction",
            NodeKind::Boolean(_) => "true or false",
            NodeKind::Date(_) => "a date",
            NodeKind::List(_) => "a list",
            NodeKind::Table(_) => "a table",
        }
    }

    /// A single value as the text that somebody would type for it.
    #[must_use]
    pub(crate) fn scalar(&self) -> Option<String> {
        match &self.kind {
            NodeKind::Text(text) | NodeKind::Date(text) => Some(text.clone()),
            NodeKind::Integer(number) => Some(number.to_string()),
            NodeKind::Float(number) => Some(number.to_string()),
            NodeKind::Boolean(truth) => Some(truth.to_string()),
            NodeKind::List(_) | NodeKind::Table(_) => None,
        }
    }
}
