//! What a movie must be, and what it is assembled from.

use std::sync::Arc;

use super::picture::{extension, picture};
use super::{Color, Deliverable, PathTemplate, Picture, ProblemKind};
use crate::job::Key;
use crate::movie::{
    AudioCodecFacts, CodecFacts, ContainerFacts, Corner, PixelFormat, container_of_extension,
    pixel_format,
};
use crate::precedence::Chain;
use crate::profile::Profile;
use crate::source::{Place, Sourced};

/// What a movie must be; what nobody sets is the encoder's choice.
#[derive(Debug, Clone)]
pub struct Movie {
    /// The kind of file.
    pub container: &'static ContainerFacts,
    /// The output whose sequence it is assembled from; none for a movie that the engine writes.
    pub from: Option<Sourced<String>>,
    /// That sequence.
    pub source: Option<Arc<Deliverable>>,
    /// How its pictures are coded; none only where the engine writes it.
    pub codec: Option<Sourced<&'static CodecFacts>>,
    /// How good it is.
    pub quality: Option<Sourced<String>>,
    /// Bits per second.
    pub rate: Option<Sourced<i64>>,
    /// How its pixels are stored.
    pub pixels: Option<Sourced<&'static PixelFormat>>,
    /// The absolute path of its sound, with `/` between components.
    pub audio: Option<Sourced<String>>,
    /// When the sound begins, in milliseconds from the first frame; negative, so much of it is left out.
    pub audio_offset: Option<Sourced<i64>>,
    /// Further sounds that are heard with it.
    pub more_audio: Vec<Sound>,
    /// A text in every frame.
    pub burn_in: Option<PathTemplate>,
    /// Where that text stands.
    pub burn_in_corner: Option<Sourced<Corner>>,
    /// Frames of a slate before the first.
    pub slate: Option<Sourced<i64>>,
    /// How its sound is coded.
    pub audio_codec: Option<Sourced<&'static AudioCodecFacts>>,
}

/// A sound of a movie.
#[derive(Debug, Clone, PartialEq)]
pub struct Sound {
    /// The absolute path, with `/` between components, and where it is set.
    pub file: Sourced<String>,
    /// When it begins, in milliseconds from the first frame; negative, so much of its beginning is left out.
    pub offset: i64,
}

impl Movie {
    /// All of its sounds, the main one first.
    #[must_use]
    pub fn sounds(&self) -> Vec<Sound> {
        let offset = self.audio_offset.as_ref().map_or(0, |offset| offset.value);
        let file = self.audio.clone();
        let main = file.map(|file| Sound { file, offset });
        main.into_iter()
            .chain(self.more_audio.iter().cloned())
            .collect()
    }

    /// How its pixels are stored: as the job says it, else as its encoder usually does.
    #[must_use]
    pub(crate) fn stored_pixels(&self, encoder: &Profile) -> Option<&'static PixelFormat> {
        if let Some(pixels) = &self.pixels {
            return Some(pixels.value);
        }
        let codec = self.codec.as_ref()?.value.name;
        let usual = encoder.usual_pixels.iter().find(|(name, _)| name == codec);
        pixel_format(&usual?.1)
    }

    /// Frames that the file has besides those of the shot.
    #[must_use]
    pub fn slate_frames(&self) -> u64 {
        let slate = self.slate.as_ref();
        slate.map_or(0, |slate| slate.value.unsigned_abs())
    }

    /// Whether the engine writes it itself.
    #[must_use]
    pub fn is_direct(&self) -> bool {
        self.from.is_none()
    }
}

/// The container of a movie, and where it is set, when it is not taken from the extension.
///
/// # Errors
/// When neither says it.
pub(super) fn container(
    chain: &Chain<'_>,
    path: &PathTemplate,
) -> Result<(&'static ContainerFacts, Option<Place>), ProblemKind> {
    if let Some(container) = chain.get::<&ContainerFacts>(Key::MovieContainer) {
        return Ok((container.value, Some(container.place)));
    }
    match extension(&path.template).and_then(container_of_extension) {
        Some(container) => Ok((container, None)),
        None => Err(ProblemKind::Unset(Key::MovieContainer)),
    }
}

/// What the pictures of a movie are: those of its source, else what its own output says; none where
/// nothing says it. The file is the container's.
pub(super) fn pictures(
    chain: &Chain<'_>,
    path: &PathTemplate,
    source: Option<&Deliverable>,
    (container, container_place): (&'static ContainerFacts, Option<Place>),
) -> Option<Picture> {
    let pictures = match source {
        Some(source) => source.picture.clone(),
        None => picture(chain, &path.template, Some(&container.format))?,
    };
    Some(Picture {
        color: Color {
            transfer: chain.get(Key::ColorTransfer).or(pictures.color.transfer),
            pixels: pictures.color.pixels,
        },
        format: &container.format,
        format_place: container_place,
        channels: None,
        bits: None,
        compression: None,
        quality: None,
        ..pictures
    })
}

/// A movie of a container, from a source, with a sound.
pub(super) fn movie(
    chain: &Chain<'_>,
    container: &'static ContainerFacts,
    source: Option<Arc<Deliverable>>,
    audio: Option<Sourced<String>>,
    more_audio: Vec<Sound>,
) -> Movie {
    Movie {
        container,
        from: chain.get(Key::MovieFrom),
        source,
        codec: chain.get(Key::MovieCodec),
        quality: chain.get(Key::MovieQuality),
        rate: chain.get(Key::MovieRate),
        pixels: chain.get(Key::MoviePixels),
        audio,
        more_audio,
        audio_offset: chain.get(Key::AudioOffset),
        burn_in: chain
            .setting(Key::BurnInText)
            .and_then(PathTemplate::of_setting),
        burn_in_corner: chain.get(Key::BurnInCorner),
        slate: chain.get(Key::Slate),
        audio_codec: chain.get(Key::MovieAudioCodec),
    }
}
