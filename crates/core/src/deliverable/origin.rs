//! Where the value of a token comes from, and what it won over.

use super::Deliverable;
use crate::job::{Job, Key, PlacedText};
use crate::precedence::{Case, Chain};
use crate::source::{Level, Place};
use crate::token::{SetBy, Token};

/// A place that sets a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Origin {
    /// The level of precedence.
    pub level: Level,
    /// The place.
    pub place: Place,
}

impl Deliverable {
    /// The chain of precedence that it was made by.
    #[must_use]
    pub fn chain<'j>(&self, job: &'j Job) -> Chain<'j> {
        let names = &self.common.names;
        let case = Case {
            shot: &job.shots[self.common.shot_index],
            output: &job.outputs[self.common.output_index],
            pass: PlacedText::text_of(self.pass.as_ref()),
            variant: PlacedText::text_of(names.variant.as_ref()),
            view: PlacedText::text_of(names.view.as_ref()),
            preset: names.preset.as_ref().map(|preset| preset.value.as_str()),
        };
        Chain::of(job, case)
    }
}

/// The places that set the value of a token for a deliverable, the winner first. Empty for values
/// that no place sets, such as the frame.
#[must_use]
pub fn origins(job: &Job, deliverable: &Deliverable, name: &str) -> Vec<Origin> {
    let of_key = |key| settings_of_key(job, deliverable, key);
    let Some((token, part)) = Token::read(name) else {
        let own = job.tokens.iter().find(|(known, _)| known == name);
        return own.map_or_else(Vec::new, |(_, value)| one(value.level, &value.place));
    };
    let common = &deliverable.common;
    let is_movie = deliverable.movie().is_some();
    match token.facts().origin {
        SetBy::Key(name) => Key::of_name(name).map_or_else(Vec::new, of_key),
        SetBy::KeyOrMovieKey(key, of_movie) => {
            Key::of_name(if is_movie { of_movie } else { key }).map_or_else(Vec::new, of_key)
        }
        SetBy::ShotName => one(Level::Shot, &job.shots[common.shot_index].name_place),
        SetBy::OutputName => {
            let output = &job.outputs[common.output_index];
            one(Level::Output, &output.name_place)
        }
        SetBy::Place if part == "scene" => of_key(Key::Scene),
        SetBy::Place => place(job, deliverable, part),
        SetBy::Setting => setting(job, deliverable, part),
        SetBy::Size => of_key(match &deliverable.picture.crop {
            Some(_) => Key::Crop,
            None => Key::Size,
        }),
        SetBy::Extension => of_key(match &deliverable.picture.format_place {
            None => Key::Path,
            Some(_) if is_movie => Key::MovieContainer,
            Some(_) => Key::Format,
        }),
        SetBy::Engine => of_key(match &common.engine.place {
            Some(_) => Key::Run,
            None => Key::Engine,
        }),
        SetBy::Nobody => Vec::new(),
    }
}

fn one(level: Level, place: &Place) -> Vec<Origin> {
    vec![Origin {
        level,
        place: place.clone(),
    }]
}

fn place(job: &Job, deliverable: &Deliverable, name: &str) -> Vec<Origin> {
    let system = deliverable.common.project_values.system;
    let named = job.places.iter().find(|place| place.name == name);
    let folders = named.into_iter().flat_map(|place| &place.folders);
    folders
        .filter(|(on, _)| on.is_none_or(|on| on == system))
        .flat_map(|(_, folder)| one(folder.level, &folder.place))
        .collect()
}

fn setting(job: &Job, deliverable: &Deliverable, name: &str) -> Vec<Origin> {
    let found = deliverable.settings.iter().find(|(known, _)| known == name);
    let Some((_, word)) = found else {
        return Vec::new();
    };
    settings_of_key(job, deliverable, Key::Settings)
        .into_iter()
        .filter(|origin| origin.place.contains(&word.place))
        .flat_map(|origin| one(origin.level, &word.place))
        .collect()
}

/// The places that set a key for a deliverable, the winner first.
#[must_use]
pub fn settings_of_key(job: &Job, deliverable: &Deliverable, key: Key) -> Vec<Origin> {
    deliverable
        .chain(job)
        .history(key)
        .map(|setting| Origin {
            level: setting.value.level,
            place: setting.value.place.clone(),
        })
        .collect()
}
