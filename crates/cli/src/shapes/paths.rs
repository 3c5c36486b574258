//! What `truepath paths --format json` prints.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::deliverable::{Deliverable, DeliverableKind, Movie};
use truepath_core::job::PlacedText;

/// All that is to be made
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Paths {
    /// The version of this shape
    pub(crate) version: u32,
    /// In the order in which they are made
    pub(crate) deliverables: Vec<PathsEntry>,
}

/// A sequence of files, a still or a movie
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PathsEntry {
    /// `sequence`, `still` or `movie`
    made: &'static str,
    shot: String,
    variant: Option<String>,
    view: Option<String>,
    preset: Option<String>,
    camera: Option<String>,
    output: String,
    /// The pass; of several passes in a file the file's name
    pass: Option<String>,
    /// What each file holds
    planes: Vec<PlaneShape>,
    /// The output whose files these are made of, without rendering; null where they are rendered
    from: Option<String>,
    engine: String,
    /// The template of the paths, as the job has it
    template: String,
    /// The tokens of the template with their values
    values: BTreeMap<String, String>,
    /// The path, with the frame as a token
    path: String,
    /// The frames that are wanted
    frames: String,
    /// How many files that makes
    files: u64,
    /// The path of the first frame
    first: Option<String>,
    /// The path of the last frame
    last: Option<String>,
    /// The file format; of a movie the container
    format: String,
    /// `gray`, `graya`, `rgb` or `rgba`
    channels: Option<String>,
    /// `8`, `10`, `12`, `16`, `half` or `float`
    bits: Option<String>,
    compression: Option<String>,
    /// From 1 to 100
    quality: Option<i64>,
    /// Width and height of the whole picture in pixels, such as `512x512`
    size: Option<String>,
    /// The part of it that is rendered, such as `64x48 at 10,20`
    crop: Option<String>,
    /// The width of a pixel by its height
    pixel_aspect: Option<f64>,
    color: ColorShape,
    /// More of a movie
    movie: Option<MovieShape>,
}

/// A pass of a view
#[derive(Debug, Serialize, JsonSchema)]
struct PlaneShape {
    pass: Option<String>,
    view: Option<String>,
}

/// What the values of pixels are
#[derive(Debug, Serialize, JsonSchema)]
struct ColorShape {
    /// `linear`, `display` or `data`; null where it is not set
    pixels: Option<&'static str>,
    /// How linear pixels become ready for display
    transfer: Option<&'static str>,
}

/// What a movie is
#[derive(Debug, Serialize, JsonSchema)]
struct MovieShape {
    /// The output whose sequence it is assembled from; null where the engine writes it
    from: Option<String>,
    /// The frames that it shows
    frames: String,
    codec: Option<&'static str>,
    quality: Option<String>,
    /// Bits per second
    rate: Option<i64>,
    /// Sampling and bits, such as `4:2:0 8`
    pixels: Option<&'static str>,
    /// Frames per second
    fps: Option<String>,
    /// The path of its sound
    audio: Option<String>,
    /// Further sounds that are heard with it
    more_audio: Vec<String>,
    audio_codec: Option<&'static str>,
}

fn text(word: Option<&PlacedText>) -> Option<String> {
    PlacedText::text_of(word).map(str::to_owned)
}

impl PathsEntry {
    /// `values` are those of the template's tokens; `written` writes a path for its system.
    pub(crate) fn of(
        one: &Deliverable,
        values: Vec<(String, String)>,
        written: &dyn Fn(&str) -> String,
    ) -> Self {
        let common = &one.common;
        let picture = &one.picture;
        let frames = &common.frames.selected;
        let path = |frame| written(&one.path(frame));
        Self {
            made: match one.kind {
                DeliverableKind::Sequence => "sequence",
                DeliverableKind::Still => "still",
                DeliverableKind::Movie(_) => "movie",
            },
            shot: common.names.shot.clone(),
            variant: text(common.names.variant.as_ref()),
            view: text(common.names.view.as_ref()),
            preset: common
                .names
                .preset
                .as_ref()
                .map(|preset| preset.value.clone()),
            camera: text(common.names.camera.as_ref()),
            output: common.names.output.clone(),
            pass: text(one.pass.as_ref()),
            planes: one
                .planes
                .iter()
                .map(|plane| PlaneShape {
                    pass: text(plane.pass.as_ref()),
                    view: text(plane.view.as_ref()),
                })
                .collect(),
            from: one
                .layer_sources
                .first()
                .map(|source| source.deliverable.common.names.output.clone()),
            engine: common.engine.name.clone(),
            template: one.template.template.to_string(),
            values: values.into_iter().collect(),
            path: written(&one.pattern.sketch()),
            frames: frames.to_string(),
            files: frames.count(),
            first: frames.first().map(path),
            last: frames.last().map(path),
            format: picture.format.name.to_owned(),
            channels: picture.channels.as_ref().map(|one| one.value.to_string()),
            bits: picture.bits.as_ref().map(|one| one.value.to_string()),
            compression: picture.compression.as_ref().map(|one| one.value.clone()),
            quality: picture.quality.as_ref().map(|one| one.value),
            size: picture.size.as_ref().map(|one| one.value.to_string()),
            crop: picture.crop.as_ref().map(|one| one.value.to_string()),
            pixel_aspect: picture.pixel_aspect.as_ref().map(|one| one.value.decimal()),
            color: ColorShape {
                pixels: picture
                    .color
                    .pixels
                    .as_ref()
                    .map(|pixels| pixels.value.name()),
                transfer: picture.color.transfer.as_ref().map(|one| one.value.name),
            },
            movie: one.movie().map(|movie| MovieShape::of(one, movie, written)),
        }
    }
}

impl MovieShape {
    fn of(one: &Deliverable, movie: &Movie, written: &dyn Fn(&str) -> String) -> Self {
        Self {
            from: movie.from.as_ref().map(|from| from.value.clone()),
            frames: one.common.frames.shot.to_string(),
            codec: movie.codec.as_ref().map(|codec| codec.value.name),
            quality: movie.quality.as_ref().map(|quality| quality.value.clone()),
            rate: movie.rate.as_ref().map(|rate| rate.value),
            pixels: movie.pixels.as_ref().map(|pixels| pixels.value.name),
            fps: one.common.fps.map(|fps| fps.to_string()),
            audio: movie.audio.as_ref().map(|audio| written(&audio.value)),
            more_audio: movie
                .more_audio
                .iter()
                .map(|sound| written(&sound.file.value))
                .collect(),
            audio_codec: movie.audio_codec.as_ref().map(|codec| codec.value.name),
        }
    }
}
