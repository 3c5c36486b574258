//! A picture as a display shows it, to draw on: rectangles, other pictures and text.

use std::io::{self, Write};

use image::codecs::jpeg::JpegEncoder;
use noto_sans_mono_bitmap::{FontWeight, RasterHeight, get_raster, get_raster_width};
use truepath_core::movie::Corner;
use truepath_core::picture::Size;

/// Red, green and blue of 8 bits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Raster {
    size: Size,
    /// Row by row.
    pixels: Vec<[u8; 3]>,
}

/// How text is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Weight {
    /// As usual, 16 pixels high.
    #[default]
    Regular,
    /// Bold, 20 pixels high.
    Title,
}

impl Weight {
    fn font(self) -> (FontWeight, RasterHeight) {
        match self {
            Self::Regular => (FontWeight::Regular, RasterHeight::Size16),
            Self::Title => (FontWeight::Bold, RasterHeight::Size20),
        }
    }

    /// Pixels of a line.
    #[must_use]
    pub fn height(self) -> u32 {
        self.font().1.val() as u32
    }
}

/// Pixels that a text takes across.
#[must_use]
pub fn text_width(text: &str, weight: Weight) -> u32 {
    let (font, height) = weight.font();
    (text.chars().count() * get_raster_width(font, height)) as u32
}

/// A text that fits: cut in its middle, where it does not.
#[must_use]
pub fn fitted_text(text: &str, width: u32, weight: Weight) -> String {
    if text_width(text, weight) <= width {
        return text.to_owned();
    }
    let letter = text_width("m", weight).max(1);
    let most = ((width / letter) as usize).saturating_sub(1);
    let letters: Vec<char> = text.chars().collect();
    let (front, back) = (most / 2, most - most / 2);
    let mut cut: String = letters[..front].iter().collect();
    cut.push('·');
    cut.extend(&letters[letters.len() - back..]);
    cut
}

impl Raster {
    /// A picture of one color.
    #[must_use]
    pub fn new(size: Size, color: [u8; 3]) -> Self {
        let count = size.width as usize * size.height as usize;
        Self {
            size,
            pixels: vec![color; count],
        }
    }

    /// A picture of pixels, row by row; black where there are too few.
    #[must_use]
    pub fn of_pixels(size: Size, mut pixels: Vec<[u8; 3]>) -> Self {
        pixels.resize(size.width as usize * size.height as usize, [0; 3]);
        Self { size, pixels }
    }

    /// The left upper part of it, of another size; black where it has no pixels.
    #[must_use]
    pub fn cut(&self, size: Size) -> Self {
        let mut part = Self::new(size, [0; 3]);
        part.draw((0, 0), self);
        part
    }

    /// Its size.
    #[must_use]
    pub fn size(&self) -> Size {
        self.size
    }

    /// A pixel; black outside.
    #[must_use]
    pub fn pixel(&self, x: u32, y: u32) -> [u8; 3] {
        self.place(x, y).map_or([0; 3], |at| self.pixels[at])
    }

    /// Sets a pixel; nothing outside.
    pub fn set(&mut self, x: u32, y: u32, color: [u8; 3]) {
        if let Some(at) = self.place(x, y) {
            self.pixels[at] = color;
        }
    }

    /// Its bytes: red, green, blue, row by row.
    #[must_use]
    pub fn bytes(&self) -> &[u8] {
        self.pixels.as_flattened()
    }

    /// The same with so many pixels on its longer side at most: of several pixels the brightest is kept, so that no
    /// difference is lost.
    #[must_use]
    pub fn reduced(&self, longest: u32) -> Self {
        let longer = self.size.width.max(self.size.height);
        if longer <= longest {
            return self.clone();
        }
        let fitted =
            |side: u32| ((u64::from(side) * u64::from(longest) / u64::from(longer)) as u32).max(1);
        let size = Size {
            width: fitted(self.size.width),
            height: fitted(self.size.height),
        };
        let mut small = Self::new(size, [0; 3]);
        for y in 0..self.size.height {
            for x in 0..self.size.width {
                let scaled = |at: u32, of: u32, from: u32| {
                    (u64::from(at) * u64::from(of) / u64::from(from)) as u32
                };
                let to = (
                    scaled(x, size.width, self.size.width),
                    scaled(y, size.height, self.size.height),
                );
                let (known, here) = (small.pixel(to.0, to.1), self.pixel(x, y));
                small.set(to.0, to.1, [0, 1, 2].map(|at| known[at].max(here[at])));
            }
        }
        small
    }

    /// The same without the rows below the last that is not of the color of its last pixel, but for some of them.
    #[must_use]
    pub fn without_empty_bottom(&self, margin: u32) -> Self {
        let Some(empty) = self.pixels.last().copied() else {
            return self.clone();
        };
        let width = (self.size.width as usize).max(1);
        let mut rows = self.pixels.chunks_exact(width);
        let used = rows.rposition(|row| row.iter().any(|pixel| *pixel != empty));
        let height = (used.map_or(0, |row| row as u32 + 1) + margin).min(self.size.height);
        Self {
            size: Size {
                height,
                ..self.size
            },
            pixels: self.pixels[..height as usize * width].to_vec(),
        }
    }

    /// Fills a rectangle.
    pub fn fill(&mut self, (left, top): (u32, u32), size: Size, color: [u8; 3]) {
        for y in top..top.saturating_add(size.height).min(self.size.height) {
            for x in left..left.saturating_add(size.width).min(self.size.width) {
                self.set(x, y, color);
            }
        }
    }

