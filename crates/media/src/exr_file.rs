//! OpenEXR, block by block.

use std::io::{BufRead, Read, Seek, SeekFrom};

use exr::block::UncompressedBlock;
use exr::block::reader::ChunksReader;
use exr::compression::Compression;
use exr::math::Vec2;
use exr::meta::attribute::{ChannelDescription, SampleType};
use exr::meta::header::Header;
use truepath_core::picture::{Bits, Channels, Size};

use crate::exr_blocks::BlockUnpacker;
use crate::facts::{ExpectedPicture, Facts, Flaw, Found, MOST_MEMORY};
use crate::layer_choice::has_words;
use crate::meter::{Meter, RowPart, SampleKind};

/// Decodes every block of every part. What was asked for must be there; what is there besides is a note.
/// The size of a picture is that of its display window.
pub(crate) fn decode(
    mut reader: impl BufRead + Seek,
    wanted: &ExpectedPicture,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    is_known_kind(&mut reader)?;
    let reader = exr::block::read(reader, true).map_err(flaw)?;
    let headers = reader.headers();
    let layers: Vec<Layer> = headers.iter().enumerate().flat_map(layers).collect();
    let Some(header) = headers.first() else {
        return Err(Flaw::Broken("it has no header".to_owned()));
    };
    let (mut facts, layer) = match &wanted.planes[..] {
        [] => single(&layers, size(header)?, wanted)?,
        planes => all_planes(planes, &layers, size(header)?)?,
    };
    facts.compare(wanted)?;
    facts.compression = Some(compression_word(header.compression));
    if layers.len() > 1 {
        facts.layers = layers.iter().map(Layer::title).collect();
    }
    note_windows(headers, &mut facts);
    let bytes = headers.iter().map(block_bytes).max().unwrap_or(0);
    if bytes > MOST_MEMORY {
        return Err(Flaw::too_large(bytes));
    }
    // By the table of offsets, which is written last: an unfinished file has holes in it.
    let rows = MeasuredRows::begin(layer, headers, wanted.channels, meter);
    let chunks = reader.filter_chunks(true, |_, _, _| true).map_err(flaw)?;
    let meta = chunks.meta_data().clone();
    let mut unpacker = BlockUnpacker::new();
    for chunk in chunks {
        let chunk = unpacker.unpack(chunk.map_err(flaw)?, &meta.headers);
        let block = UncompressedBlock::decompress_chunk(chunk, &meta, true).map_err(flaw)?;
        rows.take(&meta.headers, &block, meter);
    }
    Ok(facts)
}

/// Whether the file is of a kind that this program knows: the version field and the compression of the
/// first part, after the OpenEXR file layout.
fn is_known_kind(reader: &mut (impl BufRead + Seek)) -> Result<(), Flaw> {
    /// Compressions up to DWAB have the numbers 0 to 9.
    const LAST_COMPRESSION: u8 = 9;
    const DEEP: u32 = 1 << 11;
    let cut_short = |_| Flaw::Broken("it ends in its header".to_owned());
    let mut head = [0; 8];
    reader.read_exact(&mut head).map_err(cut_short)?;
    let version = u32::from_le_bytes([head[4], head[5], head[6], head[7]]);
    if version & DEEP != 0 {
        return Err(Flaw::unverifiable("EXR with deep data is not decoded"));
    }
    loop {
        let (mut name, mut kind) = (Vec::new(), Vec::new());
        reader.by_ref().take(256).read_until(0, &mut name)?;
        if name.len() < 2 {
            break;
        }
        reader.by_ref().take(256).read_until(0, &mut kind)?;
        let mut size = [0; 4];
        reader.read_exact(&mut size).map_err(cut_short)?;
        let size = u32::from_le_bytes(size);
        if name == b"compression\0" && size == 1 {
            let mut compression = [0];
            reader.read_exact(&mut compression).map_err(cut_short)?;
            if compression[0] > LAST_COMPRESSION {
                return Err(Flaw::unverifiable(format!(
                    "EXR compression {} is not decoded",
                    compression[0]
                )));
            }
            break;
        }
        reader.seek_relative(size.into())?;
    }
    reader.seek(SeekFrom::Start(0))?;
    Ok(())
}

fn flaw(error: exr::error::Error) -> Flaw {
    match error {
        exr::error::Error::NotSupported(what) => Flaw::unverifiable(what),
        other => Flaw::Broken(other.to_string()),
    }
}

/// Bytes of a block that is decoded.
fn block_bytes(header: &Header) -> u64 {
    let size = header.max_block_pixel_size();
    size.area() as u64 * header.channels.bytes_per_pixel as u64
}

