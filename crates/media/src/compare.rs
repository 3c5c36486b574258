//! How much two pictures differ, pixel by pixel.

use std::path::Path;

use truepath_core::picture::{DisplayOptions, FileFormat, PixelFault, Size, encoded_srgb};

use crate::examine::recognise;
use crate::facts::Flaw;
use crate::layers::{PictureLayer, read_layers};
use crate::proxy::{BYTES_OF_A_PIXEL, Proxy, ProxyOptions, proxy_in};
use crate::raster::Raster;
use crate::similarity::mean_similarity;

/// In which values pictures are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ComparedValues {
    /// In linear light, as rendered.
    #[default]
    Linear,
    /// As a display shows them, from 0 to 1 by the curve of sRGB.
    Display,
}

/// How much two pictures differ. Colors are compared multiplied by their alpha, and alpha by itself; values of 8 and
/// 16 bits go from 0 to 1. Gray counts like three equal colors, so that its figures are those of its one channel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Difference {
    /// The largest difference of a color value.
    pub largest: f32,
    /// The mean difference of all color values.
    pub mean: f64,
    /// The root mean square of the differences of all color values.
    pub rms: f64,
    /// The largest, the mean and the root mean square of the differences of alpha.
    pub alpha: (f32, f64, f64),
    /// Peak signal to noise ratio of the color values for a peak of 1, in decibels; infinite where none differs.
    pub psnr: f64,
    /// Structural similarity of the brightness (Wang and others, 2004), in blocks of 8 by 8 pixels: 1 where nothing
    /// differs.
    pub ssim: f64,
    /// The part of the pixels of which a value differs by more than the tolerance, from 0 to 1.
    pub share: f64,
    /// Pixels of which one picture has a number and the other has none.
    pub broken: u64,
}

/// Why two pictures cannot be compared.
#[derive(Debug, thiserror::Error)]
pub enum CompareError {
    /// The first is no whole picture.
    #[error("the first: {0}")]
    First(Flaw),
    /// The second is no whole picture.
    #[error("the second: {0}")]
    Second(Flaw),
    /// They have different sizes.
    #[error("the first has {0} pixels and the second {1}")]
    Sizes(Size, Size),
    /// The second file has no layer of that name.
    #[error("only the first has this layer")]
    OnlyFirst,
    /// The first file has no layer of that name.
    #[error("only the second has this layer")]
    OnlySecond,
}

/// Layers of two files by their names.
type LayerPairs = Vec<(String, Result<Pair, CompareError>)>;

/// Two pictures of one size, decoded whole.
#[derive(Debug)]
pub struct Pair {
    first: Proxy,
    second: Proxy,
}

/// The weights of red, green and blue in brightness: ITU-R BT.709.
const WEIGHTS: [f32; 3] = [0.2126, 0.7152, 0.0722];

impl Pair {
    /// Decodes two pictures in so many bytes of memory.
    ///
    /// # Errors
    /// When one is not whole, their sizes differ, or they are too large.
    pub fn read(first: &Path, second: &Path, most_memory: u64) -> Result<Self, CompareError> {
        let options = ProxyOptions {
            within: Size::square(u32::MAX),
            is_data: false,
        };
        let first = proxy_in(first, options, most_memory / 2).map_err(CompareError::First)?;
        let second = proxy_in(second, options, most_memory / 2).map_err(CompareError::Second)?;
        Self::of(first, second)
    }

    /// Decodes two pictures layer by layer: the layers of OpenEXR files by their names, in the order of the first file; of
    /// other formats there is one without a name. A layer that only one of them has cannot be compared.
    ///
    /// # Errors
    /// When one is not whole, or they are too large for so many bytes of memory.
    pub fn by_layer(
        first: &Path,
        second: &Path,
        most_memory: u64,
    ) -> Result<LayerPairs, CompareError> {
        let is_exr = |path: &Path| {
            let format = recognise(path).ok().flatten();
            format.is_some_and(|format| format.format == Some(FileFormat::Exr))
        };
        if !is_exr(first) || !is_exr(second) {
            return Ok(vec![(
                String::new(),
                Self::read(first, second, most_memory),
            )]);
        }
        let mine = read_layers(first, most_memory / 2).map_err(CompareError::First)?;
        let theirs = read_layers(second, most_memory / 2).map_err(CompareError::Second)?;
        let find = |layers: &[PictureLayer], name: &str| {
            layers.iter().position(|layer| layer.name == name)
        };
        let both = mine.iter().map(|layer| {
            let other = find(&theirs, &layer.name).ok_or(CompareError::OnlyFirst);
            let pair = other.and_then(|at| Self::of(layer.proxy(), theirs[at].proxy()));
            (layer.name.clone(), pair)
        });
        let only = theirs
            .iter()
            .filter(|layer| find(&mine, &layer.name).is_none());
        let only = only.map(|layer| (layer.name.clone(), Err(CompareError::OnlySecond)));
        Ok(both.chain(only).collect())
    }

