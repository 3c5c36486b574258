//! Where the value of a token comes from, and what it beat: found by walking the layers again.

use crate::deliverable::Deliverable;
use crate::job::{Job, Key};
use crate::layers::Chain;
use crate::source::{Layer, Place};

/// A place that sets a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Origin {
    /// The layer.
    pub layer: Layer,
    /// The place.
    pub place: Place,
}

/// The places that set the value of a token for a deliverable, the winner first. Empty for values
/// that no place sets, such as the frame.
#[must_use]
pub fn origins(job: &Job, deliverable: &Deliverable, token: &str) -> Vec<Origin> {
    let common = &deliverable.common;
    let one = |layer, place: &Place| {
        vec![Origin {
            layer,
            place: place.clone(),
        }]
    };
    if let Some(name) = token.strip_prefix("place.") {
        let named = job.places.iter().find(|place| place.name == name);
        let system = common.project_values.system;
        let folders = named.into_iter().flat_map(|place| &place.folders);
        return folders
            .filter(|(on, _)| on.is_none_or(|on| on == system))
            .map(|(_, folder)| Origin {
                layer: folder.layer,
                place: folder.place.clone(),
            })
            .collect();
    }
    if let Some(name) = token.strip_prefix("settings.") {
        let word = deliverable.settings.iter().find(|(known, _)| known == name);
        return word.map_or_else(Vec::new, |(_, word)| {
            by_key(job, deliverable, Key::Settings)
                .into_iter()
                .filter(|origin| origin.place.contains(&word.place))
                .map(|origin| Origin {
                    place: word.place.clone(),
                    ..origin
                })
                .collect()
        });
    }
    match token {
        "shot" => one(Layer::Shot, &job.shots[common.shot_index].name_place),
        "output" => one(Layer::Output, &job.outputs[common.output_index].name_place),
        "project" => by_key(job, deliverable, Key::Name),
        "version" => by_key(job, deliverable, Key::Version),
        "fps" => by_key(job, deliverable, Key::Fps),
        "scene" | "place.scene" => by_key(job, deliverable, Key::Scene),
        "camera" => by_key(job, deliverable, Key::Camera),
        "pass" if deliverable.movie().is_some() => by_key(job, deliverable, Key::MoviePass),
        "pass" => by_key(job, deliverable, Key::Passes),
        "codec" => by_key(job, deliverable, Key::MovieCodec),
        "container" => by_key(job, deliverable, Key::MovieContainer),
        "variant" => by_key(job, deliverable, Key::Variants),
        "view" => by_key(job, deliverable, Key::Views),
        "preset" => by_key(job, deliverable, Key::Preset),
        "engine" => {
            let run = by_key(job, deliverable, Key::Run);
            if common.engine.place.is_some() {
                run
            } else {
                by_key(job, deliverable, Key::Engine)
            }
        }
        "first" | "last" | "count" => by_key(job, deliverable, Key::Frames),
        "width" | "height" if deliverable.picture.crop.is_some() => {
            by_key(job, deliverable, Key::Crop)
        }
        "width" | "height" => by_key(job, deliverable, Key::Size),
        "ext" if deliverable.movie().is_some() => match deliverable.picture.format_place {
            Some(_) => by_key(job, deliverable, Key::MovieContainer),
            None => by_key(job, deliverable, Key::Path),
        },
        "ext" => match &deliverable.picture.format_place {
            Some(_) => by_key(job, deliverable, Key::Format),
            None => by_key(job, deliverable, Key::Path),
        },
        own => job
            .tokens
            .iter()
            .find(|(known, _)| known == own)
            .map_or_else(Vec::new, |(_, value)| one(value.layer, &value.place)),
    }
}

/// The places that set a key for a deliverable, the winner first.
#[must_use]
pub fn by_key(job: &Job, deliverable: &Deliverable, key: Key) -> Vec<Origin> {
    Chain::of_deliverable(job, deliverable)
        .history(key)
        .map(|setting| Origin {
            layer: setting.value.layer,
            place: setting.value.place.clone(),
        })
        .collect()
}
