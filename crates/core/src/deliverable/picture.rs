//! What pictures must be.

use std::time::Duration;

use crate::job::Key;
use crate::picture::{
    Bits, Channels, FormatFacts, PixelValues, Ratio, Region, Size, TransferFacts,
    format_of_extension,
};
use crate::precedence::Chain;
use crate::source::{Place, Sourced};
use crate::template::{Part, Template};

/// What pictures must be; what nobody sets is the engine's choice.
#[derive(Debug, Clone)]
pub struct Picture {
    /// The file format.
    pub format: &'static FormatFacts,
    /// Where the format is set, when it is not taken from the extension.
    pub format_place: Option<Place>,
    /// The channels.
    pub channels: Option<Sourced<Channels>>,
    /// The bits of a channel.
    pub bits: Option<Sourced<Bits>>,
    /// The compression.
    pub compression: Option<Sourced<String>>,
    /// How well a lossy file keeps the picture, from 1 to 100.
    pub quality: Option<Sourced<i64>>,
    /// The samples that a frame is done with.
    pub stop_samples: Option<Sourced<i64>>,
    /// The time after which a frame is done.
    pub stop_time: Option<Sourced<Duration>>,
    /// Width and height of the whole picture, in pixels.
    pub size: Option<Sourced<Size>>,
    /// The part of it that is rendered.
    pub crop: Option<Sourced<Region>>,
    /// Width of a pixel by its height: numerator and denominator.
    pub pixel_aspect: Option<Sourced<Ratio>>,
    /// What the values of the pixels are.
    pub color: Color,
}

impl Picture {
    /// Width and height of the files, in pixels.
    #[must_use]
    pub fn file_size(&self) -> Option<Size> {
        let crop = self.crop.as_ref().map(|crop| crop.value.size);
        crop.or(self.size.as_ref().map(|size| size.value))
    }

    /// The same of pixels that are taken from another picture: its size, its part and its color.
    pub(super) fn of_layer(self, source: &Self) -> Self {
        Self {
            size: source.size.clone(),
            crop: source.crop.clone(),
            pixel_aspect: source.pixel_aspect.clone(),
            color: source.color.clone(),
            quality: None,
            stop_samples: None,
            stop_time: None,
            ..self
        }
    }

    /// The limits at which a frame is done, as a mark behind a fingerprint: pictures that differ in these alone go on from
    /// the same checkpoints. Empty where there are none.
    #[must_use]
    pub fn limit_mark(&self) -> String {
        let samples = self.stop_samples.as_ref();
        let samples = samples.map(|one| format!("-{} samples", one.value));
        let time = self.stop_time.as_ref();
        let time = time.map(|one| format!("-{} s", one.value.as_secs_f64()));
        [samples, time].into_iter().flatten().collect()
    }

    /// Whether the pixels are linear light: set, or because the format usually holds it.
    #[must_use]
    pub(crate) fn is_light(&self) -> bool {
        let set = self.color.pixels.as_ref().map(|pixels| pixels.value);
        set.map_or_else(
            || self.format.is_light(),
            |pixels| pixels == PixelValues::Linear,
        )
    }

    /// Whether the pixels are no light, but data.
    #[must_use]
    pub fn is_data(&self) -> bool {
        let pixels = self.color.pixels.as_ref();
        pixels.is_some_and(|pixels| pixels.value == PixelValues::Data)
    }

    /// Whether the files have 8 bits: set, or because the format has no others.
    #[must_use]
    pub(crate) fn has_eight_bits(&self) -> bool {
        match &self.bits {
            Some(bits) => bits.value == Bits::Eight,
            None => self.format.bits == [Bits::Eight],
        }
    }

    /// What the files must be, by name; pictures with equal requirements are alike.
    #[must_use]
    pub fn requirements(&self) -> Vec<(&'static str, String)> {
        [
            ("format", Some(self.format.name.to_owned())),
            (
                "channels",
                self.channels.as_ref().map(|one| one.value.to_string()),
            ),
            ("bits", self.bits.as_ref().map(|one| one.value.to_string())),
            (
                "compression",
                self.compression.as_ref().map(|one| one.value.clone()),
            ),
            (
                "quality",
                self.quality.as_ref().map(|one| one.value.to_string()),
            ),
            ("size", self.size.as_ref().map(|one| one.value.to_string())),
            ("crop", self.crop.as_ref().map(|one| one.value.to_string())),
            (
                "pixel-aspect",
                self.pixel_aspect.as_ref().map(|one| one.value.to_string()),
            ),
        ]
        .into_iter()
        .filter_map(|(name, value)| Some((name, value?)))
        .collect()
    }
}

/// What the values of pixels are, as the job says it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Color {
    /// What they are; unset, nobody knows.
    pub pixels: Option<Sourced<PixelValues>>,
    /// How linear pixels become ready for display.
    pub transfer: Option<Sourced<&'static TransferFacts>>,
}

/// The picture that is wanted; `None` when neither a key nor the extension gives the format, and
/// it is not given.
pub(super) fn picture(
    chain: &Chain<'_>,
    path: &Template,
    given: Option<&'static FormatFacts>,
) -> Option<Picture> {
    let format = chain.get::<&FormatFacts>(Key::Format);
    let (format, format_place) = match (given, format) {
        (Some(format), _) => (format, None),
        (None, Some(format)) => (format.value, Some(format.place)),
        (None, None) => (format_of_extension(extension(path)?)?, None),
    };
    let mut picture = Picture {
        format,
        format_place,
        channels: chain.get(Key::Channels),
        bits: chain.get(Key::Bits),
        compression: chain.get(Key::Compression),
        quality: chain.get(Key::Quality),
        stop_samples: chain.get(Key::StopAtSamples),
        stop_time: chain.get(Key::StopAtTime),
        size: chain.get(Key::Size),
        crop: chain.get(Key::Crop),
        pixel_aspect: chain.get(Key::PixelAspect),
        color: Color {
            pixels: chain
                .get::<String>(Key::ColorPixels)
                // Other words are refused where the job is read.
                .map(|pixels| {
                    pixels.map(|word| PixelValues::of_name(&word).unwrap_or(PixelValues::Display))
                }),
            transfer: chain.get(Key::ColorTransfer),
        },
    };
    if let Some(scale) = chain.value::<Ratio>(Key::Scale) {
        if let Some(size) = &mut picture.size {
            size.value = size.value.scaled(scale);
        }
        if let Some(crop) = &mut picture.crop {
            crop.value = crop.value.scaled(scale);
        }
    }
    Some(picture)
}

/// The extension that a path ends in, as far as it is written out.
pub(super) fn extension(path: &Template) -> Option<&str> {
    match path.parts().last()? {
        Part::Text(text) => Some(text.rsplit_once('.')?.1),
        Part::Token(_) | Part::Optional(_) => None,
    }
}
