//! Layered pictures as OpenRaster: a zip of PNG files with a list of them (baseline of the specification 0.0.6).

use std::io::{self, Seek, Write};
use std::path::{Path, PathBuf};

use truepath_core::picture::{FileFormat, PixelFault, Size, encoded_srgb};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use crate::examine::recognise;
use crate::facts::Flaw;
use crate::facts::MOST_MEMORY;
use crate::proxy::{Proxy, ProxyOptions, proxy};
use crate::regular_file::read_regular;

/// A layer to be written.
#[derive(Debug, Clone)]
pub struct OpenRasterLayer {
    /// What it is called; any text.
    pub name: String,
    /// Its picture.
    pub path: PathBuf,
}

/// Why layers cannot be written as OpenRaster.
#[derive(Debug, thiserror::Error)]
pub enum OpenRasterError {
    /// A picture is not whole, or cannot be shown.
    #[error("{}: {flaw}", path.display())]
    Picture {
        /// Which.
        path: PathBuf,
        /// What is wrong with it.
        flaw: Flaw,
    },
    /// The pictures have several sizes.
    #[error("{} has {found} pixels, and the first layer {first}", path.display())]
    Sizes {
        /// Which has another one.
        path: PathBuf,
        /// Its size.
        found: Size,
        /// That of the first.
        first: Size,
    },
    /// There is nothing to write.
    #[error("there are no layers")]
    Empty,
    /// The file cannot be written.
    #[error("{0}")]
    Write(#[from] io::Error),
}

/// The longest side of the thumbnail: what the specification asks for.
const THUMBNAIL: u32 = 256;

/// Writes layers into one file, the lowest first. A PNG stays as it is, byte for byte; what is linear is encoded by the
/// curve of sRGB in 16 bits, with its colors divided by their alpha. Same pictures, same bytes.
///
/// # Errors
/// When a picture is not whole, the pictures have several sizes, or the file cannot be written.
pub fn write_open_raster(
    layers: &[OpenRasterLayer],
    out: impl Write + Seek,
) -> Result<(), OpenRasterError> {
    let mut zip = ZipWriter::new(out);
    // The first file says what it is, and can be read without a zip.
    begin(&mut zip, "mimetype")?;
    zip.write_all(b"image/openraster")?;
    let mut size: Option<Size> = None;
    let mut merged: Vec<[f32; 4]> = Vec::new();
    let mut list = String::new();
    for (at, layer) in layers.iter().enumerate() {
        let failed = |flaw: Flaw| OpenRasterError::Picture {
            path: layer.path.clone(),
            flaw,
        };
        let whole = ProxyOptions {
            within: Size::square(u32::MAX),
            is_data: false,
        };
        let picture = proxy(&layer.path, whole).map_err(failed)?;
        let first = *size.get_or_insert(picture.size);
        if picture.size != first {
            return Err(OpenRasterError::Sizes {
                path: layer.path.clone(),
                found: picture.size,
                first,
            });
        }
        let name = format!("data/layer{at}.png");
        let bytes = png_of(&layer.path, &picture).map_err(failed)?;
        begin(&mut zip, &name)?;
        zip.write_all(&bytes)?;
        merge(&mut merged, &picture);
        // The list begins with the uppermost.
        list.insert_str(
            0,
            &format!(
                "    <layer name=\"{}\" src=\"{name}\" x=\"0\" y=\"0\" opacity=\"1.0\" visibility=\"visible\" composite-op=\"svg:src-over\"/>\n",
                escaped(&layer.name)
            ),
        );
    }
    let size = size.ok_or(OpenRasterError::Empty)?;
    begin(&mut zip, "stack.xml")?;
    write!(
        zip,
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<image version=\"0.0.6\" w=\"{}\" h=\"{}\" xres=\"72\" yres=\"72\">\n  <stack>\n{list}  </stack>\n</image>\n",
        size.width, size.height
    )?;
    let merged_proxy = Proxy {
        source: size,
        size,
        faults: vec![PixelFault::None; merged.len()],
        pixels: merged,
        notes: Vec::new(),
    };
    begin(&mut zip, "mergedimage.png")?;
    zip.write_all(&encoded(&merged_proxy, size, png::BitDepth::Eight)?)?;
    begin(&mut zip, "Thumbnails/thumbnail.png")?;
    let small = reduced(&merged_proxy);
    zip.write_all(&encoded(&small, small.size, png::BitDepth::Eight)?)?;
    zip.finish().map_err(io::Error::other)?;
    Ok(())
}

fn begin(zip: &mut ZipWriter<impl Write + Seek>, name: &str) -> io::Result<()> {
    // Pictures are packed already, and what is stored as it is can be read by everybody.
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .last_modified_time(DateTime::default())
        .unix_permissions(0o644);
    zip.start_file(name, options).map_err(io::Error::other)
}

/// The bytes of a layer.
fn png_of(path: &Path, picture: &Proxy) -> Result<Vec<u8>, Flaw> {
    let is_png = recognise(path)?.is_some_and(|format| format.format == Some(FileFormat::Png));
    if is_png {
        return Ok(read_regular(path, MOST_MEMORY)?);
    }
    Ok(encoded(picture, picture.size, png::BitDepth::Sixteen)?)
}

/// A picture as PNG with alpha by the curve of sRGB. Pixels that are no numbers are magenta.
fn encoded(picture: &Proxy, size: Size, depth: png::BitDepth) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, size.width, size.height);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(depth);
    encoder.set_source_srgb(png::SrgbRenderingIntent::Perceptual);
    let mut writer = encoder.write_header().map_err(io::Error::other)?;
    let mut samples = Vec::with_capacity(picture.pixels.len() * 8);
    for (pixel, fault) in picture.pixels.iter().zip(&picture.faults) {
        let [red, green, blue, alpha] = match fault {
            PixelFault::None => *pixel,
            PixelFault::NotANumber | PixelFault::Infinite => [1.0, 0.0, 1.0, 1.0],
        };
        let alpha = alpha.clamp(0.0, 1.0);
        let straight = |value: f32| {
            let value = if alpha > 0.0 { value / alpha } else { 0.0 };
            encoded_srgb(value)
        };
        for value in [straight(red), straight(green), straight(blue), alpha] {
            match depth {
                png::BitDepth::Sixteen => {
                    samples.extend(((value * 65_535.0).round() as u16).to_be_bytes());
                }
                _ => samples.push((value * 255.0).round() as u8),
            }
        }
    }
    writer
        .write_image_data(&samples)
        .map_err(io::Error::other)?;
    writer.finish().map_err(io::Error::other)?;
    Ok(bytes)
}