    /// How much two files differ in linear light, over all of their layers: the largest root mean square, and the
    /// largest part of the pixels of which a value differs.
    ///
    /// # Errors
    /// When one is not whole, they are not of one kind, or they are too large for so many bytes of memory.
    pub fn rms_and_share(
        first: &Path,
        second: &Path,
        most_memory: u64,
    ) -> Result<(f64, f64), CompareError> {
        let (mut rms, mut share) = (0.0_f64, 0.0_f64);
        for (_, pair) in Self::by_layer(first, second, most_memory)? {
            let difference = pair?.difference(ComparedValues::Linear, 0.0);
            let away = difference.rms.max(difference.alpha.2);
            let is_broken = difference.broken > 0 && away == 0.0;
            rms = rms.max(if is_broken { 1.0 } else { away });
            share = share.max(difference.share);
        }
        Ok((rms, share))
    }

    fn of(first: Proxy, second: Proxy) -> Result<Self, CompareError> {
        if first.size != second.size {
            return Err(CompareError::Sizes(first.size, second.size));
        }
        Ok(Self { first, second })
    }

    /// The bytes of memory that it takes to decode it.
    #[must_use]
    pub fn memory(&self) -> u64 {
        2 * self.first.pixels.len() as u64 * BYTES_OF_A_PIXEL
    }

    /// Both as a display shows them, with no more pixels on a side than that.
    #[must_use]
    pub fn sides(&self, longest: u32) -> [Raster; 2] {
        [&self.first, &self.second].map(|proxy| {
            let shown = proxy.shown(DisplayOptions::default());
            shown.reduced(longest)
        })
    }

    /// What else is in the files and is not compared, such as further layers, in sentences.
    #[must_use]
    pub fn notes(&self) -> Vec<String> {
        let mut notes = [&self.first.notes[..], &self.second.notes[..]].concat();
        notes.sort();
        notes.dedup();
        notes
    }

    /// How much they differ.
    #[must_use]
    pub fn difference(&self, values: ComparedValues, tolerance: f32) -> Difference {
        let (mut color, mut alpha) = (Sums::default(), Sums::default());
        let (mut beyond, mut broken) = (0_u64, 0);
        for (one, other) in self.pixels(values) {
            let (Some(one), Some(other)) = (one, other) else {
                // Both without a number are alike.
                if one.is_some() != other.is_some() {
                    broken += 1;
                    beyond += 1;
                }
                continue;
            };
            let away: [f32; 4] = std::array::from_fn(|at| (one[at] - other[at]).abs());
            away[..3].iter().for_each(|away| color.add(*away));
            alpha.add(away[3]);
            beyond += u64::from(away.iter().any(|away| *away > tolerance));
        }
        let rms = color.rms();
        Difference {
            largest: color.largest,
            mean: color.mean(),
            rms,
            alpha: (alpha.largest, alpha.mean(), alpha.rms()),
            psnr: if rms > 0.0 {
                -20.0 * rms.log10()
            } else {
                f64::INFINITY
            },
            ssim: self.similarity(values),
            share: beyond as f64 / self.first.pixels.len().max(1) as f64,
            broken,
        }
    }

    /// The difference as a picture, so many times as bright; black where nothing differs.
    #[must_use]
    pub fn picture(&self, values: ComparedValues, gain: f32) -> Raster {
        let size = self.first.size;
        let mut raster = Raster::new(size, [0; 3]);
        for (at, (one, other)) in (0..).zip(self.pixels(values)) {
            let color = match (one, other) {
                (Some(one), Some(other)) => [0, 1, 2].map(|channel| {
                    let away = (one[channel] - other[channel])
                        .abs()
                        .max((one[3] - other[3]).abs());
                    (away * gain * 255.0).clamp(0.0, 255.0) as u8
                }),
                (None, None) => [0; 3],
                _ => [255, 0, 255],
            };
            raster.set(at % size.width.max(1), at / size.width.max(1), color);
        }
        raster
    }

    /// The values of the pixels of both; none of those that are no numbers.
    fn pixels(
        &self,
        values: ComparedValues,
    ) -> impl Iterator<Item = (Option<[f32; 4]>, Option<[f32; 4]>)> + '_ {
        let of = move |proxy: &Proxy, at: usize| {
            let is_number = proxy.faults[at] == PixelFault::None;
            is_number.then(|| shown(proxy.pixels[at], values))
        };
        (0..self.first.pixels.len()).map(move |at| (of(&self.first, at), of(&self.second, at)))
    }

    /// The mean structural similarity of their brightness.
    fn similarity(&self, values: ComparedValues) -> f64 {
        let light = |proxy: &Proxy, at: usize| {
            let pixel = shown(proxy.pixels[at], values);
            let light = pixel
                .iter()
                .zip(WEIGHTS)
                .map(|(value, weight)| value * weight);
            let light: f32 = light.sum();
            f64::from(if light.is_finite() { light } else { 0.0 })
        };
        let lights = |at: usize| (light(&self.first, at), light(&self.second, at));
        mean_similarity(self.first.size, lights)
    }
}

/// Differences, added up.
#[derive(Default)]
struct Sums {
    largest: f32,
    sum: f64,
    squares: f64,
    count: u64,
}

