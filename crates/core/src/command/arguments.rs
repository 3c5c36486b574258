//! The arguments of one process, written out on demand.

use super::fill::{ArgumentError, fill, text_of};
use super::invocation::Invocation;
use crate::deliverable::Movie;
use crate::profile::{Argument, Each, Profile};
use crate::template::{ExpandError, Template, TokenValue};

/// The arguments, in order.
///
/// # Errors
/// When a token is unknown or an argument holds what the engine cannot take.
pub fn arguments(invocation: &Invocation<'_>) -> Result<Vec<String>, ArgumentError> {
    let mut all = Vec::new();
    for argument in &invocation.profile.arguments {
        all.extend(entry_arguments(invocation, argument)?);
    }
    reject(invocation.profile, &all)?;
    Ok(all)
}

/// The arguments of a process that shares some of them with others.
pub(super) fn arguments_beside(
    invocation: &Invocation<'_>,
    shared: &[Option<Vec<String>>],
) -> Result<Vec<String>, ArgumentError> {
    let mut all = Vec::with_capacity(shared.len() + 4);
    for (argument, known) in invocation.profile.arguments.iter().zip(shared) {
        match known {
            Some(words) => all.extend_from_slice(words),
            None => {
                let before = all.len();
                all.append(&mut entry_arguments(invocation, argument)?);
                reject(invocation.profile, &all[before..])?;
            }
        }
    }
    Ok(all)
}

/// The arguments that one entry of a profile gives.
pub(super) fn entry_arguments(
    invocation: &Invocation<'_>,
    argument: &Argument,
) -> Result<Vec<String>, ArgumentError> {
    let mut words = Vec::new();
    // What has no value is as good as an empty word.
    if argument.when.iter().all(|(name, values)| {
        let value = text_of(&invocation.token(name)).unwrap_or_default();
        values.contains(&value)
    }) {
        emit(invocation, argument, &mut words)?;
        if argument.split {
            let apart = words.iter().flat_map(|one| one.split_whitespace());
            words = apart.map(str::to_owned).collect();
        }
    }
    Ok(words)
}

/// Sees that no argument holds what the engine cannot take.
pub(super) fn reject(profile: &Profile, all: &[String]) -> Result<(), ArgumentError> {
    if let Some(rejection) = &profile.rejects {
        for argument in all {
            let rejected = argument.chars().any(|c| {
                rejection.characters.contains(c) || (rejection.non_ascii && !c.is_ascii())
            });
            if rejected {
                return Err(ArgumentError::Refused {
                    argument: argument.clone(),
                    why: rejection.why.clone(),
                });
            }
        }
    }
    Ok(())
}

fn emit(
    invocation: &Invocation<'_>,
    argument: &Argument,
    all: &mut Vec<String>,
) -> Result<(), ArgumentError> {
    let text = |text: &str| TokenValue::Text(text.to_owned());
    match argument.each {
        None => put(&argument.put, &|name| invocation.token(name), all)?,
        Some(Each::Settings) => {
            for (key, word) in invocation.first().settings.iter() {
                let value = |name: &str| match name {
                    "key" => text(key),
                    "value" => text(&word.text),
                    _ => invocation.token(name),
                };
                put(&argument.put, &value, all)?;
            }
        }
        Some(Each::Sounds) => {
            let movie = invocation.first().movie();
            let system = invocation.first().common.project_values.system;
            for sound in movie.map(Movie::sounds).unwrap_or_default() {
                let value = |name: &str| match name {
                    "sound.file" => text(&system.written(&sound.file.value)),
                    "sound.offset" => TokenValue::number(Some(sound.offset)),
                    _ => invocation.token(name),
                };
                put(&argument.put, &value, all)?;
            }
        }
        Some(Each::Layers) => {
            for layer in invocation.layers() {
                let value = |name: &str| match name {
                    "layer.name" => text(&layer.name),
                    "layer.words" => text(&layer.words),
                    "layer.file" => text(&layer.file),
                    _ => invocation.token(name),
                };
                put(&argument.put, &value, all)?;
            }
        }
        Some(Each::Passes) => put_each("pass", invocation.passes(), invocation, argument, all)?,
        Some(Each::Views) => put_each("view", invocation.views(), invocation, argument, all)?,
    }
    Ok(())
}

/// Adds the arguments of an entry once for each of some words, which are the value of a token.
fn put_each(
    token: &str,
    words: Vec<String>,
    invocation: &Invocation<'_>,
    argument: &Argument,
    all: &mut Vec<String>,
) -> Result<(), ExpandError> {
    for word in words {
        let value = |name: &str| {
            if name == token {
                TokenValue::Text(word.clone())
            } else {
                invocation.token(name)
            }
        };
        put(&argument.put, &value, all)?;
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
