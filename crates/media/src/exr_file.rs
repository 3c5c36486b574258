//! OpenEXR, block by block.

use std::io::{BufRead, Seek};

use exr::block::reader::ChunksReader;
use exr::meta::attribute::SampleType;
use exr::meta::header::Header;
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw};

/// Decodes every block of every part. Of several planes each must be there.
pub(crate) fn decode(
    reader: impl BufRead + Seek,
    planes: &[(Option<String>, Option<String>)],
) -> Result<Facts, Flaw> {
    let broken = |error: exr::error::Error| Flaw::Broken(error.to_string());
    let reader = exr::block::read(reader, false).map_err(broken)?;
    let layers: Vec<Layer> = reader.headers().iter().flat_map(layers).collect();
    let Some(header) = reader.headers().first() else {
        return Err(Flaw::Broken("it has no header".to_owned()));
    };
    let size = size(header)?;
    let (channels, bits) = match planes {
        [] => match &layers[..] {
            [layer] => (layer.channels()?, layer.bits()?),
            _ => {
                let names: Vec<&str> = layers.iter().map(|layer| layer.name.as_str()).collect();
                return Err(Flaw::Other {
                    what: "content",
                    wanted: "a single picture".to_owned(),
                    found: format!("{} layers: {}", layers.len(), names.join(", ")),
                });
            }
        },
        planes => all_planes(planes, &layers)?,
    };
    // By the table of offsets, which is written last: an unfinished file has holes in it.
    reader
        .filter_chunks(true, |_, _, _| true)
        .and_then(|chunks| chunks.decompress_sequential(false, |_, _| Ok(())))
        .map_err(broken)?;
    Ok(Facts {
        size,
        channels,
        bits,
    })
}

/// Channels that are called alike but for their last part: `left.beauty.R`.
struct Layer {
    /// The part's name and what stands before the channel.
    name: String,
    channels: Vec<(String, SampleType)>,
}

fn layers(header: &Header) -> Vec<Layer> {
    let part = header.own_attributes.layer_name.as_ref();
    let part = part.map(ToString::to_string).unwrap_or_default();
    let mut layers: Vec<Layer> = Vec::new();
    for channel in &header.channels.list {
        let whole = channel.name.to_string();
        let (layer, name) = whole.rsplit_once('.').unwrap_or(("", &whole));
        let layer = [part.as_str(), layer].join(".");
        let layer = layer.trim_matches('.').to_owned();
        let sample = (name.to_uppercase(), channel.sample_type);
        match layers.iter_mut().find(|known| known.name == layer) {
            Some(known) => known.channels.push(sample),
            None => layers.push(Layer {
                name: layer,
                channels: vec![sample],
            }),
        }
    }
    layers
}

/// Holds the layers of a file against the planes that it should hold; gives what the first is.
fn all_planes(
    planes: &[(Option<String>, Option<String>)],
    layers: &[Layer],
) -> Result<(Channels, Bits), Flaw> {
    let mut first = None;
    for (pass, view) in planes {
        let words = || [view, pass].into_iter().flatten();
        let found = layers.iter().find(|layer| {
            let parts: Vec<&str> = layer.name.split(['.', '_', '-', ' ']).collect();
            words().all(|word| parts.iter().any(|part| part.eq_ignore_ascii_case(word)))
        });
        let Some(layer) = found else {
            let names: Vec<&str> = layers.iter().map(|layer| layer.name.as_str()).collect();
            return Err(Flaw::Other {
                what: "set of layers",
                wanted: format!(
                    "one with {}",
                    words().cloned().collect::<Vec<_>>().join(", ")
                ),
                found: names.join(", "),
            });
        };
        let facts = (layer.channels()?, layer.bits()?);
        first.get_or_insert(facts);
    }
    first.ok_or_else(|| Flaw::Broken("it has no layers".to_owned()))
}

impl Layer {
    fn channels(&self) -> Result<Channels, Flaw> {
        let has = |name: &str| self.channels.iter().any(|(known, _)| known == name);
        let colour = has("R") && has("G") && has("B");
        Ok(match (colour, has("A"), self.channels.len()) {
            (true, true, 4) => Channels::Rgba,
            (true, false, 3) => Channels::Rgb,
            (false, true, 2) => Channels::GrayAlpha,
            (false, false, 1) => Channels::Gray,
            _ => {
                let names: Vec<&str> = self.channels.iter().map(|(name, _)| &**name).collect();
                return Err(Flaw::Other {
                    what: "set of channels",
                    wanted: "gray, graya, rgb or rgba".to_owned(),
                    found: names.join(", "),
                });
            }
        })
    }

    fn bits(&self) -> Result<Bits, Flaw> {
        let mut kinds = self.channels.iter().map(|(_, kind)| *kind);
        let first = kinds.next();
        let bits = match first {
            Some(first) if kinds.any(|kind| kind != first) => None,
            Some(SampleType::F16) => Some(Bits::Half),
            Some(SampleType::F32) => Some(Bits::Float),
            _ => None,
        };
        bits.ok_or_else(|| Flaw::Other {
            what: "depth",
            wanted: "half or float in all channels".to_owned(),
            found: "mixed or of whole numbers".to_owned(),
        })
    }
}

fn size(header: &Header) -> Result<Size, Flaw> {
    let dimension = |length: usize| {
        u32::try_from(length).map_err(|_| Flaw::Broken("its size is out of bounds".to_owned()))
    };
    Ok(Size {
        width: dimension(header.layer_size.width())?,
        height: dimension(header.layer_size.height())?,
    })
}
