//! Fills values into a template.

use std::ops::Range;

use jiff::civil::DateTime;
use jiff::fmt::strtime;

use super::path_row::PathRow;
use super::{Format, FrameField, Part, PathPattern, Template, TemplateToken};

/// What a token stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TokenValue {
    /// One component of a path, or a piece of one.
    Text(String),
    /// A number.
    Number(i64),
    /// A whole path: only places have one.
    Path(String),
    /// A date and time, written by the conversions of strftime.
    Date(DateTime),
    /// The frame, which stays open.
    Frame,
    /// The token is known and has no value.
    Nothing,
    /// There is no such token.
    Unknown,
}

impl TokenValue {
    /// A text, or nothing.
    pub(crate) fn text<T: Into<String>>(text: Option<T>) -> Self {
        text.map_or(Self::Nothing, |text| Self::Text(text.into()))
    }

    /// A number, or nothing.
    pub(crate) fn number(number: Option<i64>) -> Self {
        number.map_or(Self::Nothing, Self::Number)
    }
}

/// Why a template cannot be filled.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ExpandError {
    /// No token has this name.
    #[error("there is no token `{{{name}}}`")]
    Unknown {
        /// The name as written.
        name: String,
        /// Its bytes in the template.
        span: Range<usize>,
    },
    /// A token outside an optional part has no value.
    #[error("`{{{name}}}` has no value here")]
    NoValue {
        /// The token's name.
        name: String,
        /// Its bytes in the template.
        span: Range<usize>,
    },
    /// A value cannot be part of a path, or not in this format.
    #[error("`{{{name}}}` {reason}")]
    Refused {
        /// The token's name.
        name: String,
        /// Why, as the end of a sentence that begins with the token.
        reason: String,
        /// Its bytes in the template.
        span: Range<usize>,
    },
}

impl ExpandError {
    /// The bytes of the token in the template.
    #[must_use]
    pub fn span(&self) -> Range<usize> {
        match self {
            Self::Unknown { span, .. }
            | Self::NoValue { span, .. }
            | Self::Refused { span, .. } => span.clone(),
        }
    }
}

/// Fills in every value but the frame.
///
/// # Errors
/// Everything that stands in the way, in the order of the template.
pub fn expand(
    template: &Template,
    value: &dyn Fn(&str) -> TokenValue,
) -> Result<PathPattern, Vec<ExpandError>> {
    let mut errors = Vec::new();
    let row = fill(template, value, &mut errors);
    if errors.is_empty() {
        Ok(row.done())
    } else {
        Err(errors)
    }
}

fn fill(
    template: &Template,
    value: &dyn Fn(&str) -> TokenValue,
    errors: &mut Vec<ExpandError>,
) -> PathRow {
    let mut row = PathRow::default();
    for part in template.parts() {
        match part {
            Part::Text(text) => row.text(text),
            Part::Token(token) => match write(token, value(&token.name)) {
                Ok(Written::Text(text)) => row.text(&text),
                Ok(Written::Frame(field)) => row.frame(field),
                Err(error) => errors.push(error),
            },
            Part::Optional(inner) => {
                let mut missing = Vec::new();
                let inner = fill(inner, value, &mut missing);
                if missing.is_empty() {
                    row.append(inner);
                } else {
                    // Only a missing value drops the part; anything else is still wrong.
                    missing.retain(|error| !matches!(error, ExpandError::NoValue { .. }));
                    errors.extend(missing);
                }
            }
        }
    }
    row
}

/// What a token expands to.
enum Written {
    Text(String),
    Frame(FrameField),
}

fn write(token: &TemplateToken, value: TokenValue) -> Result<Written, ExpandError> {
    let name = || token.name.clone();
    let refuse = |reason: String| ExpandError::Refused {
        name: name(),
        reason,
        span: token.span.clone(),
    };
    let text = match (value, &token.format) {
        (TokenValue::Unknown, _) => {
            return Err(ExpandError::Unknown {
                name: name(),
                span: token.span.clone(),
            });
        }
        (TokenValue::Nothing, _) => {
            return Err(ExpandError::NoValue {
                name: name(),
                span: token.span.clone(),
            });
        }
        (TokenValue::Frame, format) => {
            return match format {
                None => Ok(Written::Frame(FrameField::Digits(1))),
                Some(Format::Digits(digits)) => Ok(Written::Frame(FrameField::Digits(*digits))),
                Some(Format::AnyDigits) => Ok(Written::Frame(FrameField::Any)),
                Some(other) => Err(refuse(format!(
                    "is a number and takes digits such as `04`, not `{other}`"
                ))),
            };
        }
        (TokenValue::Path(path), None) => return Ok(Written::Text(path)),
        (TokenValue::Path(_), Some(other)) => {
            return Err(refuse(format!("is a folder and takes no format `{other}`")));
        }
        (TokenValue::Date(date), Some(Format::Date(pattern))) => strtime::format(pattern, date)
            .map_err(|_| {
                refuse(format!(
                    "takes conversions of dates and times, and `{pattern}` has others"
                ))
            })?,
        (TokenValue::Date(date), None) => date.date().to_string(),
        (TokenValue::Date(_), Some(other)) => {
            return Err(refuse(format!(
                "is a date and takes a pattern such as `%Y%m%d`, not `{other}`"
            )));
        }
        (TokenValue::Number(number), None) => number.to_string(),
        (TokenValue::Number(number), Some(Format::Digits(digits))) => {
            let sign = if number < 0 { "-" } else { "" };
            let digits = usize::from(*digits);
            format!("{sign}{:0digits$}", number.unsigned_abs())
        }
        (TokenValue::Number(_), Some(other)) => {
            return Err(refuse(format!(
                "is a number and takes digits such as `04`, not `{other}`"
            )));
        }
        (TokenValue::Text(text), None) => text,
        (TokenValue::Text(text), Some(Format::Upper)) => text.to_uppercase(),
        (TokenValue::Text(text), Some(Format::Lower)) => text.to_lowercase(),
        (TokenValue::Text(text), Some(Format::Slug)) => slug(&text),
        (TokenValue::Text(_), Some(other)) => {
            return Err(refuse(format!(
                "is a text and takes `upper`, `lower` or `slug`, not `{other}`"
            )));
        }
    };
    match refuse_component(&text) {
        Some(reason) => Err(refuse(format!("is {text:?}, which {reason}"))),
        None => Ok(Written::Text(text)),
    }
}

/// Why a value may not be one component of a path; `None` when it may.
#[must_use]
pub fn refuse_component(text: &str) -> Option<&'static str> {
    if text.is_empty() {
        Some("is empty")
    } else if text.contains(['/', '\\']) {
        Some("holds a separator; only places hold whole paths")
    } else if text == "." || text == ".." {
        Some("would lead to another folder")
    } else if text.chars().any(char::is_control) {
        Some("holds a control character")
    } else {
        None
    }
}

/// Small letters and digits, everything else one `-`.
pub(super) fn slug(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars().flat_map(char::to_lowercase) {
        if c.is_alphanumeric() {
            out.push(c);
        } else if !out.is_empty() && !out.ends_with('-') {
            out.push('-');
        }
    }
    out.trim_end_matches('-').to_owned()
}
