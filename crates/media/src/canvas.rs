//! A picture in memory, and how it is written.

use std::io::{self, Seek, Write};

use exr::prelude::{
    AnyChannel, AnyChannels, Encoding, FlatSamples, Image, Layer, LayerAttributes, WritableImage,
};
use truepath_core::picture::{Bits, Channels, Region, Size};

use crate::exr_compression::lossless;

/// A picture of scene-linear values, row by row, channels side by side.
#[derive(Debug, Clone)]
pub struct Canvas {
    /// Width and height in pixels.
    pub size: Size,
    /// The channels.
    pub channels: Channels,
    /// `width * height * channels` values.
    pub values: Vec<f32>,
}

/// Why a picture cannot be written.
#[derive(Debug, thiserror::Error)]
pub enum EncodeError {
    /// The format cannot hold it.
    #[error("{0}")]
    Cannot(String),
    /// The PNG library refused.
    #[error("PNG: {0}")]
    Png(#[from] png::EncodingError),
    /// The EXR library refused.
    #[error("EXR: {0}")]
    Exr(#[from] exr::error::Error),
    /// The disk refused.
    #[error(transparent)]
    Io(#[from] io::Error),
}

impl Canvas {
    /// A picture of zeros.
    #[must_use]
    pub fn new(size: Size, channels: Channels) -> Self {
        let count = size.width as usize * size.height as usize * channels.count();
        Self {
            size,
            channels,
            values: vec![0.0; count],
        }
    }

    /// The part of it inside a region.
    ///
    /// # Errors
    /// When the region is not inside the picture.
    pub fn part(&self, region: Region) -> Result<Self, EncodeError> {
        if !region.is_inside(self.size) {
            return Err(EncodeError::Cannot(format!(
                "{region} is not inside {}",
                self.size
            )));
        }
        let count = self.channels.count();
        let mut part = Self::new(region.size, self.channels);
        let line = region.size.width as usize * count;
        for (row, values) in part.values.chunks_exact_mut(line).enumerate() {
            let above = region.top as usize + row;
            let start = (above * self.size.width as usize + region.left as usize) * count;
            values.copy_from_slice(&self.values[start..start + line]);
        }
        Ok(part)
    }

    /// Writes a PNG; values are clamped to 0 … 1 and written as they are.
    ///
    /// # Errors
    /// When PNG has no such bits or the writer fails.
    pub fn write_png(&self, out: impl Write, bits: Bits) -> Result<(), EncodeError> {
        let mut encoder = png::Encoder::new(out, self.size.width, self.size.height);
        encoder.set_color(match self.channels {
            Channels::Gray => png::ColorType::Grayscale,
            Channels::GrayAlpha => png::ColorType::GrayscaleAlpha,
            Channels::Rgb => png::ColorType::Rgb,
            Channels::Rgba => png::ColorType::Rgba,
        });
        encoder.set_compression(png::Compression::Fast);
        let data: Vec<u8> = match bits {
            Bits::Eight => {
                encoder.set_depth(png::BitDepth::Eight);
                self.values
                    .iter()
                    .map(|value| scaled(*value, 255.0) as u8)
                    .collect()
            }
            Bits::Sixteen => {
                encoder.set_depth(png::BitDepth::Sixteen);
                self.values
                    .iter()
                    .flat_map(|value| (scaled(*value, 65535.0) as u16).to_be_bytes())
                    .collect()
            }
            other => return Err(EncodeError::Cannot(format!("PNG has no {other} bits"))),
        };
        let mut writer = encoder.write_header()?;
        writer.write_image_data(&data)?;
        writer.finish()?;
        Ok(())
    }
}

/// Writes an EXR of one or several planes, each with the name of its layer (`""` for none), all of
/// one size. `aspect` is the width of a pixel by its height.
///
/// # Errors
/// When EXR has no such bits or compression, or the writer fails.
pub fn write_exr(
    planes: &[(String, Canvas)],
    out: impl Write + Seek,
    bits: Bits,
    compression: &str,
    aspect: f32,
) -> Result<(), EncodeError> {
    let refused = || EncodeError::Cannot(format!("no `{compression}` compression here"));
    let compression = lossless(compression).ok_or_else(refused)?;
    let mut channels = Vec::new();
    for (layer, canvas) in planes {
        let names: &[&str] = match canvas.channels {
            Channels::Gray => &["Y"],
            Channels::GrayAlpha => &["Y", "A"],
            Channels::Rgb => &["R", "G", "B"],
            Channels::Rgba => &["R", "G", "B", "A"],
        };
        for (index, name) in names.iter().enumerate() {
            let plane = canvas.values[index..].iter().step_by(names.len());
            let samples = match bits {
                Bits::Half => {
                    FlatSamples::F16(plane.map(|value| half::f16::from_f32(*value)).collect())
                }
                Bits::Float => FlatSamples::F32(plane.copied().collect()),
                other => return Err(EncodeError::Cannot(format!("EXR has no {other} bits"))),
            };
            let name = [layer.as_str(), name].join(".");
            channels.push(AnyChannel::new(name.trim_start_matches('.'), samples));
        }
    }
    let Some((_, first)) = planes.first() else {
        return Err(EncodeError::Cannot("a file without planes".to_owned()));
    };
    let layer = Layer::new(
        (first.size.width as usize, first.size.height as usize),
        LayerAttributes::default(),
        Encoding {
            compression,
            ..Encoding::FAST_LOSSLESS
        },
        AnyChannels::sort(channels.into()),
    );
    let mut image = Image::from_layer(layer);
    image.attributes.pixel_aspect = aspect;
    // One thread, so that the same picture always has the same bytes.
    image.write().non_parallel().to_buffered(out)?;
    Ok(())
}

fn scaled(value: f32, most: f32) -> f32 {
    (value.clamp(0.0, 1.0) * most).round()
}
