//! Small pictures of large ones: decoded whole, averaged in linear light while the rows come, in little memory.

mod curve;
mod full;
mod sums;

use std::io::BufReader;
use std::path::Path;

use image::{DynamicImage, ImageReader};
use truepath_core::picture::{DisplayOptions, FileFormat, PixelFault, PixelValues, Size, display};

use crate::examine::{decode_with, recognise};
use crate::facts::{ExpectedPicture, Flaw, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};
use crate::quiet;
use crate::raster::Raster;
use crate::regular_file::open_regular;
pub use curve::DisplayCurve;
use full::FullRows;
use sums::ProxySums;

/// How a proxy is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ProxyOptions {
    /// Pixels across and down at most; a smaller picture stays as large as it is.
    pub within: Size,
    /// Whether values are data that is no light, and are taken as they are.
    pub is_data: bool,
}

/// The pixels of a picture take so many bytes of memory at most.
const MOST_PIXELS: u64 = 1 << 30;

/// The pixels of any picture, however short its file is, may take so many bytes.
const MOST_OF_ANY: u64 = 256 << 20;
/// And so many more for each byte of its file. Deflate packs 1032 bytes into one at most (zlib, Technical Details), and a
/// pixel takes more memory than it has bytes.
const MOST_RATIO: u64 = 4000;

/// Bytes of a pixel of a proxy while it is made: sums, their number, a fault, and the mean values that they become.
pub(crate) const BYTES_OF_A_PIXEL: u64 = 16 + 4 + 1 + 16;

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
    proxy_in(path, options, MOST_PIXELS)
}

/// The same in so many bytes of memory.
pub(crate) fn proxy_in(
    path: &Path,
    options: ProxyOptions,
    most_memory: u64,
) -> Result<Proxy, Flaw> {
    let target = |values: ValueKind| {
        let mut sums = ProxySums::new(options.within, values.is_encoded, values.is_straight);
        sums.most_memory = most_memory;
        PixelTarget::Proxy(sums)
    };
    let values = options.is_data.then_some(PixelValues::Data);
    match pixels(path, values, &target)? {
        (PixelTarget::Proxy(sums), notes) => Ok(sums.proxy(notes)),
        (PixelTarget::Full(_), _) => Err(Flaw::unverifiable("it is no proxy")),
    }
}

/// A picture in its full size as a display shows it on black, as a frame of a movie; light by a curve, and values that
/// are ready for a display as they are. What the values are follows from the format where nobody says it.
///
/// # Errors
/// What is wrong with the file, or that it is of a kind that cannot be shown.
pub fn displayed(
    path: &Path,
    light: &DisplayCurve,
    values: Option<PixelValues>,
) -> Result<Raster, Flaw> {
    let target = |values: ValueKind| PixelTarget::Full(FullRows::new(light.clone(), values));
    match pixels(path, values, &target)? {
        (PixelTarget::Full(rows), _) => Ok(rows.raster()),
        (PixelTarget::Proxy(_), _) => Err(Flaw::unverifiable("it is a proxy")),
    }
}

/// What the values of a file are.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ValueKind {
    /// Whether they are those of a display, and become light by the curve of sRGB.
    pub(crate) is_encoded: bool,
    /// Whether colors are not multiplied by alpha.
    pub(crate) is_straight: bool,
}

/// What takes the pixels of a picture.
pub(crate) enum PixelTarget {
    /// Sums for a smaller picture.
    Proxy(ProxySums),
    /// All of them.
    Full(FullRows),
}

impl PixelTarget {
    /// Begins a picture; false of a second one in the same file.
    pub(crate) fn begin(&mut self, size: Size, channels: usize, has_alpha: bool) -> bool {
        match self {
            Self::Proxy(sums) => sums.begin(size, channels, has_alpha),
            Self::Full(rows) => rows.begin(size, channels, has_alpha),
        }
    }