/// The layer that has what was asked for: the one without a name, if it does, else the first.
fn single<'l>(
    layers: &'l [Layer],
    size: Size,
    wanted: &ExpectedPicture,
) -> Result<(Facts, &'l Layer), Flaw> {
    let unnamed = layers.iter().filter(|layer| layer.name.is_empty());
    let named = layers.iter().filter(|layer| !layer.name.is_empty());
    let mut candidates = unnamed.chain(named);
    let facts = |layer: &'l Layer| {
        let (channels, besides) = layer.channels(wanted.channels);
        let mut facts = Facts::new(size, channels, layer.bits(wanted.channels));
        let others = layers.iter().filter(|other| other.name != layer.name);
        let all: Vec<String> = besides
            .into_iter()
            .chain(others.flat_map(Layer::names))
            .collect();
        if !all.is_empty() {
            facts.note(format!("it has further channels: {}", shortened(&all)));
        }
        (facts, layer)
    };
    let first = candidates.next().map(facts);
    let first = first.ok_or_else(|| Flaw::Broken("it has no channels".to_owned()))?;
    if first.0.compare(wanted).is_ok() {
        return Ok(first);
    }
    let other = candidates
        .map(facts)
        .find(|(facts, _)| facts.compare(wanted).is_ok());
    Ok(other.unwrap_or(first))
}

/// The word of job files for a compression.
fn compression_word(compression: Compression) -> &'static str {
    match compression {
        Compression::Uncompressed => "none",
        Compression::RLE => "rle",
        Compression::ZIP1 => "zips",
        Compression::ZIP16 => "zip",
        Compression::PIZ => "piz",
        Compression::PXR24 => "pxr24",
        Compression::B44 => "b44",
        Compression::B44A => "b44a",
        Compression::DWAA(_) => "dwaa",
        Compression::DWAB(_) => "dwab",
        Compression::HTJ2K32 => "htj2k32",
        Compression::HTJ2K256 => "htj2k256",
    }
}

/// The first few of some names, and how many more there are.
fn shortened(names: &[String]) -> String {
    const MOST: usize = 8;
    let first = names[..names.len().min(MOST)].join(", ");
    match names.len().checked_sub(MOST) {
        None | Some(0) => first,
        Some(more) => format!("{first} and {more} more"),
    }
}

/// Notes parts of which the data window is not the display window.
fn note_windows(headers: &[Header], facts: &mut Facts) {
    for header in headers {
        let display = header.shared_attributes.display_window;
        let data = header.data_window();
        if data != display {
            facts.note(format!(
                "its data window is {}x{} at {},{} in a display window of {}",
                data.size.width(),
                data.size.height(),
                data.position.x() - display.position.x(),
                data.position.y() - display.position.y(),
                facts.size
            ));
            return;
        }
    }
}

/// Channels that are called alike but for their last part: `left.beauty.R`.
struct Layer {
    /// The part's name and what stands before the channel.
    name: String,
    /// The number of its part in the file.
    part: usize,
    channels: Vec<(String, SampleType)>,
}

fn layers((number, header): (usize, &Header)) -> Vec<Layer> {
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
                part: number,
                channels: vec![sample],
            }),
        }
    }
    layers
}

/// Compares the layers of a file with the planes that it must hold; gives what the first is.
fn all_planes<'l>(
    planes: &[(Option<String>, Option<String>)],
    layers: &'l [Layer],
    size: Size,
) -> Result<(Facts, &'l Layer), Flaw> {
    let mut first = None;
    for (pass, view) in planes {
        let words = || [view, pass].into_iter().flatten();
        let found = layers
            .iter()
            .find(|layer| has_words(&layer.name, words().map(String::as_str)));
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
        let (channels, _) = layer.channels(None);
        first.get_or_insert_with(|| (Facts::new(size, channels, layer.bits(None)), layer));
    }
    first.ok_or_else(|| Flaw::Broken("it has no layers".to_owned()))
}

impl Layer {
    /// Its name, for people.
    fn title(&self) -> String {
        if self.name.is_empty() {
            "(main)".to_owned()
        } else {
            self.name.clone()
        }
    }

    fn has(&self, name: &str) -> bool {
        self.channels.iter().any(|(known, _)| known == name)
    }

