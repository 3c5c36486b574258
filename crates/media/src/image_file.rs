//! The formats that the image library decodes: JPEG, TIFF, BMP, TGA, WebP, HDR.

use std::io::{BufRead, Seek};

use image::{ExtendedColorType, ImageDecoder, ImageFormat, ImageReader};
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw};

pub(crate) fn decode(reader: impl BufRead + Seek, name: &str) -> Result<Facts, Flaw> {
    let broken = |error: image::ImageError| Flaw::Broken(error.to_string());
    let format = ImageFormat::from_extension(name)
        .ok_or_else(|| Flaw::Broken(format!("{name} is not decoded here")))?;
    let mut reader = ImageReader::with_format(reader, format);
    reader.no_limits();
    let decoder = reader.into_decoder().map_err(broken)?;
    let (width, height) = decoder.dimensions();
    let (channels, bits) = sample(decoder.original_color_type())?;
    let bytes = usize::try_from(decoder.total_bytes())
        .map_err(|_| Flaw::Broken("its size is out of bounds".to_owned()))?;
    decoder.read_image(&mut vec![0; bytes]).map_err(broken)?;
    Ok(Facts {
        size: Size { width, height },
        channels,
        bits,
    })
}

fn sample(kind: ExtendedColorType) -> Result<(Channels, Bits), Flaw> {
    use ExtendedColorType as Kind;
    Ok(match kind {
        Kind::L8 => (Channels::Gray, Bits::Eight),
        Kind::La8 => (Channels::GrayAlpha, Bits::Eight),
        Kind::Rgb8 | Kind::Bgr8 => (Channels::Rgb, Bits::Eight),
        Kind::Rgba8 | Kind::Bgra8 => (Channels::Rgba, Bits::Eight),
        Kind::L16 => (Channels::Gray, Bits::Sixteen),
        Kind::La16 => (Channels::GrayAlpha, Bits::Sixteen),
        Kind::Rgb16 => (Channels::Rgb, Bits::Sixteen),
        Kind::Rgba16 => (Channels::Rgba, Bits::Sixteen),
        Kind::Rgb32F => (Channels::Rgb, Bits::Float),
        Kind::Rgba32F => (Channels::Rgba, Bits::Float),
        other => {
            return Err(Flaw::Other {
                what: "kind of pixel",
                wanted: "one that is known here".to_owned(),
                found: format!("{other:?}"),
            });
        }
    })
}
