//! The arguments of one process, written out on demand.

use super::call::Call;
use super::standing::Standing;
use super::{Argument, Each, Profile};
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

/// The arguments, in order.
///
/// # Errors
/// When a token is unknown or an argument holds what the engine cannot take.
pub fn arguments(call: &Call<'_>) -> Result<Vec<String>, ArgumentError> {
    let mut all = Vec::new();
    for argument in &call.profile.arguments {
        all.extend(emitted(call, argument)?);
    }
    refuse(call.profile, &all)?;
    Ok(all)
}

/// The arguments of a process, of which some are known.
pub(super) fn arguments_beside(
    call: &Call<'_>,
    standing: &Standing,
) -> Result<Vec<String>, ArgumentError> {
    let mut all = Vec::with_capacity(standing.arguments.len() + 4);
    for (argument, known) in call.profile.arguments.iter().zip(&standing.arguments) {
        match known {
            Some(words) => all.extend_from_slice(words),
            None => {
                let before = all.len();
                all.append(&mut emitted(call, argument)?);
                refuse(call.profile, &all[before..])?;
            }
        }
    }
    Ok(all)
}

/// What one entry of a profile comes to.
pub(super) fn emitted(call: &Call<'_>, argument: &Argument) -> Result<Vec<String>, ArgumentError> {
    let mut words = Vec::new();
    // What has no value is as good as an empty word.
    if argument.when.iter().all(|(name, values)| {
        let value = text_of(&call.token(name)).unwrap_or_default();
        values.contains(&value)
    }) {
        emit(call, argument, &mut words)?;
        if argument.split {
            let apart = words.iter().flat_map(|one| one.split_whitespace());
            words = apart.map(str::to_owned).collect();
        }
    }
    Ok(words)
}

/// Sees that no argument holds what the engine cannot take.
pub(super) fn refuse(profile: &Profile, all: &[String]) -> Result<(), ArgumentError> {
    if let Some(refusal) = &profile.refuses {
        for argument in all {
            let refused = argument
                .chars()
                .any(|c| refusal.characters.contains(c) || (refusal.non_ascii && !c.is_ascii()));
            if refused {
                return Err(ArgumentError::Refused {
                    argument: argument.clone(),
                    why: refusal.why.clone(),
                });
            }
        }
    }
    Ok(())
}

fn emit(call: &Call<'_>, argument: &Argument, all: &mut Vec<String>) -> Result<(), ArgumentError> {
    let text = |text: &str| TokenValue::Text(text.to_owned());
    match argument.each {
        None => put(&argument.put, &|name| call.token(name), all)?,
        Some(Each::Settings) => {
            for (key, word) in call.deliverables[0].settings.iter() {
                let value = |name: &str| match name {
                    "key" => text(key),
                    "value" => text(&word.text),
                    _ => call.token(name),
                };
                put(&argument.put, &value, all)?;
            }
        }
        Some(each @ (Each::Passes | Each::Views)) => {
            let asked = match each {
                Each::Views => "view",
                Each::Passes | Each::Settings => "pass",
            };
            for word in call.words(each) {
                let value = |name: &str| match name {
                    name if name == asked => text(&word),
                    _ => call.token(name),
                };
                put(&argument.put, &value, all)?;
            }
        }
    }
    Ok(())
}

/// Adds all arguments of one entry, or none when a token in them has no value.
fn put(
    templates: &[Template],
    value: &dyn Fn(&str) -> TokenValue,
    all: &mut Vec<String>,
) -> Result<(), ExpandError> {
    let before = all.len();
    for template in templates {
        match fill(template, value)? {
            Some(argument) => all.push(argument),
            None => {
                all.truncate(before);
                return Ok(());
            }
        }
    }
    Ok(())
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

pub(super) fn text_of(value: &TokenValue) -> Option<String> {
    match value {
        TokenValue::Text(text) | TokenValue::Path(text) => Some(text.clone()),
        TokenValue::Number(number) => Some(number.to_string()),
        TokenValue::Date(date) => Some(date.to_string()),
        TokenValue::Frame | TokenValue::Nothing | TokenValue::Unknown => None,
    }
}
