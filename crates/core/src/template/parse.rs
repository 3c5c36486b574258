//! The grammar of templates.
//!
//! ```text
//! template = { text | "{{" | "}}" | token | optional }
//! token    = "{" name [ ":" format ] "}"
//! optional = "{?" template "}"
//! name     = word { "." word }        word = letter or "_", then letters, digits, "_" or "-"
//! ```

use std::ops::Range;
use std::str::FromStr;

use super::{Format, Part, Template, TemplateToken};

/// Why a text is no template, and where in it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct TemplateError {
    /// What is wrong.
    pub message: String,
    /// Which bytes of the text.
    pub span: Range<usize>,
    /// What would work.
    pub advice: String,
}

impl FromStr for Template {
    type Err = TemplateError;

    fn from_str(text: &str) -> Result<Self, TemplateError> {
        let mut at = 0;
        let parts = parts(text, &mut at, None)?;
        Ok(Self { parts })
    }
}

/// Optional parts may stand in one another this deep.
const DEEPEST: usize = 16;

fn parts(
    text: &str,
    at: &mut usize,
    opened: Option<(usize, usize)>,
) -> Result<Vec<Part>, TemplateError> {
    let mut parts = Vec::new();
    let mut plain = String::new();
    while let Some(next) = text[*at..].chars().next() {
        let rest = &text[*at..];
        if rest.starts_with("{{") {
            plain.push('{');
            *at += 2;
        } else if next == '}' && opened.is_some() {
            break;
        } else if rest.starts_with("}}") {
            plain.push('}');
            *at += 2;
        } else if next == '}' {
            return Err(TemplateError {
                message: "this `}` closes nothing".to_owned(),
                span: *at..*at + 1,
                advice: "write `}}` for the character itself".to_owned(),
            });
        } else if next == '{' {
            if !plain.is_empty() {
                parts.push(Part::Text(std::mem::take(&mut plain)));
            }
            if rest.starts_with("{?") {
                let (start, depth) = (*at, opened.map_or(0, |(_, depth)| depth) + 1);
                if depth > DEEPEST {
                    return Err(TemplateError {
                        message: format!("more than {DEEPEST} optional parts in one another"),
                        span: start..start + 2,
                        advice: "write the parts one after another".to_owned(),
                    });
                }
                *at += 2;
                let inner = self::parts(text, at, Some((start, depth)))?;
                if !text[*at..].starts_with('}') {
                    return Err(TemplateError {
                        message: "this optional part is not closed".to_owned(),
                        span: start..start + 2,
                        advice: "an optional part is `{?_{variant}}`".to_owned(),
                    });
                }
                *at += 1;
                parts.push(Part::Optional(Template { parts: inner }));
            } else {
                parts.push(Part::Token(token(text, at)?));
            }
        } else {
            plain.push(next);
            *at += next.len_utf8();
        }
    }
    if !plain.is_empty() {
        parts.push(Part::Text(plain));
    }
    Ok(parts)
}

fn token(text: &str, at: &mut usize) -> Result<TemplateToken, TemplateError> {
    let start = *at;
    let body_start = start + 1;
    let Some(length) = text[body_start..].find(['}', '{']) else {
        return Err(unclosed(start..text.len()));
    };
    let end = body_start + length;
    if text[end..].starts_with('{') {
        return Err(unclosed(start..end));
    }
    let body = &text[body_start..end];
    let (name, format) = match body.split_once(':') {
        Some((name, format)) => (name, Some(format)),
        None => (body, None),
    };
    if name.is_empty() || !name.split('.').all(is_word) {
        return Err(TemplateError {
            message: if name.is_empty() {
                "a token without a name".to_owned()
            } else {
                format!("`{name}` is no name of a token")
            },
            span: start..end + 1,
            advice: "a token is `{shot}` or `{frame:04}`; the brace itself is `{{`".to_owned(),
        });
    }
    let format = match format {
        None => None,
        Some(format) => Some(Format::parse(format).map_err(|advice| TemplateError {
            message: format!("`{format}` is no format"),
            span: body_start + name.len() + 1..end,
            advice,
        })?),
    };
    *at = end + 1;
    Ok(TemplateToken {
        name: name.to_owned(),
        format,
        span: start..end + 1,
    })
}

fn unclosed(span: Range<usize>) -> TemplateError {
    TemplateError {
        message: "this token is not closed".to_owned(),
        span,
        advice: "a token is `{shot}` or `{frame:04}`; the brace itself is `{{`".to_owned(),
    }
}

fn is_word(word: &str) -> bool {
    let mut chars = word.chars();
    chars
        .next()
        .is_some_and(|first| first.is_ascii_alphabetic() || first == '_')
        && chars.all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn says_what_is_wrong_and_where() {
        for (text, span, part) in [
            ("a{shot", 1..6, "not closed"),
            ("a{shot{frame}", 1..6, "not closed"),
            ("a}b", 1..2, "closes nothing"),
            ("a{}", 1..3, "without a name"),
            ("a{4x}", 1..5, "no name"),
            ("{frame:4}", 7..8, "no format"),
            ("{shot:uper}", 6..10, "no format"),
            ("{?_{variant}", 0..2, "not closed"),
        ] {
            let error = text.parse::<Template>().unwrap_err();
            assert!(error.message.contains(part), "{text}: {error}");
            assert_eq!(error.span, span, "{text}");
        }
        let four = "{frame:4}".parse::<Template>().unwrap_err();
        assert!(four.advice.contains("`04`"));
    }

    #[test]
    fn a_double_brace_in_an_optional_part_closes_token_and_part() {
        let template: Template = "{?/{variant}}x".parse().unwrap();
        assert_eq!(template.parts().len(), 2);
        assert_eq!(
            template.tokens(),
            [(
                &TemplateToken {
                    name: "variant".to_owned(),
                    format: None,
                    span: 3..12,
                },
                true
            )]
        );
    }
}
