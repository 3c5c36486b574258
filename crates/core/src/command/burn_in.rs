//! The text in every frame of a movie.

use super::fill::fill;
use crate::deliverable::Deliverable;
use crate::template::{ExpandError, Part, Template, TokenValue};

/// What differs from frame to frame or from day to day: the encoder fills it in, so that no movie is made again on
/// another day.
const LEFT_OPEN: [&str; 2] = ["frame", "date"];
/// What differs from person to person and from machine to machine would make a movie stale there.
const NOT_TAKEN: [&str; 3] = ["user", "artist", "host"];

/// The text in the frames of a movie as a template: every token has its value but the frame and the date. None where
/// the deliverable is no movie or has no text.
///
/// # Errors
/// When a token is unknown, is not taken here, or has no value outside of an optional part.
pub fn burn_in_text(deliverable: &Deliverable) -> Result<Option<String>, ExpandError> {
    let movie = deliverable.movie();
    let Some(text) = movie.and_then(|movie| movie.burn_in.as_ref()) else {
        return Ok(None);
    };
    Ok(Some(burn_in_of(&text.template, deliverable)?.to_string()))
}

/// A text for the pictures of a deliverable: every token has its value but the frame and the date.
///
/// # Errors
/// When a token is unknown, is not taken here, or has no value outside of an optional part.
pub fn burn_in_of(text: &Template, deliverable: &Deliverable) -> Result<Template, ExpandError> {
    Ok(Template::of_parts(filled(text, deliverable)?))
}

fn filled(template: &Template, deliverable: &Deliverable) -> Result<Vec<Part>, ExpandError> {
    let mut parts = Vec::new();
    for part in template.parts() {
        match part {
            Part::Token(token) if LEFT_OPEN.contains(&token.name.as_str()) => {
                parts.push(part.clone());
            }
            Part::Token(token) if NOT_TAKEN.contains(&token.name.as_str()) => {
                return Err(ExpandError::Refused {
                    name: token.name.clone(),
                    reason: "is not the same on every machine, and the movie would be stale there"
                        .to_owned(),
                    span: token.span.clone(),
                });
            }
            Part::Token(token) => {
                let one = Template::of_parts(vec![part.clone()]);
                let value = |name: &str| deliverable.token(name);
                let missing = || ExpandError::NoValue {
                    name: token.name.clone(),
                    span: token.span.clone(),
                };
                if value(&token.name) == TokenValue::Nothing {
                    return Err(missing());
                }
                parts.push(Part::Text(fill(&one, &value)?.ok_or_else(missing)?));
            }
            Part::Optional(inner) => match filled(inner, deliverable) {
                Ok(inner) => parts.extend(inner),
                Err(ExpandError::NoValue { .. }) => {}
                Err(error) => return Err(error),
            },
            Part::Text(_) => parts.push(part.clone()),
        }
    }
    Ok(parts)
}