    /// The names of its channels, as they are in the file but for their case.
    fn names(&self) -> impl Iterator<Item = String> + '_ {
        let name = move |(name, _): &(String, SampleType)| {
            [self.name.as_str(), name.as_str()]
                .join(".")
                .trim_start_matches('.')
                .to_owned()
        };
        self.channels.iter().map(name)
    }

    /// The channels of this layer that make up a picture, such as was asked for where it has that, and
    /// those that do not belong to it.
    fn picture(&self, wanted: Option<Channels>) -> Vec<&(String, SampleType)> {
        let of = |names: &[&str]| -> Vec<&(String, SampleType)> {
            let is_of = |(known, _): &&(String, SampleType)| names.contains(&known.as_str());
            self.channels.iter().filter(is_of).collect()
        };
        let colour = ["R", "G", "B"].iter().all(|name| self.has(name));
        match (wanted, colour, &self.channels[..]) {
            // Depth or a mask is one channel, whatever it is called.
            (_, _, [_]) => self.channels.iter().collect(),
            (Some(Channels::Rgb), true, _) => of(&["R", "G", "B"]),
            (Some(Channels::Gray), _, _) if self.has("Y") => of(&["Y"]),
            (_, true, _) => of(&["R", "G", "B", "A"]),
            (_, false, [one, other]) if one.0 == "A" || other.0 == "A" => {
                self.channels.iter().collect()
            }
            _ if self.has("Y") => of(&["Y", "A"]),
            _ => self.channels.iter().collect(),
        }
    }

    /// What its channels are, and the names of those that are there besides.
    fn channels(&self, wanted: Option<Channels>) -> (Found<Channels>, Vec<String>) {
        let picture = self.picture(wanted);
        let is_of = |name: &str| picture.iter().any(|(known, _)| known == name);
        let found = match (
            is_of("R") && is_of("G") && is_of("B"),
            is_of("A"),
            picture.len(),
        ) {
            (true, true, 4) => Found::Known(Channels::Rgba),
            (true, false, 3) => Found::Known(Channels::Rgb),
            (false, true, 2) => Found::Known(Channels::GrayAlpha),
            (false, _, 1) => Found::Known(Channels::Gray),
            _ => Found::Other(shortened(&self.names().collect::<Vec<_>>())),
        };
        let all = self.names().zip(&self.channels);
        let besides = all
            .filter(|(_, (name, _))| !is_of(name))
            .map(|(name, _)| name);
        (found, besides.collect())
    }

    fn bits(&self, wanted: Option<Channels>) -> Found<Bits> {
        let picture = self.picture(wanted);
        let kinds: Vec<SampleType> = picture.iter().map(|(_, kind)| *kind).collect();
        match kinds[..] {
            [first, ref rest @ ..] if rest.iter().all(|kind| *kind == first) => match first {
                SampleType::F16 => Found::Known(Bits::Half),
                SampleType::F32 => Found::Known(Bits::Float),
                SampleType::U32 => Found::Other("32-bit whole numbers".to_owned()),
            },
            _ => Found::Other("of several depths".to_owned()),
        }
    }
}

/// Which channels of a file are measured, and as what.
struct MeasuredRows {
    /// By part and channel: the place of the channel in the picture.
    places: Vec<Vec<Option<usize>>>,
}

impl MeasuredRows {
    /// Begins to measure the picture of a layer.
    fn begin(
        layer: &Layer,
        headers: &[Header],
        wanted: Option<Channels>,
        meter: &mut Meter,
    ) -> Self {
        let mut names: Vec<&str> = layer
            .picture(wanted)
            .iter()
            .map(|one| one.0.as_str())
            .collect();
        let order = |name: &str| match name {
            "R" => 0,
            "G" => 1,
            "B" => 2,
            "A" => 4,
            _ => 3,
        };
        names.sort_by_key(|name| order(name));
        let place = |number: usize, channel: &ChannelDescription| {
            let whole = channel.name.to_string();
            let part = headers[number].own_attributes.layer_name.as_ref();
            let part = part.map(ToString::to_string).unwrap_or_default();
            let (own, name) = whole.rsplit_once('.').unwrap_or(("", &whole));
            let own = [part.as_str(), own].join(".");
            let is_of_layer = number == layer.part && own.trim_matches('.') == layer.name;
            let name = name.to_uppercase();
            names.iter().position(|one| is_of_layer && *one == name)
        };
        let of_part = |(number, header): (usize, &Header)| {
            let channels = header.channels.list.iter();
            channels.map(|channel| place(number, channel)).collect()
        };
        if let Some(header) = headers.get(layer.part) {
            let size = Size {
                width: header.layer_size.width() as u32,
                height: header.layer_size.height() as u32,
            };
            meter.begin(size, names.len(), names.last() == Some(&"A"));
        }
        Self {
            places: headers.iter().enumerate().map(of_part).collect(),
        }
    }

    /// Measures a block.
    fn take(&self, headers: &[Header], block: &UncompressedBlock, meter: &mut Meter) {
        let index = &block.index;
        // Smaller copies of the picture show nothing new.
        let is_whole = index.level == Vec2(0, 0);
        let (Some(header), Some(places)) = (headers.get(index.layer), self.places.get(index.layer))
        else {
            return;
        };
        if !meter.is_on() || !is_whole {
            return;
        }
        let width = index.pixel_size.width();
        let mut at = 0;
        for row in 0..index.pixel_size.height() {
            let mut parts = Vec::with_capacity(places.len());
            for (channel, first) in header.channels.list.iter().zip(places) {
                let length = width * channel.sample_type.bytes_per_sample();
                let Some(bytes) = block.data.get(at..at + length) else {
                    return;
                };
                at += length;
                parts.push(RowPart {
                    bytes,
                    kind: match channel.sample_type {
                        SampleType::F16 => SampleKind::Half,
                        SampleType::F32 => SampleKind::Float,
                        SampleType::U32 => SampleKind::Whole,
                    },
                    first: *first,
                    channels: 1,
                });
            }
            let (left, top) = (index.pixel_position.x(), index.pixel_position.y() + row);
            meter.row(left as u32, top as u32, &parts);
        }
    }
}

fn size(header: &Header) -> Result<Size, Flaw> {
    let window = header.shared_attributes.display_window.size;
    let dimension = |length: usize| {
        u32::try_from(length).map_err(|_| Flaw::Broken("its size is out of bounds".to_owned()))
    };
    Ok(Size {
        width: dimension(window.width())?,
        height: dimension(window.height())?,
    })
}