    /// Draws another picture.
    pub fn draw(&mut self, (left, top): (u32, u32), other: &Self) {
        for y in 0..other.size.height {
            for x in 0..other.size.width {
                self.set(left + x, top + y, other.pixel(x, y));
            }
        }
    }

    /// Draws a line of text; a letter that the font lacks is a box. What does not fit is cut. Gives whether a letter
    /// was missing.
    pub fn text(
        &mut self,
        (left, top): (u32, u32),
        text: &str,
        color: [u8; 3],
        weight: Weight,
    ) -> bool {
        let (font, height) = weight.font();
        let width = get_raster_width(font, height) as u32;
        let mut is_missing = false;
        for (at, letter) in (0..).zip(text.chars()) {
            let x = left + at * width;
            let Some(drawn) = get_raster(letter, font, height) else {
                is_missing = true;
                self.frame((x + 1, top + 2), (width - 2, weight.height() - 4), color);
                continue;
            };
            for (row, line) in (0..).zip(drawn.rows()) {
                for (column, opacity) in (0..).zip(line.iter()) {
                    if *opacity > 0 {
                        let behind = self.pixel(x + column, top + row);
                        self.set(x + column, top + row, mixed(behind, color, *opacity));
                    }
                }
            }
        }
        is_missing
    }

    /// Draws a text on black into a corner, no larger than fits.
    pub fn burn_in(&mut self, text: &str, corner: Corner) {
        const MARGIN: u32 = 6;
        let size = self.size;
        let weight = if size.height >= 360 {
            Weight::Title
        } else {
            Weight::Regular
        };
        let text = fitted_text(text, size.width.saturating_sub(2 * MARGIN), weight);
        let plate = Size {
            width: (text_width(&text, weight) + 2 * MARGIN).min(size.width),
            height: (weight.height() + 2).min(size.height),
        };
        let (right, bottom) = (size.width - plate.width, size.height - plate.height);
        let place = match corner {
            Corner::TopLeft => (0, 0),
            Corner::TopRight => (right, 0),
            Corner::BottomLeft => (0, bottom),
            Corner::BottomRight => (right, bottom),
        };
        self.fill(place, plate, [0; 3]);
        self.text((place.0 + MARGIN, place.1 + 1), &text, [235; 3], weight);
    }

    /// The outline of a rectangle.
    pub fn frame(&mut self, (left, top): (u32, u32), (width, height): (u32, u32), color: [u8; 3]) {
        for x in left..left + width {
            self.set(x, top, color);
            self.set(x, top + height.saturating_sub(1), color);
        }
        for y in top..top + height {
            self.set(left, y, color);
            self.set(left + width.saturating_sub(1), y, color);
        }
    }

    /// Writes it as PNG.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn write_png(&self, out: impl Write) -> io::Result<()> {
        let mut encoder = png::Encoder::new(out, self.size.width, self.size.height);
        encoder.set_color(png::ColorType::Rgb);
        encoder.set_depth(png::BitDepth::Eight);
        encoder.set_source_srgb(png::SrgbRenderingIntent::Perceptual);
        let written = encoder
            .write_header()
            .and_then(|mut writer| writer.write_image_data(self.bytes()));
        written.map_err(io::Error::other)
    }

    /// Writes it as JPEG of a quality from 1 to 100.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn write_jpeg(&self, out: impl Write, quality: u8) -> io::Result<()> {
        JpegEncoder::new_with_quality(out, quality)
            .encode(
                self.bytes(),
                self.size.width,
                self.size.height,
                image::ExtendedColorType::Rgb8,
            )
            .map_err(io::Error::other)
    }

    fn place(&self, x: u32, y: u32) -> Option<usize> {
        let is_inside = x < self.size.width && y < self.size.height;
        is_inside.then(|| y as usize * self.size.width as usize + x as usize)
    }
}

fn mixed(behind: [u8; 3], color: [u8; 3], opacity: u8) -> [u8; 3] {
    let part = u32::from(opacity);
    let mix = |behind: u8, color: u8| {
        ((u32::from(behind) * (255 - part) + u32::from(color) * part) / 255) as u8
    };
    [0, 1, 2].map(|at| mix(behind[at], color[at]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_is_drawn_and_a_missing_letter_is_a_box() {
        let size = Size {
            width: 200,
            height: 20,
        };
        let mut raster = Raster::new(size, [0; 3]);
        assert!(!raster.text((0, 0), "Säule 0042 ŕ", [255; 3], Weight::Regular));
        assert!(raster.bytes().iter().any(|byte| *byte > 200));
        assert!(raster.text((100, 0), "月", [255; 3], Weight::Regular));
        assert_eq!(raster.pixel(101, 2), [255; 3]);
        // What does not fit is cut.
        raster.text((195, 10), "cut", [255; 3], Weight::Title);
        let mut png = Vec::new();
        raster.write_png(&mut png).unwrap();
        let read = image::load_from_memory(&png).unwrap().to_rgb8();
        assert_eq!(read.as_raw(), raster.bytes());
    }

    #[test]
    fn a_long_text_keeps_its_ends() {
        let text = fitted_text("a_very_long_name_of_a_file.0001.exr", 100, Weight::Regular);
        assert!(text_width(&text, Weight::Regular) <= 100, "{text}");
        assert!(text.starts_with('a') && text.ends_with("exr"), "{text}");
    }
}
