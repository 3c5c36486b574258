//! The values that a deliverable gives to tokens.

use super::{Common, Deliverable, Movie, Picture};
use crate::job::Word;
use crate::template::TokenValue;

impl Common {
    /// The value of a token, as far as pass and picture are not asked.
    fn token(&self, name: &str) -> TokenValue {
        if let Some(place) = name.strip_prefix("place.") {
            let built_in = (place == "scene")
                .then(|| self.scene.as_ref().map(|scene| scene.folder().to_owned()))
                .flatten();
            let named = || {
                let places = &self.project_values.places;
                places
                    .iter()
                    .find(|(known, _)| known == place)
                    .map(|(_, folder)| folder.clone())
            };
            return match built_in.or_else(named) {
                Some(folder) => TokenValue::Path(folder),
                None if place == "scene" => TokenValue::Nothing,
                None => TokenValue::Unknown,
            };
        }
        let text = |value: Option<&str>| {
            value.map_or(TokenValue::Nothing, |text| {
                TokenValue::Text(text.to_owned())
            })
        };
        let number = |value: Option<i64>| value.map_or(TokenValue::Nothing, TokenValue::Number);
        let frames = &self.clip;
        match name {
            "project" => text(self.project.as_deref()),
            "shot" => text(Some(&self.shot)),
            "scene" => text(
                self.scene
                    .as_ref()
                    .and_then(|scene| crate::job::stem(&scene.path))
                    .as_deref(),
            ),
            "camera" => text(self.camera.as_ref().map(|word| word.text.as_str())),
            "variant" => text(self.variant.as_ref().map(|word| word.text.as_str())),
            "view" => text(self.view.as_ref().map(|word| word.text.as_str())),
            "preset" => text(self.preset.as_ref().map(|preset| preset.value.as_str())),
            "engine" => text(Some(&self.engine.name)),
            "output" => text(Some(&self.output)),
            "user" => text(self.project_values.person.user.as_deref()),
            "host" => text(self.project_values.person.host.as_deref()),
            "artist" => {
                let person = &self.project_values.person;
                text(person.artist.as_deref().or(person.user.as_deref()))
            }
            "date" => self
                .project_values
                .began
                .as_ref()
                .map_or(TokenValue::Nothing, |began| {
                    TokenValue::Date(began.instant())
                }),
            "version" => number(self.version),
            "first" => number(frames.first()),
            "last" => number(frames.last()),
            "count" => number(i64::try_from(frames.count()).ok()),
            "fps" => text(self.fps.as_deref()),
            _ => self
                .project_values
                .tokens
                .iter()
                .find(|(known, _)| known == name)
                .map_or(TokenValue::Unknown, |(_, value)| {
                    TokenValue::Text(value.clone())
                }),
        }
    }
}

/// The value of a token, for a pass of an output.
pub(super) fn token(
    name: &str,
    common: &Common,
    pass: Option<&Word>,
    picture: Option<&Picture>,
    movie: Option<&Movie>,
    settings: &[(String, Word)],
) -> TokenValue {
    if let Some(setting) = name.strip_prefix("settings.") {
        return settings
            .iter()
            .find(|(known, _)| known == setting)
            .map_or(TokenValue::Nothing, |(_, word)| {
                TokenValue::Text(word.text.clone())
            });
    }
    let size = picture.and_then(Picture::file_size);
    let number = |value: Option<u32>| {
        value.map_or(TokenValue::Nothing, |value| {
            TokenValue::Number(value.into())
        })
    };
    match name {
        "pass" => pass.map_or(TokenValue::Nothing, |word| {
            TokenValue::Text(word.text.clone())
        }),
        "ext" => picture.map_or(TokenValue::Nothing, |picture| {
            TokenValue::Text(picture.format.extensions[0].to_owned())
        }),
        "width" => number(size.map(|size| size.width)),
        "height" => number(size.map(|size| size.height)),
        "codec" | "container" => movie
            .and_then(|movie| match name {
                "codec" => movie.codec.as_ref().map(|codec| codec.value.name),
                _ => Some(movie.container.name()),
            })
            .map_or(TokenValue::Nothing, |word| {
                TokenValue::Text(word.to_owned())
            }),
        "frame" => TokenValue::Frame,
        _ => common.token(name),
    }
}

impl Deliverable {
    /// The value of a token of templates.
    #[must_use]
    pub fn token(&self, name: &str) -> TokenValue {
        token(
            name,
            &self.common,
            self.pass.as_ref(),
            Some(&self.picture),
            self.movie(),
            &self.settings,
        )
    }
}
