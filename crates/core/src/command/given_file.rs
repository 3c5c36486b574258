//! Files that an engine is given: a script that it runs, or a file of options.

use serde_json::{Map, Value};

use super::fill::{ArgumentError, fill};
use super::invocation::Invocation;
use crate::profile::{Content, GivenFile, JsonTemplate, Language};
use crate::quote::posix;
use crate::template::{ExpandError, Part, TokenValue};

/// A value that a file can hold.
fn value(invocation: &Invocation<'_>, name: &str) -> Result<Option<Value>, ArgumentError> {
    let texts = |words: Vec<String>| Value::from(words);
    let all = match name {
        "settings" => {
            let settings = invocation.first().settings.iter();
            let object: Map<String, Value> = settings
                .map(|(key, word)| (key.clone(), typed(&word.text)))
                .collect();
            Value::Object(object)
        }
        "frames.list" => Value::from(invocation.frames.iter().collect::<Vec<_>>()),
        "passes" => texts(invocation.passes()),
        "views" => texts(invocation.views()),
        _ => match invocation.token(name) {
            TokenValue::Number(number) => Value::from(number),
            TokenValue::Text(text) | TokenValue::Path(text) => Value::from(text),
            TokenValue::Date(date) => Value::from(date.to_string()),
            TokenValue::Nothing | TokenValue::Frame => return Ok(None),
            TokenValue::Unknown => {
                return Err(ArgumentError::Token(ExpandError::Unknown {
                    name: name.to_owned(),
                    span: 0..0,
                }));
            }
        },
    };
    Ok(Some(all))
}

/// A setting as a number or a truth where it is one.
fn typed(text: &str) -> Value {
    match serde_json::from_str(text) {
        Ok(value @ (Value::Number(_) | Value::Bool(_))) => value,
        _ => Value::from(text),
    }
}

impl GivenFile {
    /// The text of the file for a call.
    pub(super) fn text(&self, invocation: &Invocation<'_>) -> Result<String, ArgumentError> {
        match &self.content {
            Content::Text(language, template) => {
                let mut out = String::new();
                write_parts(*language, template.parts(), invocation, &mut out)?;
                if !out.ends_with('\n') {
                    out.push('\n');
                }
                Ok(out)
            }
            Content::Json(template) => {
                let value = template.value(invocation)?.unwrap_or(Value::Null);
                let text = serde_json::to_string_pretty(&value);
                Ok(text.unwrap_or_default() + "\n")
            }
        }
    }
}

fn write_parts(
    language: Language,
    parts: &[Part],
    invocation: &Invocation<'_>,
    out: &mut String,
) -> Result<(), ArgumentError> {
    for part in parts {
        match part {
            Part::Text(text) => out.push_str(text),
            Part::Token(token) => match value(invocation, &token.name)? {
                Some(value) => out.push_str(&literal(language, &value)?),
                // Nothing is a value in Python, and an empty word elsewhere.
                None if language == Language::Python => out.push_str("None"),
                None if language == Language::Shell => out.push_str("''"),
                None => {}
            },
            Part::Optional(inner) => {
                let names = inner.parts().iter().filter_map(|part| match part {
                    Part::Token(token) => Some(token.name.as_str()),
                    _ => None,
                });
                let mut whole = true;
                for name in names {
                    whole &= value(invocation, name)?.is_some();
                }
                if whole {
                    write_parts(language, inner.parts(), invocation, out)?;
                }
            }
        }
    }
    Ok(())
}

/// A value as the language writes it.
///
/// # Errors
/// When the language has no way to write it.
pub fn literal(language: Language, value: &Value) -> Result<String, ArgumentError> {
    match language {
        Language::Python => Ok(python(value)),
        Language::Shell => Ok(match value {
            Value::Array(items) => {
                let words: Vec<String> = items
                    .iter()
                    .map(|item| posix(&plain(item)).into_owned())
                    .collect();
                words.join(" ")
            }
            other => posix(&plain(other)).into_owned(),
        }),
        Language::Plain => {
            let text = match value {
                Value::Array(items) => items.iter().map(plain).collect::<Vec<_>>().join(" "),
                other => plain(other),
            };
            if text.chars().any(char::is_control) {
                return Err(ArgumentError::Refused {
                    argument: text.escape_debug().to_string(),
                    why: "a plain file has no way to write a control character".to_owned(),
                });
            }
            Ok(text)
        }
    }
}

fn plain(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        other => other.to_string(),
    }
}

/// Every escape of a JSON string is one of a Python string too (Python language reference, section
/// 2.4.1), so only the words for truth and nothing differ.
fn python(value: &Value) -> String {
    match value {
        Value::Null => "None".to_owned(),
        Value::Bool(true) => "True".to_owned(),
        Value::Bool(false) => "False".to_owned(),
        Value::Number(number) => number.to_string(),
        Value::String(_) => value.to_string(),
        Value::Array(items) => {
            let items: Vec<String> = items.iter().map(python).collect();
            format!("[{}]", items.join(", "))
        }
        Value::Object(entries) => {
            let entries: Vec<String> = entries
                .iter()
                .map(|(key, value)| format!("{}: {}", Value::from(key.as_str()), python(value)))
                .collect();
            format!("{{{}}}", entries.join(", "))
        }
    }
}

impl JsonTemplate {
    fn value(&self, invocation: &Invocation<'_>) -> Result<Option<Value>, ArgumentError> {
        match self {
            Self::Plain(value) => Ok(Some(value.clone())),
            Self::Text(template) => match template.parts() {
                [Part::Token(token)] if token.format.is_none() => value(invocation, &token.name),
                _ => Ok(fill(template, &|name| invocation.token(name))?.map(Value::from)),
            },
            Self::List(items) => {
                let mut list = Vec::new();
                for item in items {
                    list.extend(item.value(invocation)?);
                }
                Ok(Some(Value::from(list)))
            }
            Self::Object(entries) => {
                let mut object = Map::new();
                for (key, entry) in entries {
                    if let Some(value) = entry.value(invocation)? {
                        object.insert(key.clone(), value);
                    }
                }
                Ok(Some(Value::Object(object)))
            }
        }
    }
}
