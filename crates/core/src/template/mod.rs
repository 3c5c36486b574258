//! Paths with tokens: `{shot}`, `{frame:04}`, `{?_{variant}}`, `{{`.
//!
//! A [`Template`] is what somebody wrote. With every value but the frame filled in it becomes a
//! [`PathPattern`], a short row of texts and frame fields.
//!
//! ```
//! use truepath_core::template::{Template, TokenValue, expand};
//!
//! let template: Template = "{shot}{?_{camera}}.{frame:04}.exr".parse()?;
//! let pattern = expand(&template, &|name| match name {
//!     "shot" => TokenValue::Text("dawn".to_owned()),
//!     "frame" => TokenValue::Frame,
//!     // Nobody has set a camera: its optional part is left out.
//!     "camera" => TokenValue::Nothing,
//!     _ => TokenValue::Unknown,
//! })
//! .expect("every token has a value");
//! assert_eq!(pattern.path(12), "dawn.0012.exr");
//! # Ok::<(), truepath_core::template::TemplateError>(())
//! ```

mod expand;
mod format;
mod parse;
mod path_row;
mod pattern;
mod reading;

use std::fmt;
use std::ops::Range;

pub use expand::{ExpandError, TokenValue, expand, refuse_component};
pub use format::Format;
pub use parse::TemplateError;
pub use pattern::{FrameField, PathPattern, Piece};
pub use reading::{Candidates, Departure, Values, readings};

/// A text with tokens and optional parts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template {
    parts: Vec<Part>,
}

/// A part of a template.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Text that stands for itself.
    Text(String),
    /// A token.
    Token(TemplateToken),
    /// `{? … }`: dropped whole when a token in it has no value.
    Optional(Template),
}

/// `{name}` or `{name:format}`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TemplateToken {
    /// Its name, such as `shot` or `place.renders`.
    pub name: String,
    /// How its value is written.
    pub format: Option<Format>,
    /// Its bytes in the text, braces included.
    pub span: Range<usize>,
}

impl Template {
    /// A template without any text.
    #[must_use]
    pub fn empty() -> Self {
        Self { parts: Vec::new() }
    }

    /// A template of these parts.
    pub(crate) fn of_parts(parts: Vec<Part>) -> Self {
        Self { parts }
    }

    /// The parts, in order.
    #[must_use]
    pub fn parts(&self) -> &[Part] {
        &self.parts
    }

    /// Every token with whether it stands in an optional part, in order.
    #[must_use]
    pub fn tokens(&self) -> Vec<(&TemplateToken, bool)> {
        let mut found = Vec::new();
        self.collect(false, &mut found);
        found
    }

    /// Whether a token of this name is in it.
    #[must_use]
    pub fn has(&self, name: &str) -> bool {
        self.tokens().iter().any(|(token, _)| token.name == name)
    }

    /// Whether a token of this name has a format.
    #[must_use]
    pub fn formats(&self, name: &str) -> bool {
        let mut tokens = self.tokens().into_iter();
        tokens.any(|(token, _)| token.name == name && token.format.is_some())
    }

    fn collect<'a>(&'a self, optional: bool, found: &mut Vec<(&'a TemplateToken, bool)>) {
        for part in &self.parts {
            match part {
                Part::Text(_) => {}
                Part::Token(token) => found.push((token, optional)),
                Part::Optional(inner) => inner.collect(true, found),
            }
        }
    }
}

impl fmt::Display for Template {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        for part in &self.parts {
            match part {
                Part::Text(text) => {
                    out.write_str(&text.replace('{', "{{").replace('}', "}}"))?;
                }
                Part::Token(token) => match &token.format {
                    None => write!(out, "{{{}}}", token.name)?,
                    Some(format) => write!(out, "{{{}:{format}}}", token.name)?,
                },
                Part::Optional(inner) => write!(out, "{{?{inner}}}")?,
            }
        }
        Ok(())
    }
}