/// Puts a picture over what there is: colors are multiplied by their alpha.
fn merge(below: &mut Vec<[f32; 4]>, picture: &Proxy) {
    if below.is_empty() {
        below.extend(&picture.pixels);
        return;
    }
    for (under, over) in below.iter_mut().zip(&picture.pixels) {
        let rest = 1.0 - over[3].clamp(0.0, 1.0);
        for (under, over) in under.iter_mut().zip(over) {
            *under = over + *under * rest;
        }
    }
}

/// The same no larger than a thumbnail, by the nearest pixels.
fn reduced(picture: &Proxy) -> Proxy {
    let longest = picture.size.width.max(picture.size.height).max(1);
    let side = |side: u32| {
        let scaled = u64::from(side) * u64::from(THUMBNAIL.min(longest)) / u64::from(longest);
        (scaled as u32).max(1)
    };
    let size = Size {
        width: side(picture.size.width),
        height: side(picture.size.height),
    };
    let mut pixels = Vec::with_capacity(size.width as usize * size.height as usize);
    for y in 0..u64::from(size.height) {
        for x in 0..u64::from(size.width) {
            let from_x = x * u64::from(picture.size.width) / u64::from(size.width);
            let from_y = y * u64::from(picture.size.height) / u64::from(size.height);
            let at = from_y * u64::from(picture.size.width) + from_x;
            pixels.push(picture.pixels.get(at as usize).copied().unwrap_or_default());
        }
    }
    Proxy {
        source: picture.source,
        size,
        faults: vec![PixelFault::None; pixels.len()],
        pixels,
        notes: Vec::new(),
    }
}

/// A text as the value of an attribute of XML. What XML cannot hold becomes a space.
fn escaped(text: &str) -> String {
    let mut escaped = String::new();
    for letter in text.chars() {
        match letter {
            '&' => escaped.push_str("&amp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' => escaped.push_str("&quot;"),
            letter if letter.is_control() => escaped.push(' '),
            letter => escaped.push(letter),
        }
    }
    escaped
}