impl Sums {
    fn add(&mut self, away: f32) {
        self.largest = self.largest.max(away);
        self.sum += f64::from(away);
        self.squares += f64::from(away) * f64::from(away);
        self.count += 1;
    }

    fn mean(&self) -> f64 {
        self.sum / self.count.max(1) as f64
    }

    fn rms(&self) -> f64 {
        (self.squares / self.count.max(1) as f64).sqrt()
    }
}

fn shown(pixel: [f32; 4], values: ComparedValues) -> [f32; 4] {
    match values {
        ComparedValues::Linear => pixel,
        ComparedValues::Display => {
            let [red, green, blue, alpha] = pixel;
            let [red, green, blue] = [red, green, blue].map(encoded_srgb);
            [red, green, blue, alpha.clamp(0.0, 1.0)]
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn proxy(pixels: Vec<[f32; 4]>) -> Proxy {
        let size = Size {
            width: 8,
            height: (pixels.len() / 8) as u32,
        };
        Proxy {
            source: size,
            size,
            faults: vec![PixelFault::None; pixels.len()],
            notes: Vec::new(),
            pixels,
        }
    }

    fn ramp() -> Vec<[f32; 4]> {
        (0..64)
            .map(|at| [at as f32 / 64.0, 0.5, 0.25, 1.0])
            .collect()
    }

    #[test]
    fn the_same_picture_does_not_differ() {
        let pair = Pair {
            first: proxy(ramp()),
            second: proxy(ramp()),
        };
        let seen = pair.difference(ComparedValues::Linear, 0.0);
        assert_eq!(
            (seen.largest, seen.mean, seen.share, seen.broken),
            (0.0, 0.0, 0.0, 0)
        );
        assert!(seen.psnr.is_infinite() && (seen.ssim - 1.0).abs() < 1e-9);
        assert!(
            pair.picture(ComparedValues::Linear, 100.0)
                .bytes()
                .iter()
                .all(|byte| *byte == 0)
        );
    }

    #[test]
    fn the_numbers_are_those_of_the_pixels() {
        let mut other = ramp();
        // One color value of 192 differs by a half.
        other[10][1] = 1.0;
        let mut second = proxy(other);
        let first = proxy(ramp());
        let pair = Pair {
            first: first.clone(),
            second: second.clone(),
        };
        let seen = pair.difference(ComparedValues::Linear, 0.1);
        assert_eq!((seen.largest, seen.share), (0.5, 1.0 / 64.0));
        assert!((seen.mean - 0.5 / 192.0).abs() < 1e-9);
        assert!(
            (seen.psnr - -10.0 * (0.25_f64 / 192.0).log10()).abs() < 1e-6,
            "{}",
            seen.psnr
        );
        assert!(seen.ssim < 0.999);
        assert_eq!(seen.alpha, (0.0, 0.0, 0.0));
        assert_eq!(pair.difference(ComparedValues::Linear, 0.5).share, 0.0);
        // What is no number in one of them alone differs, whatever the tolerance.
        second.faults[3] = PixelFault::NotANumber;
        let pair = Pair { first, second };
        let seen = pair.difference(ComparedValues::Linear, 9.0);
        assert_eq!((seen.broken, seen.share), (1, 1.0 / 64.0));
    }

    /// A gray picture of 40 by 40 pixels, as PNG and as EXR.
    fn files() -> (tempfile::TempDir, [std::path::PathBuf; 2]) {
        let folder = tempfile::tempdir().unwrap();
        let png = folder.path().join("a.png");
        let mut encoder = png::Encoder::new(std::fs::File::create(&png).unwrap(), 40, 40);
        encoder.set_color(png::ColorType::Grayscale);
        let mut writer = encoder.write_header().unwrap();
        writer.write_image_data(&[90; 1600]).unwrap();
        writer.finish().unwrap();
        let exr = folder.path().join("a.exr");
        exr::prelude::write_rgb_file(&exr, 40, 40, |_, _| (0.5_f32, 0.5_f32, 0.5_f32)).unwrap();
        (folder, [png, exr])
    }

    #[test]
    fn pictures_that_are_too_large_for_the_memory_are_refused_and_not_decoded() {
        let (_folder, files) = files();
        // A pixel takes 37 bytes, on each side.
        let needed = 2 * 1600 * 37;
        for file in &files {
            let pair = Pair::read(file, file, needed).unwrap();
            assert_eq!(pair.memory(), needed);
            let error = Pair::read(file, file, needed - 2).unwrap_err().to_string();
            assert!(error.contains("and the limit is 0 MB"), "{error}");
            let layers = Pair::by_layer(file, file, 1 << 20).unwrap();
            assert!(layers[0].1.is_ok());
            let refused = match Pair::by_layer(file, file, 1000) {
                Err(error) => error,
                Ok(mut layers) => layers.remove(0).1.unwrap_err(),
            };
            assert!(matches!(
                refused,
                CompareError::First(Flaw::Unverifiable(_))
            ));
        }
    }
}
