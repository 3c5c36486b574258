//! A value that is given to a key, and its mistakes.

use super::super::value::{PlacedText, Value};
use super::KeyKind;
use crate::finding::Finding;
use crate::nearest::advice;
use crate::picture::Size;
use crate::template::refuse_component;
use crate::toml_tree::{Node, NodeKind};

/// A value that is given to a key.
#[derive(Clone, Copy)]
pub(in crate::job) struct Given<'a> {
    /// The name of the key.
    pub(in crate::job) key: &'static str,
    /// An example of the key, as a line of TOML.
    pub(in crate::job) example: &'static str,
    pub(in crate::job) kind: &'static KeyKind,
    pub(in crate::job) node: &'a Node,
    /// The sizes of the project's own, by name.
    pub(in crate::job) sizes: &'a [(String, Size)],
}

impl<'a> Given<'a> {
    pub(super) fn wrong_kind(self) -> Vec<Finding> {
        vec![
            Finding::error(
                "TP003",
                format!(
                    "`{}` takes {}, not {}",
                    self.key,
                    self.kind.looks_like(),
                    self.node.kind_word()
                ),
            )
            .at(&self.node.place, "")
            .advise(format!("for example: {}", self.example)),
        ]
    }

    pub(super) fn refuse(self, text: &str, advice: impl Into<String>) -> Vec<Finding> {
        vec![
            Finding::error("TP004", format!("`{text}` is no value for `{}`", self.key))
                .at(&self.node.place, "")
                .advise(advice),
        ]
    }

    /// The same key with another value, such as an item of its list.
    pub(super) fn with<'n>(self, node: &'n Node) -> Given<'n>
    where
        'a: 'n,
    {
        Given { node, ..self }
    }

    pub(super) fn text(self) -> Result<String, Vec<Finding>> {
        match &self.node.kind {
            NodeKind::Text(text) => Ok(text.clone()),
            _ => Err(self.wrong_kind()),
        }
    }

    pub(super) fn scalar(self) -> Result<String, Vec<Finding>> {
        self.node.scalar().ok_or_else(|| self.wrong_kind())
    }

    /// A single value that is read by a function.
    pub(super) fn parsed<T>(
        self,
        advice: &str,
        read: impl Fn(&str) -> Option<T>,
    ) -> Result<T, Vec<Finding>> {
        let text = self.scalar()?;
        read(&text).ok_or_else(|| self.refuse(&text, advice))
    }

    /// One of the words of the kind.
    pub(super) fn choice(
        self,
        find: impl Fn(&str) -> Option<Value>,
    ) -> Result<Value, Vec<Finding>> {
        let text = self.text()?;
        find(&text).ok_or_else(|| self.refuse(&text, advice(&text, &self.kind.words())))
    }

    pub(super) fn component(self) -> Result<PlacedText, Vec<Finding>> {
        let NodeKind::Text(text) = &self.node.kind else {
            return Err(vec![
                Finding::error(
                    "TP003",
                    format!("`{}` takes texts, not {}", self.key, self.node.kind_word()),
                )
                .at(&self.node.place, "")
                .advise(format!("for example: {}", self.example)),
            ]);
        };
        match refuse_component(text) {
            None => Ok(PlacedText {
                text: text.clone(),
                place: self.node.place.clone(),
            }),
            Some(reason) => Err(vec![
                Finding::error("TP004", format!("`{}` is {text:?}, which {reason}", self.key))
                    .at(&self.node.place, "")
                    .advise(
                        "it becomes one part of a file name, so it takes letters, digits, spaces and signs",
                    ),
            ]),
        }
    }

    pub(super) fn components(self) -> Result<Vec<PlacedText>, Vec<Finding>> {
        match &self.node.kind {
            NodeKind::List(items) => items
                .iter()
                .map(|item| self.with(item).component())
                .collect(),
            _ => Err(self.wrong_kind()),
        }
    }
}
