//! A word of a script, with variables that are not filled yet.

use std::collections::BTreeMap;

use super::WordsError;

/// A part of a word.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Piece {
    Text(String),
    Variable(String),
}

/// A word as it is written.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Word(pub(super) Vec<Piece>);

impl Word {
    pub(super) fn push(&mut self, sign: char) {
        match self.0.last_mut() {
            Some(Piece::Text(text)) => text.push(sign),
            _ => self.0.push(Piece::Text(sign.to_string())),
        }
    }

    pub(super) fn text(text: String) -> Self {
        Self(vec![Piece::Text(text)])
    }

    /// The word with the values of its variables.
    pub(super) fn filled(
        &self,
        variables: &BTreeMap<String, String>,
        line: usize,
    ) -> Result<String, WordsError> {
        let mut text = String::new();
        for piece in &self.0 {
            match piece {
                Piece::Text(part) => text.push_str(part),
                Piece::Variable(name) => {
                    let value = variables.get(name);
                    let name = name.clone();
                    text.push_str(value.ok_or(WordsError::Variable { line, name })?);
                }
            }
        }
        Ok(text)
    }

    /// The word where it has no variable.
    pub(super) fn plain(&self) -> Option<&str> {
        match &self.0[..] {
            [] => Some(""),
            [Piece::Text(text)] => Some(text),
            _ => None,
        }
    }

    /// The name of the variable that it is.
    pub(super) fn variable(&self) -> Option<&str> {
        match &self.0[..] {
            [Piece::Variable(name)] => Some(name),
            _ => None,
        }
    }
}
