//! What a movie must be, and what it is put together from.

use std::sync::Arc;

use super::common::Asked;
use super::expand::{At, Expander, Walk};
use super::planes::{FileOf, files};
use super::resolve::{extension, listed, picture, template, transfer};
use super::{Common, Deliverable, Color, PathTemplate, Picture, ProblemKind};
use crate::engine::Profile;
use crate::job::{Key, NamedTable, Value, Word};
use crate::layers::{Chain, Scope};
use crate::movie::{
    AudioCodecFacts, CodecFacts, ContainerFacts, PixelFormat, container_of_extension, pixel_format,
};
use crate::source::Sourced;

/// What a movie must be; what nobody sets is the encoder's choice.
#[derive(Debug, Clone)]
pub struct Movie {
    /// The kind of file.
    pub container: &'static ContainerFacts,
    /// The output whose sequence it is put together from; none for a movie that the engine writes.
    pub from: Option<Sourced<String>>,
    /// That sequence.
    pub source: Option<Arc<Deliverable>>,
    /// How its pictures are coded; none only where the engine writes it.
    pub codec: Option<Sourced<&'static CodecFacts>>,
    /// How good it is.
    pub quality: Option<Sourced<String>>,
    /// Bits a second.
    pub rate: Option<Sourced<i64>>,
    /// How its pixels are stored.
    pub pixels: Option<Sourced<&'static PixelFormat>>,
    /// The absolute path of its sound, with `/` between components.
    pub audio: Option<Sourced<String>>,
    /// How its sound is coded.
    pub audio_codec: Option<Sourced<&'static AudioCodecFacts>>,
}

impl Movie {
    /// How its pixels are stored: as the job says it, else as its encoder usually does.
    #[must_use]
    pub fn stored_pixels(&self, encoder: &Profile) -> Option<&'static PixelFormat> {
        if let Some(pixels) = &self.pixels {
            return Some(pixels.value);
        }
        let codec = self.codec.as_ref()?.value.name;
        let usual = encoder.usual_pixels.iter().find(|(name, _)| name == codec);
        pixel_format(&usual?.1)
    }

    /// Whether the engine writes it itself.
    #[must_use]
    pub fn is_direct(&self) -> bool {
        self.from.is_none()
    }
}

/// What an output is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum OutputKind {
    Sequence,
    Still,
    Movie,
}

impl<'j> Expander<'j> {
    /// What an output is, by its own table: what a layer above says of all movies makes none.
    pub(super) fn kind(&self, output: &NamedTable) -> OutputKind {
        let says = |key| {
            let own = output.table.get(key);
            let short = || self.job.short.then(|| self.job.project.get(key)).flatten();
            own.or_else(short)
        };
        let direct =
            says(Key::MovieDirect).is_some_and(|setting| setting.value.value == Value::Truth(true));
        if direct || says(Key::MovieFrom).is_some() {
            OutputKind::Movie
        } else if says(Key::Still).is_some() {
            OutputKind::Still
        } else {
            OutputKind::Sequence
        }
    }

