//! The values that a deliverable gives to the tokens of templates.

use super::{Common, Deliverable, Movie, Picture};
use crate::job::PlacedText;
use crate::template::TokenValue;
use crate::token::Token;

/// All that a path is made from: what is known so far of a deliverable.
#[derive(Clone, Copy)]
pub(super) struct KnownValues<'a> {
    pub(super) common: &'a Common,
    pub(super) pass: Option<&'a PlacedText>,
    pub(super) picture: Option<&'a Picture>,
    pub(super) movie: Option<&'a Movie>,
    pub(super) settings: &'a [(String, PlacedText)],
}

impl<'a> KnownValues<'a> {
    /// What is known before passes and pictures are.
    pub(super) fn of(common: &'a Common) -> Self {
        Self {
            common,
            pass: None,
            picture: None,
            movie: None,
            settings: &[],
        }
    }

    /// The value of a token, by its name.
    pub(super) fn token(&self, name: &str) -> TokenValue {
        match Token::read(name) {
            Some((token, part)) => self.value(token, part),
            None => {
                let mut own = self.common.project_values.tokens.iter();
                let value = own.find(|(known, _)| known == name);
                value.map_or(TokenValue::Unknown, |(_, value)| {
                    TokenValue::Text(value.clone())
                })
            }
        }
    }

    fn value(&self, token: Token, part: &str) -> TokenValue {
        let text = TokenValue::text::<&str>;
        let number = TokenValue::number;
        let common = self.common;
        let person = &common.project_values.person;
        let size = self.picture.and_then(Picture::file_size);
        match token {
            Token::Project => text(common.names.project.as_deref()),
            Token::Place => self.place(part),
            Token::Shot => text(Some(&common.names.shot)),
            Token::Scene => {
                let scene = common.scene.as_ref();
                TokenValue::text(scene.and_then(|scene| crate::job::stem(&scene.path)))
            }
            Token::Variant => text(PlacedText::text_of(common.names.variant.as_ref())),
            Token::View => text(PlacedText::text_of(common.names.view.as_ref())),
            Token::Pass => text(PlacedText::text_of(self.pass)),
            Token::Camera => text(PlacedText::text_of(common.names.camera.as_ref())),
            Token::Preset => text(
                common
                    .names
                    .preset
                    .as_ref()
                    .map(|preset| preset.value.as_str()),
            ),
            Token::Engine => text(Some(&common.engine.name)),
            Token::Output => text(Some(&common.names.output)),
            Token::Version => number(common.names.version),
            Token::Frame => TokenValue::Frame,
            Token::First => number(common.frames.shot.first()),
            Token::Last => number(common.frames.shot.last()),
            Token::Count => number(i64::try_from(common.frames.shot.count()).ok()),
            Token::Width => number(size.map(|size| size.width.into())),
            Token::Height => number(size.map(|size| size.height.into())),
            Token::Fps => TokenValue::text(common.fps.map(|fps| fps.to_string())),
            Token::Ext => text(self.picture.map(|picture| picture.format.extension())),
            Token::Codec => {
                let codec = self.movie.and_then(|movie| movie.codec.as_ref());
                text(codec.map(|codec| codec.value.name))
            }
            Token::Container => text(self.movie.map(|movie| movie.container.name())),
            Token::User => text(person.user.as_deref()),
            Token::Artist => text(person.artist.as_deref().or(person.user.as_deref())),
            Token::Host => text(person.host.as_deref()),
            Token::Date => common
                .project_values
                .began
                .map_or(TokenValue::Nothing, TokenValue::Date),
            Token::Setting => {
                let mut settings = self.settings.iter();
                let value = settings.find(|(known, _)| known == part);
                text(value.map(|(_, word)| word.text.as_str()))
            }
            // Only profiles know the others.
            _ => TokenValue::Unknown,
        }
    }

    fn place(&self, name: &str) -> TokenValue {
        if name == "scene" {
            let folder = self.common.scene.as_ref().map(|scene| scene.folder());
            if let Some(folder) = folder {
                return TokenValue::Path(folder.to_owned());
            }
        }
        let mut places = self.common.project_values.places.iter();
        match places.find(|(known, _)| known == name) {
            Some((_, folder)) => TokenValue::Path(folder.clone()),
            None if name == "scene" => TokenValue::Nothing,
            None => TokenValue::Unknown,
        }
    }
}

impl Deliverable {
    fn known(&self) -> KnownValues<'_> {
        KnownValues {
            common: &self.common,
            pass: self.pass.as_ref(),
            picture: Some(&self.picture),
            movie: self.movie(),
            settings: &self.settings,
        }
    }

    /// The value of a token of templates, by its name.
    #[must_use]
    pub fn token(&self, name: &str) -> TokenValue {
        self.known().token(name)
    }

    /// The value of a token of templates; `part` is what stands in for `NAME` in `settings.NAME`.
    pub(crate) fn value(&self, token: Token, part: &str) -> TokenValue {
        self.known().value(token, part)
    }
}
