//! OpenEXR, block by block.

use std::io::{BufRead, Seek};

use exr::block::reader::ChunksReader;
use exr::meta::attribute::SampleType;
use exr::meta::header::Header;
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw};

pub(crate) fn decode(reader: impl BufRead + Seek) -> Result<Facts, Flaw> {
    let broken = |error: exr::error::Error| Flaw::Broken(error.to_string());
    let reader = exr::block::read(reader, false).map_err(broken)?;
    let Some(header) = reader.headers().first() else {
        return Err(Flaw::Broken("it has no header".to_owned()));
    };
    let facts = facts(header)?;
    // By the table of offsets, which is written last: an unfinished file has holes in it.
    reader
        .filter_chunks(true, |_, _, _| true)
        .and_then(|chunks| chunks.decompress_sequential(false, |_, _| Ok(())))
        .map_err(broken)?;
    Ok(facts)
}

fn facts(header: &Header) -> Result<Facts, Flaw> {
    let list = &header.channels.list;
    // Channels of a layer are called `layer.R`.
    let names: Vec<String> = list
        .iter()
        .map(|channel| {
            let name = channel.name.to_string();
            name.rsplit('.').next().unwrap_or(&name).to_uppercase()
        })
        .collect();
    let has = |name: &str| names.iter().any(|known| known == name);
    let colour = has("R") && has("G") && has("B");
    let channels = match (colour, has("A"), names.len()) {
        (true, true, 4) => Channels::Rgba,
        (true, false, 3) => Channels::Rgb,
        (false, true, 2) => Channels::GrayAlpha,
        (false, false, 1) => Channels::Gray,
        _ => {
            return Err(Flaw::Other {
                what: "set of channels",
                wanted: "gray, graya, rgb or rgba".to_owned(),
                found: names.join(", "),
            });
        }
    };
    let kinds: Vec<SampleType> = list.iter().map(|channel| channel.sample_type).collect();
    let bits = match kinds.first() {
        Some(first) if kinds.iter().any(|kind| kind != first) => None,
        Some(SampleType::F16) => Some(Bits::Half),
        Some(SampleType::F32) => Some(Bits::Float),
        _ => None,
    };
    let bits = bits.ok_or_else(|| Flaw::Other {
        what: "depth",
        wanted: "half or float in all channels".to_owned(),
        found: "mixed or of whole numbers".to_owned(),
    })?;
    let dimension = |length: usize| {
        u32::try_from(length).map_err(|_| Flaw::Broken("its size is out of bounds".to_owned()))
    };
    Ok(Facts {
        size: Size {
            width: dimension(header.layer_size.width())?,
            height: dimension(header.layer_size.height())?,
        },
        channels,
        bits,
    })
}