    /// The movie of an output, and what its pictures are; what stands in the way is told.
    pub(super) fn movie(
        &mut self,
        walk: Walk<'j, '_>,
        chain: &Chain<'j>,
        common: &Common,
        path: &PathTemplate,
    ) -> Option<(Movie, Picture)> {
        let container = chain.value(Key::MovieContainer, |value| match value {
            Value::Container(container) => Some(*container),
            _ => None,
        });
        let (container, container_place) = match container {
            Some(container) => (container.value, Some(container.place)),
            None => match extension(&path.template).and_then(container_of_extension) {
                Some(container) => (container, None),
                None => {
                    self.problem(
                        ProblemKind::Unset(Key::MovieContainer),
                        path.place.clone(),
                        1,
                    );
                    return None;
                }
            },
        };
        let from = chain.text(Key::MovieFrom);
        let codec = chain.value(Key::MovieCodec, |value| match value {
            Value::Codec(codec) => Some(*codec),
            _ => None,
        });
        if codec.is_none() && from.is_some() {
            let place = walk.at.output.name_place.clone();
            self.problem(ProblemKind::Unset(Key::MovieCodec), place, 1);
            return None;
        }
        let source = match &from {
            Some(from) => Some(self.source(walk, from, common.camera.as_ref())?),
            None => None,
        };
        let pictures = match &source {
            Some(source) => source.picture.clone(),
            // The size and the like of its own output; the file is the container's.
            None => picture(chain, &path.template, Some(&container.format))?,
        };
        let audio = match chain.get(Key::Audio) {
            Some(setting) => {
                let path = template(setting)?;
                let scene = self.scene(&path, common, 1)?;
                Some(setting.value.with(scene.path))
            }
            None => None,
        };
        let movie = Movie {
            container,
            from,
            source,
            codec,
            quality: chain.text(Key::MovieQuality),
            rate: chain.value(Key::MovieRate, |value| match value {
                Value::Number(rate) => Some(*rate),
                _ => None,
            }),
            pixels: chain.value(Key::MoviePixels, |value| match value {
                Value::Pixels(pixels) => Some(*pixels),
                _ => None,
            }),
            audio,
            audio_codec: chain.value(Key::MovieAudioCodec, |value| match value {
                Value::AudioCodec(codec) => Some(*codec),
                _ => None,
            }),
        };
        let pictures = Picture {
            color: Color {
                transfer: transfer(chain).or(pictures.color.transfer),
                linear: pictures.color.linear,
            },
            format: &container.format,
            format_place: container_place,
            channels: None,
            bits: None,
            compression: None,
            quality: None,
            ..pictures
        };
        Some((movie, pictures))
    }

    /// The sequence that a movie is put together from.
    fn source(
        &mut self,
        walk: Walk<'j, '_>,
        from: &Sourced<String>,
        camera: Option<&Word>,
    ) -> Option<Arc<Deliverable>> {
        let Walk { at, scope, shared } = walk;
        let job = self.job;
        let named = job.outputs.iter().find(|output| output.name == from.value);
        let Some(output) = named.filter(|output| self.kind(output) == OutputKind::Sequence) else {
            let names: Vec<&str> = job
                .outputs
                .iter()
                .filter(|output| self.kind(output) == OutputKind::Sequence)
                .map(|output| output.name.as_str())
                .collect();
            let kind = ProblemKind::strange("output of a sequence", &from.value, &names);
            self.problem(kind, from.place.clone(), 1);
            return None;
        };
        let source_at = At { output, ..at };
        let chain = self.chain(
            source_at,
            Scope {
                pass: None,
                ..scope
            },
        );
        let passes: Vec<&Word> = listed(&chain, Key::Passes).into_iter().flatten().collect();
        match scope.pass {
            None if passes.len() > 1 => {
                let place = from.place.clone();
                self.problem(ProblemKind::Unset(Key::MoviePass), place, 1);
                return None;
            }
            Some(pass) if !passes.is_empty() && passes.iter().all(|one| one.text != pass) => {
                let names: Vec<&str> = passes.iter().map(|word| word.text.as_str()).collect();
                let place = self
                    .chain(at, scope)
                    .get(Key::MoviePass)
                    .map_or(&from.place, |setting| &setting.value.place)
                    .clone();
                let kind = ProblemKind::strange("pass of that output", pass, &names);
                self.problem(kind, place, 1);
                return None;
            }
            _ => {}
        }
        let pass = scope.pass.or(passes.first().map(|word| word.text.as_str()));
        let scope = Scope { pass, ..scope };
        let chain = self.chain(source_at, scope);
        // What is wrong with it is told of the sequence itself, where that is chosen.
        let asked = Asked {
            kind: OutputKind::Sequence,
            count: 0,
        };
        let mut common = self.common(source_at, &chain, shared, asked)?;
        common.camera = camera.cloned();
        let words: Vec<Option<&Word>> = passes.into_iter().map(Some).collect();
        let of_pass = |file: &FileOf<'j>| {
            let names: Vec<Option<&str>> =
                file.passes.iter().map(|one| Word::text_of(*one)).collect();
            names.contains(&pass)
        };
        let words = if words.is_empty() { vec![None] } else { words };
        let file = files(&chain, &words).into_iter().find(of_pass)?;
        let planes = file.planes(shared.views);
        let walk = Walk {
            at: source_at,
            scope,
            shared,
        };
        self.deliverable(walk, &Arc::new(common), (file.name, planes), &chain)
            .map(Arc::new)
    }
}
