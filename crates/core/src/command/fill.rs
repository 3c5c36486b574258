//! Templates of a profile as single texts.

use crate::template::{ExpandError, Part, Template, TokenValue, expand};

/// Why arguments cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ArgumentError {
    /// A template of the profile asks for something that is not there.
    #[error("an argument of the engine cannot be written: {0}")]
    Token(#[from] ExpandError),
    /// The engine cannot take such an argument.
    #[error("the engine cannot take the argument `{argument}`: {why}")]
    Refused {
        /// The argument.
        argument: String,
        /// Why.
        why: String,
    },
}

/// A template as a single text; `None` when a token in it has no value. Values may hold anything
/// here: an argument is no part of a path.
///
/// # Errors
/// When a token is unknown.
pub fn fill(
    template: &Template,
    value: &dyn Fn(&str) -> TokenValue,
) -> Result<Option<String>, ExpandError> {
    let mut out = String::new();
    for part in template.parts() {
        match part {
            Part::Text(text) => out.push_str(text),
            Part::Token(token) if token.format.is_none() => match value(&token.name) {
                TokenValue::Text(text) | TokenValue::Path(text) => out.push_str(&text),
                TokenValue::Number(number) => out.push_str(&number.to_string()),
                TokenValue::Nothing => return Ok(None),
                other => match filled(template, &token.name, other)? {
                    Some(text) => out.push_str(&text),
                    None => return Ok(None),
                },
            },
            // Formats and optional parts are rare.
            Part::Token(_) | Part::Optional(_) => return expanded(template, value),
        }
    }
    Ok(Some(out))
}

/// A single value that is no text and no number.
fn filled(
    template: &Template,
    name: &str,
    value: TokenValue,
) -> Result<Option<String>, ExpandError> {
    match value {
        TokenValue::Date(date) => Ok(Some(date.date().to_string())),
        TokenValue::Frame => Ok(None),
        _ => {
            let span = template
                .tokens()
                .into_iter()
                .find(|(token, _)| token.name == name)
                .map_or(0..0, |(token, _)| token.span.clone());
            Err(ExpandError::Unknown {
                name: name.to_owned(),
                span,
            })
        }
    }
}

/// A template with formats or optional parts as a single text.
fn expanded(
    template: &Template,
    value: &dyn Fn(&str) -> TokenValue,
) -> Result<Option<String>, ExpandError> {
    let whole = |name: &str| match value(name) {
        TokenValue::Text(text) => TokenValue::Path(text),
        other => other,
    };
    let formatted = |name: &str| match value(name) {
        // A format needs a text, and a path takes none.
        TokenValue::Text(text) if template.formats(name) => TokenValue::Text(text),
        _ => whole(name),
    };
    match expand(template, &formatted) {
        Ok(pattern) => Ok(Some(pattern.path(0))),
        Err(errors) => {
            let worse = errors
                .into_iter()
                .find(|error| !matches!(error, ExpandError::NoValue { .. }));
            worse.map_or(Ok(None), Err)
        }
    }
}

/// A value as it is written into an argument; none where there is none.
pub(super) fn text_of(value: &TokenValue) -> Option<String> {
    match value {
        TokenValue::Text(text) | TokenValue::Path(text) => Some(text.clone()),
        TokenValue::Number(number) => Some(number.to_string()),
        TokenValue::Date(date) => Some(date.to_string()),
        TokenValue::Frame | TokenValue::Nothing | TokenValue::Unknown => None,
    }
}
