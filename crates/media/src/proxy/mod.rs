//! Small pictures of large ones: decoded whole, averaged in linear light while the rows come, in little memory.

mod curve;
mod sums;

use std::fs::File;
use std::io::BufReader;
use std::path::Path;

use image::{DynamicImage, ImageReader};
use truepath_core::picture::{DisplayOptions, FileFormat, PixelFault, Size, display};

use crate::examine::{decode_with, recognise};
use crate::facts::{ExpectedPicture, Flaw, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};
use crate::quiet;
use crate::raster::Raster;
pub use curve::DisplayCurve;
pub(crate) use sums::ProxySums;

/// How a proxy is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ProxyOptions {
    /// Pixels across and down at most; a smaller picture stays as large as it is.
    pub within: Size,
    /// Whether values are data that is no light, and are taken as they are.
    pub is_data: bool,
}

/// A small picture in linear light.
#[derive(Debug, Clone, PartialEq)]
pub struct Proxy {
    /// The size of the file's picture.
    pub source: Size,
    /// Its own size.
    pub size: Size,
    /// Red, green, blue and alpha of each pixel, row by row; colors are multiplied by alpha.
    pub pixels: Vec<[f32; 4]>,
    /// Pixels with values that are no numbers, of the same order.
    pub faults: Vec<PixelFault>,
    /// Whether the file holds light, and not values that are ready for a display.
    pub is_linear: bool,
    /// What else is in the file, such as further layers, in sentences.
    pub notes: Vec<String>,
}

impl Proxy {
    /// What a display shows of it.
    #[must_use]
    pub fn shown(&self, options: DisplayOptions) -> Raster {
        let mut raster = Raster::new(self.size, [0; 3]);
        for y in 0..self.size.height {
            for x in 0..self.size.width {
                let at = y as usize * self.size.width as usize + x as usize;
                let color = display(self.pixels[at], self.faults[at], (x, y), options);
                raster.set(x, y, color);
            }
        }
        raster
    }

    /// The least and the greatest color value of it; none where no value is a number.
    #[must_use]
    pub fn range(&self) -> Option<(f32, f32)> {
        let numbers = self.pixels.iter().zip(&self.faults);
        let numbers = numbers.filter(|(_, fault)| **fault == PixelFault::None);
        let values = numbers.flat_map(|(pixel, _)| pixel[..3].iter().copied());
        let mut range: Option<(f32, f32)> = None;
        for value in values {
            let (low, high) = range.unwrap_or((value, value));
            range = Some((low.min(value), high.max(value)));
        }
        range
    }
}

/// The proxy of a picture, which is decoded whole.
///
/// # Errors
/// What is wrong with the file, or that it is of a kind that cannot be shown.
pub fn proxy(path: &Path, options: ProxyOptions) -> Result<Proxy, Flaw> {
    let format = recognise(path)?;
    let format = format.ok_or_else(|| Flaw::unverifiable("it is no picture of a known format"))?;
    // Decoded by the strict reader first, which compares it with nothing but itself.
    let wanted = ExpectedPicture::of_format(format);
    let is_linear = matches!(format.format, Some(FileFormat::Exr | FileFormat::Hdr));
    let is_encoded = !is_linear && !options.is_data;
    let is_straight = format.format != Some(FileFormat::Exr);
    let sums = ProxySums::new(options.within, is_encoded, is_straight);
    let mut file = File::open(path)?;
    let mut meter = Meter::of_pixels(sums);
    let facts = decode_with(&mut file, &wanted, &mut meter)?;
    let sums = meter.into_pixels().filter(ProxySums::is_whole);
    if let Some(sums) = sums {
        return Ok(sums.proxy(facts.notes));
    }
    // Formats whose reader gives no rows.
    let mut sums = ProxySums::new(options.within, is_encoded, is_straight);
    let image = quiet::decoding(|| by_library(path));
    let image =
        image.unwrap_or_else(|| Err(Flaw::Broken("the decoder gave up on it".to_owned())))?;
    take(&image, &mut sums);
    Ok(sums.proxy(facts.notes))
}

fn by_library(path: &Path) -> Result<DynamicImage, Flaw> {
    let reader = BufReader::new(File::open(path)?);
    let mut reader = ImageReader::new(reader).with_guessed_format()?;
    if reader.format().is_none()
        && let Some(extension) = path.extension()
        && let Some(format) = image::ImageFormat::from_extension(extension)
    {
        reader.set_format(format);
    }
    let mut limits = image::Limits::default();
    limits.max_alloc = Some(MOST_MEMORY);
    reader.limits(limits);
    reader
        .decode()
        .map_err(|error| Flaw::unverifiable(format!("it cannot be shown: {error}")))
}

/// Takes the pixels of a decoded picture.
fn take(image: &DynamicImage, sums: &mut ProxySums) {
    let size = Size {
        width: image.width(),
        height: image.height(),
    };
    let has_alpha = image.color().has_alpha();
    if matches!(
        image,
        DynamicImage::ImageRgb32F(_) | DynamicImage::ImageRgba32F(_)
    ) {
        let floats = image.to_rgba32f();
        sums.begin(size, 4, true);
        for (row, pixels) in (0..).zip(floats.chunks_exact(size.width as usize * 4)) {
            let bytes: Vec<u8> = pixels
                .iter()
                .flat_map(|value| value.to_le_bytes())
                .collect();
            sums.row(
                0,
                row,
                &[RowPart::interleaved(&bytes, SampleKind::Float, 4)],
            );
        }
        return;
    }
    let is_deep = image.color().bits_per_pixel() / u16::from(image.color().channel_count()) > 8;
    let channels = if has_alpha { 4 } else { 3 };
    sums.begin(size, channels, has_alpha);
    let mut rows = |bytes: &[u8], kind: SampleKind| {
        let length = size.width as usize * channels * kind.bytes();
        for (row, bytes) in (0..).zip(bytes.chunks_exact(length.max(1))) {
            sums.row(0, row, &[RowPart::interleaved(bytes, kind, channels)]);
        }
    };
    let little =
        |values: &[u16]| -> Vec<u8> { values.iter().flat_map(|one| one.to_le_bytes()).collect() };
    match (is_deep, has_alpha) {
        (false, false) => rows(&image.to_rgb8(), SampleKind::Eight),
        (false, true) => rows(&image.to_rgba8(), SampleKind::Eight),
        (true, false) => rows(&little(&image.to_rgb16()), SampleKind::SixteenLittle),
        (true, true) => rows(&little(&image.to_rgba16()), SampleKind::SixteenLittle),
    }
}