    /// Takes the samples of a row, or of a part of it that begins at a column.
    pub(crate) fn row(&mut self, column: u32, row: u32, parts: &[RowPart<'_>]) {
        match self {
            Self::Proxy(sums) => sums.row(column, row, parts),
            Self::Full(rows) => rows.row(column, row, parts),
        }
    }

    /// Allows no more memory than the length of its file justifies: a few bytes can claim any number of pixels.
    fn limit_by_length(&mut self, bytes: u64) {
        let most = MOST_OF_ANY.saturating_add(bytes.saturating_mul(MOST_RATIO));
        match self {
            Self::Proxy(sums) => sums.most_memory = sums.most_memory.min(most),
            Self::Full(rows) => rows.most_memory = rows.most_memory.min(most),
        }
    }

    /// What is wrong with a picture that has too many pixels.
    fn too_large(&self) -> Option<Flaw> {
        let (bytes, most) = match self {
            Self::Proxy(sums) => (sums.too_large?, sums.most_memory),
            Self::Full(rows) => (rows.too_large?, rows.most_memory),
        };
        Some(Flaw::needs_memory(bytes, most))
    }

    /// Whether every pixel has come.
    fn is_whole(&self) -> bool {
        match self {
            Self::Proxy(sums) => sums.is_whole(),
            Self::Full(rows) => rows.is_whole(),
        }
    }
}

/// Hands the pixels of a picture, which is decoded whole, to what takes them; with what else is in the file.
fn pixels(
    path: &Path,
    values: Option<PixelValues>,
    target: &dyn Fn(ValueKind) -> PixelTarget,
) -> Result<(PixelTarget, Vec<String>), Flaw> {
    let format = recognise(path)?;
    let format = format.ok_or_else(|| Flaw::unverifiable("it is no picture of a known format"))?;
    // Decoded by the strict reader first, which compares it with nothing but itself.
    let wanted = ExpectedPicture::of_format(format);
    let is_linear = matches!(format.format, Some(FileFormat::Exr | FileFormat::Hdr));
    let kind = ValueKind {
        is_encoded: match values {
            Some(values) => values == PixelValues::Display,
            None => !is_linear,
        },
        is_straight: format.format != Some(FileFormat::Exr),
    };
    let mut file = open_regular(path)?;
    let length = file.metadata()?.len();
    let target = |kind| {
        let mut target = target(kind);
        target.limit_by_length(length);
        target
    };
    let mut meter = Meter::of_pixels(target(kind));
    let facts = decode_with(&mut file, &wanted, &mut meter)?;
    let taken = meter.into_pixels();
    if let Some(flaw) = taken.as_ref().and_then(PixelTarget::too_large) {
        return Err(flaw);
    }
    if let Some(whole) = taken.filter(PixelTarget::is_whole) {
        return Ok((whole, facts.notes));
    }
    // Formats whose reader gives no rows.
    let mut target = target(kind);
    let image = quiet::decoding(|| by_library(path));
    let image =
        image.unwrap_or_else(|| Err(Flaw::Broken("the decoder gave up on it".to_owned())))?;
    take(&image, &mut target);
    match target.too_large() {
        Some(flaw) => Err(flaw),
        None => Ok((target, facts.notes)),
    }
}

fn by_library(path: &Path) -> Result<DynamicImage, Flaw> {
    let reader = BufReader::new(open_regular(path)?);
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
fn take(image: &DynamicImage, target: &mut PixelTarget) {
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
        target.begin(size, 4, true);
        for (row, pixels) in (0..).zip(floats.chunks_exact(size.width as usize * 4)) {
            let bytes: Vec<u8> = pixels
                .iter()
                .flat_map(|value| value.to_le_bytes())
                .collect();
            target.row(
                0,
                row,
                &[RowPart::interleaved(&bytes, SampleKind::Float, 4)],
            );
        }
        return;
    }
    let is_deep = image.color().bits_per_pixel() / u16::from(image.color().channel_count()) > 8;
    let channels = if has_alpha { 4 } else { 3 };
    target.begin(size, channels, has_alpha);
    let mut rows = |bytes: &[u8], kind: SampleKind| {
        let length = size.width as usize * channels * kind.bytes();
        for (row, bytes) in (0..).zip(bytes.chunks_exact(length.max(1))) {
            target.row(0, row, &[RowPart::interleaved(bytes, kind, channels)]);
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
